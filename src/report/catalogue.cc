// SPDX-License-Identifier: Apache-2.0
// Every sentence that the core's messages make, to be read, reviewed and changed here; those of a diagnosis are beside
// it.
#include <algorithm>
#include <iterator>

#include "report/sentence.h"

namespace kettle {

namespace {

const MessageWords& AllButDiagnosis() {
  static const MessageWords words = {
      // What survey advises
      {"advice.busy-program", "{program} is using {cores:.1f} cores: close it, or every result includes it"},
      {"advice.cpu-quota",
       "a control group limits this session to the time of {quota:.2g} of {usable:.0f} processors; encodes are "
       "throttled beyond that: raise cpu.max"},
      {"advice.disk-in-memory",
       "{folder} is in memory ({system}): a recording there is lost when the power goes, and takes memory from the "
       "game"},
      {"advice.display-refresh",
       "{display} refreshes {refresh:.0f} times a second: the pictures of a stream at {rate:g} come {shortest:.0f} or "
       "{longest:.0f} ms apart, and motion judders; cap the game at {below:g}, or set the display to {below:g} or "
       "{above:g} Hz"},
      {"advice.efficiency-cores",
       "{performance:.0f} performance and {efficiency:.0f} efficiency cores: an encode that lands on an efficiency "
       "core is slower than one measured on a performance core"},
      {"advice.few-processors",
       "only {usable:.0f} of {threads:.0f} processors may be used here (affinity mask or container): start without "
       "that limit, or plan for it"},
      {"advice.file-size-limit", "{folder} is on {system}: no file there can exceed 4 GiB; recordings break off"},
      {"advice.gpu-busy",
       "{gpu} is {percent:.0f} % busy now: measure with nothing else running on it, or with the game itself"},
      {"advice.gpu-encodes-already",
       "{gpu} already runs {count:.0f} encode(s): another program streams or records; stop it before you measure"},
      {"advice.gpu-not-permitted",
       "{gpu}: not permitted to open {node}; join the group \"{group}\" (sudo usermod -aG {group} $USER) and log in "
       "again"},
      {"advice.little-memory",
       "only {available:.1f} of {all:.1f} GiB of memory is available: the machine may start swapping"},
      {"advice.little-space", "{gigabytes:.1f} GB are free in {folder}: {hours:.1f} hours at {rate}"},
      {"advice.no-gpu", "no GPU found: stream and recording share the CPU with the game"},
      {"advice.no-gpu-driver", "{gpu} has no kernel driver: install the one for it"},
      {"advice.nouveau", "{gpu} runs on nouveau, which has no NVENC: install NVIDIA's driver"},
      {"advice.on-battery", "this machine is running on battery: plug it in, or every result will be too low"},
      {"advice.one-encode-at-a-time", "{encoder} runs one encode at a time: stream and recording cannot both use it"},
      {"advice.one-engine-two-interfaces",
       "{gpu} works through both VA-API and QSV: it is one GPU with one encode engine, not two"},
      {"advice.powersave-governor",
       "the CPU governor is {governors}: clock speeds may stay low; set it to performance while you measure and "
       "stream"},
      {"advice.rotating-disk",
       "{folder} is on a rotating disk: keep the game on another one, or its loading stalls the recording"},
      {"advice.several-gpus",
       "{count:.0f} GPUs: plan weighs those that encode, and what it takes to copy frames from the game's card to "
       "another"},
      {"advice.shaders-busy",
       "{gpu} is {percent:.0f} % busy now: that slows look-ahead and adaptive quantisation; measure the way you will "
       "stream, with the game running or not"},
      {"advice.slow-disk",
       "{folder} wrote only {megabytes:.1f} MB/s at its slowest, less than {times:g} times what a recording of {rate} "
       "needs"},
      {"advice.sound-card-rate",
       "{card} does not run at 48000 Hz, the usual rate for streams: its sound will be resampled"},
      {"advice.stolen-time",
       "the hypervisor gives {cores:.1f} cores to other machines: results vary with what those do"},
      {"advice.throttled",
       "the CPU throttled {times:.0f} times during this survey (heat): clean the fans, then check with bench --soak"},
      {"advice.wireless",
       "{interface} is wireless: a cable keeps streams from dropping frames; without one, say link = \"wireless\" in "
       "the "
       "show, so that the plan leaves room"},
      // Answers to questions
      {"answer.best-below", "{label} below that"},
      {"answer.best-everywhere", "{label} looks best at every bit rate that was tried"},
      {"answer.best-from", "{label} from {kbps:.0f} kbit/s on"},
      {"answer.best-setting", "{label}: {words}"},
      {"answer.less-cost", "takes {percent:.0f} % fewer {of}"},
      {"answer.more-cost", "takes {percent:.0f} % more {of}"},
      {"answer.needs-bits", "needs {percent:.0f} % more bit rate for the same quality"},
      {"answer.no-overlap", "the curves do not overlap"},
      {"answer.nothing-better", "nothing is clearly better than {reference}"},
      {"answer.reference-is-best", "{reference} looks best"},
      {"answer.same", "no visible difference"},
      {"answer.same-cost", "costs about the same {of}"},
      {"answer.saves-bits", "saves {percent:.0f} % of the bit rate"},
      {"answer.single-second", "{gain:+.1f} points on a single second: longer footage would tell (--footage-seconds)"},
      {"answer.take-the-cheapest", "nothing looks better than {reference}; as good: {same}; take what costs least"},
      {"answer.times-the-cost", "takes {times:.1f} times the {of}"},
      {"answer.varies",
       "still unclear after {seconds:.0f} seconds of footage: more time (--time-budget) or a longer clip would tell"},
      {"answer.verdict", "{verdict} by {gain:.1f} points"},
      // Measuring
      {"bench.under-load", "measured under a load: {load}"},
      // What the line leaves for video
      {"budget.audience", "the {rate} that viewers of {name} can receive"},
      {"budget.destination-maximum", "{name}'s maximum of {rate}"},
      {"budget.dips", "a {kind} uplink, whose dips are {percent:.0f} % below its median"},
      {"budget.measured-once", "a {kind} uplink, measured once"},
      {"budget.need", "{parts}, with sound and {percent:.0f} % kept free"},
      {"budget.need-with-reserve", "{parts}, with sound, what is reserved and {percent:.0f} % kept free"},
      {"budget.only-reading", "the only reading"},
      {"budget.readings", "the low end of your {readings:.0f} readings"},
      {"budget.shared-uplink", "your uplink, shared by {destinations:.0f} destinations"},
      {"budget.trace", "95 % of the time at least, over {seconds:.0f} seconds of trace"},
      {"budget.traced-dips", "a traced {kind} uplink, whose dips are {percent:.0f} % below its median"},
      {"budget.uplink", "your uplink"},
      {"budget.video-for", "{kbps:.0f} kbit/s of video for {name}"},
      // What an answer cannot say
      {"caveat.buffer", "a larger one allows bursts, and your uplink must carry them"},
      {"caveat.frame-rate", "what a lower frame rate costs is worked out from how fast things move, not judged by eye"},
      {"caveat.keyframe-interval", "a destination may demand an interval; a new viewer waits for the next keyframe"},
      {"caveat.look-ahead", "each frame of look-ahead adds a frame of delay"},
      {"caveat.not-seen",
       "a metric sees only part of what this setting is for: trust your eyes more than "
       "these numbers"},
      // What changed on the machine between two runs
      {"changed.build", "another build of {what}"},
      {"changed.gone", "gone: {what}"},
      {"changed.new", "new: {what}"},
      {"changed.other", "{from} became {to}"},

      // Codecs that were not taken
      {"codec.does-not-fit", "even its fastest preset does not fit beside the stream: together they need {lacking}"},
      {"codec.larger-file", "its file would be {percent:.0f} % larger than that of {other} at the same score"},
      {"codec.looks-no-better",
       "the best that keeps pace, {encoder}, scores {score:.1f}; the stream that was taken {other_score:.1f}"},
      {"codec.looks-worse", "looks {points:.1f} points worse than {other} at the same bit rate"},
      {"codec.none-in-time", "no encoder for it keeps pace on this machine"},
      {"codec.none-works",
       "no encoder for it works on this machine with {rate_control}; fast-kettle survey tells which work"},
      {"codec.plays-anywhere",
       "smaller files, but not every player and editor opens them; [recording] plays = \"modern\" lets the plan weigh "
       "them"},
      {"codec.points", "looks {points:.1f} points better than {other} at the same bit rate"},
      {"codec.refused", "{destination} does not accept it"},
      {"codec.saves", "{gigabytes:.1f} GB an hour less than {other} at the same score ({percent:.0f} %)"},
      {"codec.too-little", "{gain}: too little to give up a file that plays anywhere"},
      {"codec.too-slow", "too slow: its fastest preset makes {fps:.0f} frames a second"},
      {"codec.too-slow-at-level", "does not keep pace beside the stream at a score of {goal:g}"},
      // The disk
      {"disk.not-measured", "the disk's write rate was not measured: {error}"},
      // A soak run
      {"drift.disturbed",
       "no clear answer: {figures}; other programs or the hypervisor took their share; run it again on a quiet "
       "machine"},
      {"drift.figures",
       "{first:.0f} frames a second at first, {last:.0f} at the end ({change:+.1f} %, ±{noise:.1f} %)"},
      {"drift.overloads", "it does not hold: {figures}; {left:.0f} % headroom is left, {required:.0f} % is required"},
      {"drift.slows", "it slows down but keeps its headroom: {figures}; count on the later figure"},
      {"drift.steady", "it does not slow down: {figures}"},
      {"drift.throttled", "{figures}; the processors were throttled {times:.0f} times: heat"},
      {"drift.unclear", "no clear answer: {figures}; the windows differ too much; run it again on a quiet machine"},
      // An encode for each destination
      {"each.does-not-fit", "too much for this machine with the lightest presets that look good enough: {lacking}"},
      {"each.failed-proof", "too much for this machine: it lost frames, or left too little headroom, in the proof run"},
      {"each.looks-better", "it looks {points:.1f} points better on average"},
      {"each.nearest", "one encode for {served} alone (for the others too: {why})"},
      {"each.nothing-good-enough",
       "nothing that keeps pace for {destination} looks nearly as good as one encode for all"},
      {"each.nothing-keeps-pace", "nothing that was tried keeps pace for {destination}"},
      {"each.only-way", "no {what} suits all destinations"},
      {"each.other-codecs-no-better",
       "the codecs that only some of them accept look worse at what this machine encodes in real time"},
      {"each.own-rate", "the share of the line that {destination} gets with an encode of its own"},
      {"each.too-little", "it gains {points:.1f} points on average, too little for {cores:.2f} cores more"},
      // What is done to footage
      {"footage.bit-depth", "{bits:.0f} bit: reduced to 8 bit"},
      {"footage.chroma", "chroma {chroma}: reduced to 4:2:0"},
      {"footage.hdr",
       "HDR ({transfer}): shown without tone mapping, so colours look flat; plan with a clip of what you will stream"},
      {"footage.interlaced", "interlaced: only the first field of each picture is used, at half the lines"},
      {"footage.note", "{footage}: {note}"},
      {"footage.odd-sides", "{size}: sides must be even; scaled to {scaled_to}"},
      {"footage.short-clip", "only {seconds:.1f} s long: played forwards and backwards to fill {wanted:g} s"},
      {"footage.variable-rate", "its frame rate varies: each picture is shown until the next one's time"},

      // What came out of earlier runs
      {"history.bench", "{count:.0f} encode(s) measured"},
      {"history.found-in-folder", "found in the folder that another plan was restored to"},
      {"history.no-plan", "{verdict}"},
      {"history.plan", "{verdict}: {stream}"},
      {"history.rehearsal-held", "no frame lost in {seconds:.0f} s"},
      {"history.rehearsal-lost", "{count:.0f} frame(s) lost in {seconds:.0f} s"},
      {"history.survey", "{count:.0f} working encoder(s)"},
      {"history.uplink", "{kbps:.0f} kbit/s for video"},

      // Readings and traces of a line
      {"line.gap-in-trace",
       "no readings from {from:g} to {to:g} s: assumed {kbps:.0f} kbit/s, the lower of the readings before and after"},
      {"line.reading-high", "{reading} is more than home lines carry upwards: is the unit right, and is it upload?"},
      {"line.reading-low",
       "{reading} is very little for a stream: is the unit right? {kbps:g} kB/s would be {times_eight:g} kbit/s"},
      {"line.readings-far-apart", "{lowest} and {highest} lie far apart: a byte is 8 bits, was one of them in MB/s?"},
      // What would hold where nothing does
      {"nearest.either", "{first}, or {second}"},
      {"nearest.one-encode", "one encode for stream and recording, {stream} {stream_picture} (predicted)"},
      {"nearest.pair",
       "stream with {stream} {stream_picture}; recording with {recording} {recording_picture} (predicted)"},
      {"nearest.picture", "at {size} with {rate} frames a second"},
      // Size and frame rate
      {"picture.best", "best picture"},
      {"picture.best-beside-others", "best picture beside the other encodes"},
      {"picture.best-beside-recording", "best picture beside the recording"},
      {"picture.best-in-real-time", "best picture that keeps pace in real time"},
      {"picture.by-stretch",
       "{reason}; busy and calm moments count half each (by the busy alone {busiest}, by the calm alone {calmest})"},
      {"picture.next-best", "{reason} (next best: {next})"},
      {"picture.of-measured", "{why} of the {count:.0f} {what} measured"},
      {"picture.same-by-stretch", "{reason}; the same by busy or by calm moments alone"},
      // Which encodes fit beside each other
      {"placement.lacks-cores", "{needed:.2f} of {there:.2f} cores"},
      {"placement.lacks-disk", "{needed:.2f} of {there:.2f} GB/s of the disk"},
      {"placement.lacks-engine", "{needed:.0f} of {there:.0f} % of the GPU's engine"},
      {"placement.lacks-memory", "{needed:.2f} of {there:.2f} GB/s of memory"},
      {"placement.lacks-sessions", "a driver that opens more than one encode at a time"},
      {"placement.looks-worse",
       "at no size did its stream look better than {score:.1f} of 100; here {other} reaches {other_score:.1f}"},
      {"placement.misfit", "together they need {lacking}"},
      {"placement.too-slow",
       "its fastest preset makes {fps:.0f} frames a second; {rate} at {percent:.0f} % headroom needs {needed_fps:.0f}"},
      // A plan
      {"plan.beside-the-game",
       "the game runs on {card} too: its encode engine is apart, but look-ahead, adaptive quantisation and multi-pass "
       "take shader time from the game"},
      {"plan.best-preset",
       "of the presets that keep pace beside the other encode, the best looking ({score:.1f} of 100), at {fps:.0f} "
       "frames a second"},
      {"plan.colours-differ",
       "the {output} declares other colours than the source: players will show it off by {mean:.1f} grey levels on "
       "average, {most:.0f} at most"},
      {"plan.costs-the-game",
       "looks {points:.1f} points better, which hardly anybody sees, and takes {cores:.2f} cores more from the game"},
      {"plan.demand",
       "together they should take {cores:.2f} of {all_cores:g} cores and {percent:.0f} % of the GPU's engine"},
      {"plan.disturbed",
       "in {disturbed} of {trials} trial(s) something else took processors: plan again with --fresh when the "
       "machine is quiet, and better settings may hold"},
      {"plan.does-not-keep-pace", "does not keep pace: headroom {percent:.0f} %, required {required:.0f} %"},
      {"plan.frames-cross",
       "frames go from the game's card to {to}: about {cores:.2f} cores, by copies of that size measured here"},
      {"plan.leaves-game-less",
       "fits, but leaves the game less: it takes {cores:.2f} cores, the chosen one {chosen_cores:.2f}"},
      {"plan.looks-not-measured", "not needed: how it looks was not measured"},
      {"plan.looks-worse", "looks worse: {score:.1f} of 100, the chosen one {chosen_score:.1f}"},
      {"plan.not-beside-the-other",
       "keeps pace alone, but not beside the other encode, or the proof run failed with it"},
      {"plan.proof-failed", "its proof run failed"},
      {"plan.stream-first", "the stream goes before the game, as asked: where processors run short, the game stutters"},
      {"plan.stream-looks-worse",
       "fits, but its stream looks worse: {score:.1f} of 100, the chosen one {chosen_score:.1f}"},
      {"plan.under-load", "measured and proven under a load: {load}"},
      // Questions
      {"question.adaptive-quantisation", "Adaptive quantisation?"},
      {"question.b-frames", "How many B-frames?"},
      {"question.buffer", "How large a buffer?"},
      {"question.encoder", "Which encoder and preset?"},
      {"question.frame-rate", "How many frames a second?"},
      {"question.keyframe-interval", "How far apart may keyframes be?"},
      {"question.look-ahead", "How far to look ahead?"},
      {"question.multi-pass", "More than one pass?"},
      {"question.profile", "Which profile?"},
      {"question.psychovisual", "Psychovisual optimisation?"},
      {"question.scaler", "Which scaler?"},
      {"question.size", "Which size?"},
      // The recording's quality level
      {"recording-level.constant-quality", "a disk can take bursts: each scene gets the bits that it needs"},
      {"recording-level.failed", "{status}: {detail}"},
      {"recording-level.failed-proof", "with that quality level it did not keep pace in the proof run"},
      {"recording-level.found", "found on {footage} for a goal of {goal:g} of 100 (measured: {tried})"},
      {"recording-level.measured-rate", "measured on the most demanding clip, in its busiest stretch"},
      {"recording-level.missed",
       "the recording did not reach {goal:g} of 100: {why}; its bit rate is three times the stream's bits per pixel "
       "instead"},
      {"recording-level.no-constant-quality", "{encoder} has no constant quality"},
      {"recording-level.no-time", "the time budget was used up before a level reached it"},
      {"recording-level.out-of-reach", "even its best level, {level:.0f}, does not reach {goal:g} of 100 on {footage}"},
      {"recording-level.step", "level {level:.0f} {score:.1f}"},
      {"recording-level.too-heavy",
       "level {level:.0f} reaches it, but no preset of {encoder} keeps pace with it beside the stream"},
      {"recording-level.too-slow", "too slow to be measured"},
      // Sound
      {"sound.accepted-rate", "AAC; {limits}"},
      {"sound.cards-agree", "{cards} runs at it too: no resampling"},
      {"sound.destination-accepts", "{destination} accepts {rate}"},
      {"sound.lower-rate", "AAC; {limits}; less than the usual {usual}"},
      {"sound.no-card", "no sound card found"},
      {"sound.other-rate-in-use",
       "{card} runs at {rate} now, the stream at {stream_rate}: set both to the same rate, or the sound is resampled "
       "and may drift"},
      {"sound.resampled", "{card} does not run at {stream_rate}: its sound will be resampled"},
      {"sound.see-note", "see the note on your sound card"},
      {"sound.usual-rate", "AAC, the usual rate"},
      // What the encodes are asked for
      {"target.accepts-no-more", "{destination} accepts no more"},
      {"target.archive-rule", "{times:g} times the stream's bits per pixel (a rule of thumb)"},
      {"target.b-frames-accepted", "{destination} accepts no more consecutive B-frames"},
      {"target.bit-rate-low",
       "{rate} is low for {size} at {frame_rate} frames per second ({bits:.3f} bits per pixel): quick turns will look "
       "blocky; {cure}"},
      {"target.constant-bit-rate", "an uplink has no room for bursts: the average is also the maximum"},
      {"target.disk-bursts", "a disk can take bursts: up to {rate} in busy scenes"},
      {"target.enough-bits",
       "from about here on ({low:.0f} to {high:.0f} kbit/s) a tenth more bits gain less than half a point, on "
       "{footage} with {encoder} {preset}; line and destination would take {kbps:.0f} kbit/s"},
      {"target.even-below", "{limit}; the next below that fits the game's {source} evenly"},
      {"target.frame-rate-accepted", "{destination} accepts at most {rate} frames a second"},
      {"target.keyframes", "new viewers see a picture within this time"},
      {"target.larger-than-viewed",
       "viewers watch at {viewed} but the stream is {size}: its quality is measured at {viewed}"},
      {"target.largest-accepted", "{destination} accepts {size} at most"},
      {"target.leave-size-out", "leave stream.size out to let the plan find the best size"},
      {"target.limited-by",
       "limited by {limit}: your uplink carries {kbps:.0f} kbit/s ({how}); {percent:.0f} % of that, less what you "
       "reserved"},
      {"target.lowered-for-dips",
       "lowered for the dips of your uplink: at {kbps:.0f} kbit/s frames would be dropped (predicted)"},
      {"target.more-than-uplink",
       "the stream's {rate} is more than your uplink has room for: {room} (limited by {limit})"},
      {"target.no-rate-control",
       "no rate control gets through this uplink without dropped frames (send-queue model, predicted)"},
      {"target.only-more-bits", "no other size or frame rate looked better, so only a higher bit rate would help"},
      {"target.rate-assumed",
       "nothing says what your uplink carries: planned for {rate}; measure it with fast-kettle uplink, or give "
       "--stream-bit-rate"},
      {"target.rate-control",
       "{rate_control}: {dropped:.0f} of {frames:.0f} frames dropped at {kbps:.0f} kbit/s; without a dropped frame up "
       "to {highest_kbps:.0f} kbit/s (predicted)"},
      {"target.same-as-source", "same as the source"},
      {"target.set-in-show", "set in the show"},
      {"target.source-size", "same as the source: no scaling"},
      {"target.trace-note", "the uplink's trace: {note}"},
      {"target.uneven-pictures",
       "{rate} of the source's {source} frames a second come unevenly, {shortest:.0f} to {longest:.0f} ms apart: "
       "motion judders"},
      {"target.usual-rate", "usual for that picture, where neither an uplink nor a destination is named"},
      // As a library, a driver or an error said it
      {"text.quoted", "{words}"},
      // Left out by plan --time-budget
      {"time-budget.besides", "what to lower when the line drops"},
      {"time-budget.encode-each", "an encode for each destination"},
      {"time-budget.left-out", "the time budget left these out: {parts}; with more time they are looked at too"},
      {"time-budget.picture", "more sizes and frame rates"},
      {"time-budget.placement", "more presets"},
      {"time-budget.proof", "another proof run"},
      {"time-budget.recording-level", "the recording's quality level"},
      // How to record
      {"trade.best-beside", "the best that fits beside the stream ({size} at {rate}: {why})"},
      {"trade.costs", "costs the stream {lost:.1f} points"},
      {"trade.costs-nothing", "costs the stream nothing"},
      {"trade.does-not-fit", "does not keep pace beside the stream"},
      {"trade.failed-proof", "too little headroom in real time"},
      {"trade.gives-too-much", "costs the stream {lost:.1f} points, and {gives:g} are allowed"},
      {"trade.level-too-heavy", "too heavy at the quality asked for"},
      {"trade.looks-no-better", "would look no better than the stream's own encode"},
      {"trade.no-room", "would cost the stream more than the {gives:g} points it may lose"},
      {"trade.only-one-encode", "no better recording keeps pace beside the stream: what viewers get is recorded"},
      {"trade.whole-picture", "the source's whole picture fits beside the stream"},
      // A trial
      {"trial.driver-words", "the driver says: {words}"},
      {"trial.noisy", "noisy: ±{percent:.0f} %"},
      {"trial.other-program", "disturbed: {program} took {cores:.1f} cores"},
      {"trial.slow-down", "{times:.0f} times slower from frame {frame:.0f} on"},
      {"trial.stolen-time", "disturbed: the hypervisor took {cores:.1f} cores"},
      {"trial.throttled", "disturbed: the processors were throttled"},
      {"trial.truncated", "cut short after {frames:.0f} frames"},
      // Measuring the uplink
      {"uplink.as-asked", "as --most says"},
      {"uplink.enough-for", "enough for {need}"},
      {"uplink.simulated", "{how}, simulated"},
  };
  return words;
}

}  // namespace

const MessageWords& MessageCatalogue() {
  static const MessageWords catalogue = [] {
    MessageWords all;
    std::merge(AllButDiagnosis().begin(), AllButDiagnosis().end(), DiagnosisWords().begin(), DiagnosisWords().end(),
               std::back_inserter(all));
    return all;
  }();
  return catalogue;
}

}  // namespace kettle
