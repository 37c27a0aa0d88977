// SPDX-License-Identifier: Apache-2.0
#include "kettle/diagnosis/diagnosis.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <tuple>

#include "kettle/diagnosis/cure.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr double kFull = 0.9;           // of the processors, or of an engine: what comes on top waits
constexpr double kMuchStolen = 0.1;     // cores
constexpr double kMuchOfOthers = 0.25;  // cores that one other program takes
constexpr double kPoorLine = 0.97;      // of the stream's rate
constexpr double kOldToSend = 0.75;     // seconds that a picture has waited for the line, of 1.5
constexpr double kBlocked = 0.5;        // of a second: what the line took in it is what it carries
constexpr double kOldToWrite = 1;       // seconds that a packet has waited for the disk, of 2

double Busy(const RehearsalSecond& s) {
  return s.stream_cores + s.recording_cores + s.other_own_cores + s.device_cores + s.game_cores + s.other_cores +
         s.stolen_cores;
}

int LostIn(const RehearsalSecond& second, Loss loss) {
  switch (loss) {
    case Loss::kLate: return second.late;
    case Loss::kSkippedStream: return second.skipped_stream;
    case Loss::kSkippedRecording: return second.skipped_recording;
    case Loss::kDropped: return second.dropped;
    case Loss::kStalled: return second.stalled;
  }
  return 0;
}

// The way to one ingest in that second, or to all of them.
SendSecond SentIn(const RehearsalSecond& s, std::optional<std::size_t> ingest) {
  if (ingest && *ingest < s.ingests.size()) return s.ingests[*ingest];
  return {s.dropped, s.send_waiting_seconds, s.send_blocked_share, s.acknowledged_kbps, s.round_trip_ms, s.connected};
}

struct Finding {
  Cause cause;
  Message why;
  std::string program = {};
  double line_kbps = 0;
};

class Judge {
 public:
  Judge(const RehearsalOutcome& outcome, const DiagnosisFacts& facts, const PlanFile& plan)
      : outcome_(outcome), timeline_(outcome.timeline), ingests_(outcome.ingests), facts_(facts), plan_(plan) {
    for (const RehearsalFile& file : outcome.files) {
      disk_full_ = disk_full_ || file.disk_full;
      if (disk_trouble_.empty()) disk_trouble_ = file.trouble;
    }
    // What is usual: seconds without a loss.
    std::vector<double> game;
    for (const RehearsalSecond& s : timeline_) {
      if (s.late + s.skipped_stream + s.skipped_recording > 0) continue;
      game.push_back(s.game_cores);
    }
    usual_game_ = Median(game).value_or(0);
  }

  // `ingest`: of several, which one; of one, or where it is no matter of sending, none.
  Finding FindingFor(Loss loss, std::size_t at, std::optional<std::size_t> ingest) const {
    switch (loss) {
      case Loss::kDropped: return LineFinding(at, ingest);
      case Loss::kStalled: return DiskFinding(at);
      default: break;
    }
    if (const auto failure = FailureFinding(loss, at)) return *failure;
    return MachineFinding(loss, at);
  }

  // What came near to losing frames in that second: a good part of the longest that anything may wait.
  bool Strains(Loss loss, std::size_t at, std::optional<std::size_t> ingest) const {
    const SendSecond sent = SentIn(timeline_[at], ingest);
    if (loss == Loss::kDropped)
      return sent.connected && (sent.waiting_seconds > kOldToSend || IsTooNarrow(sent, StreamKbps(ingest)));
    return loss == Loss::kStalled && timeline_[at].disk_waiting_seconds > kOldToWrite;
  }

 private:
  // However little came to be sent: the line was full, and that at less than the stream's rate.
  static bool IsTooNarrow(const SendSecond& s, double stream_kbps) {
    return s.blocked_share > kBlocked && s.acknowledged_kbps < stream_kbps * kPoorLine;
  }

  // Of the encode that goes to that ingest.
  double StreamKbps(std::optional<std::size_t> ingest) const {
    const auto further = static_cast<std::size_t>(std::max(0, ingest ? ingests_.at(*ingest).stream : 0));
    return further == 0 || further > plan_.further_streams.size()
               ? facts_.stream_kbps
               : plan_.further_streams[further - 1].settings.bit_rate.kbps();
  }

  Finding LineFinding(std::size_t at, std::optional<std::size_t> ingest) const {
    // A picture is dropped after it has waited: the dip was a little before.
    double least = SentIn(timeline_[at], ingest).acknowledged_kbps, waiting = 0, blocked = 0;
    for (std::size_t i = at >= 2 ? at - 2 : 0; i <= at; ++i) {
      const SendSecond sent = SentIn(timeline_[i], ingest);
      if (!sent.connected) return {Cause::kIngestLost, Message{"loss.connection-gone"}};
      least = std::min(least, sent.acknowledged_kbps);
      waiting = std::max(waiting, sent.waiting_seconds);
      blocked = std::max(blocked, sent.blocked_share);
    }
    const double sent_kbps = StreamKbps(ingest);
    if (least < sent_kbps * kPoorLine || waiting > kOldToSend || blocked > kBlocked)
      return {Cause::kUplink,
              Message{"loss.uplink", {{"kbps", least}, {"sent_kbps", sent_kbps}, {"waited", waiting}}},
              {},
              least};
    return {Cause::kUnknown, Message{"loss.unexplained"}};
  }

  Finding DiskFinding(std::size_t at) const {
    if (disk_full_) return {Cause::kDiskFull, Message{"loss.disk-full"}};
    if (!disk_trouble_.empty()) return {Cause::kDisk, Message{"loss.recording-stopped", {{"error", disk_trouble_}}}};
    const RehearsalSecond& s = timeline_[at];
    return {Cause::kDisk,
            Message{"loss.slow-disk", {{"waited", s.disk_waiting_seconds}, {"longest_write_ms", s.longest_write_ms}}}};
  }

  int SkippedBy(const PacedOutputOutcome& encode, std::size_t at) const {
    const double from_ms = timeline_[at].start_seconds * 1e3;
    return static_cast<int>(
        std::count_if(encode.frame_times.begin(), encode.frame_times.end(), [&](const PacedFrame& frame) {
          return frame.skipped() && frame.due_ms >= from_ms && frame.due_ms < from_ms + 1e3;
        }));
  }

  // All that was to come after an encoder gave up; of several streams, the one that lost most in that second counts.
  std::optional<Finding> FailureFinding(Loss loss, std::size_t at) const {
    const bool of_stream = loss == Loss::kSkippedStream;
    if (!of_stream && loss != Loss::kSkippedRecording) return std::nullopt;
    const PacedOutputOutcome* encode = of_stream ? &outcome_.stream : &outcome_.recording;
    for (const PacedOutputOutcome& further : outcome_.further)
      if (of_stream && SkippedBy(further, at) > SkippedBy(*encode, at)) encode = &further;
    if (encode->failed.empty() || timeline_[at].start_seconds + 1 <= encode->failed_seconds) return std::nullopt;
    return Finding{of_stream ? Cause::kStreamFailed : Cause::kRecordingFailed,
                   Message{"loss.encoder-failed", {{"seconds", encode->failed_seconds}, {"error", encode->failed}}}};
  }

  // Whether as much was stolen in the seconds in a row with that loss as the frames lost in them last.
  bool StolenTimeExplains(Loss loss, std::size_t at) const {
    const FrameRate rate = loss == Loss::kSkippedStream ? plan_.stream.frame_rate : plan_.recording.frame_rate;
    std::size_t first = at, last = at;
    while (first > 0 && LostIn(timeline_[first - 1], loss) > 0) --first;
    while (last + 1 < timeline_.size() && LostIn(timeline_[last + 1], loss) > 0) ++last;
    double stolen_seconds = 0;
    int lost = 0;
    for (std::size_t i = first; i <= last; ++i) {
      stolen_seconds += timeline_[i].stolen_cores;
      lost += LostIn(timeline_[i], loss);
    }
    return stolen_seconds >= lost / rate.fps();
  }

  // How full the processors were: no fuller than full, though a second in which the whole machine stood still may be
  // charged with more.
  Message Fullness(const RehearsalSecond& s) const {
    const double busy = std::min(Busy(s), facts_.cpu_cores);
    if (s.game_cores < kMuchOfOthers) return Message{"loss.in-use", {{"cores", busy}, {"all_cores", facts_.cpu_cores}}};
    return Message{"loss.in-use-with-game",
                   {{"cores", busy}, {"all_cores", facts_.cpu_cores}, {"game_cores", s.game_cores}}};
  }

  Finding MachineFinding(Loss loss, std::size_t at) const {
    // Of the second and the one before it the fuller: what fills a queue may be over when a frame is lost.
    const RehearsalSecond* fullest = &timeline_[at];
    if (at > 0 && Busy(timeline_[at - 1]) > Busy(*fullest)) fullest = &timeline_[at - 1];
    const RehearsalSecond& s = *fullest;
    const double busy = Busy(s);
    const Message full = Fullness(s);
    const Cause encoder = loss == Loss::kSkippedStream ? Cause::kStreamEncoder : Cause::kRecordingEncoder;
    const bool on_gpu = loss == Loss::kSkippedStream      ? facts_.stream_on_gpu
                        : loss == Loss::kSkippedRecording ? facts_.recording_on_gpu
                                                          : false;
    const double engine = std::max(s.encoder_share, timeline_[at].encoder_share);
    if (on_gpu && engine >= kFull) return {encoder, Message{"loss.engine-busy", {{"percent", engine * 100}}}};
    // An engine of its own waits for no processor unless all are taken.
    const bool is_full = busy >= kFull * facts_.cpu_cores;
    const double more_by_game = s.game_cores - usual_game_;
    if (s.stolen_cores >= kMuchStolen && s.stolen_cores >= std::max(s.busiest_cores, more_by_game) &&
        (is_full || (!on_gpu && StolenTimeExplains(loss, at))))
      return {Cause::kStolen, Message{"loss.stolen-time", {{"full", full}, {"cores", s.stolen_cores}}}};
    if (is_full) {
      if (const auto taken = TakenByAnother(s, full)) return *taken;
      if (loss == Loss::kLate) return {Cause::kSourceStarved, Message{"loss.starved-capture", {{"full", full}}}};
      if (!on_gpu && !facts_.recording_on_gpu && loss == Loss::kSkippedStream && s.recording_cores > s.stream_cores)
        return {Cause::kRecordingEncoder,
                Message{"loss.recording-took-more",
                        {{"full", full}, {"recording", s.recording_cores}, {"stream", s.stream_cores}}}};
    } else if (timeline_[at].late > 0 || (at > 0 && timeline_[at - 1].late > 0)) {
      return {Cause::kSourceHeldUp,
              Message{loss == Loss::kLate ? "loss.late-with-room" : "loss.delayed-frames", {{"full", full}}}};
    }
    return {encoder, Message{on_gpu ? "loss.engine-too-slow" : "loss.queue-full", {{"full", full}}}};
  }

  // Of a full machine: who else took what was missing.
  std::optional<Finding> TakenByAnother(const RehearsalSecond& s, const Message& full) const {
    if (!s.busiest.empty() && s.busiest_cores >= kMuchOfOthers)
      return Finding{
          Cause::kOtherProgram,
          Message{"loss.other-program", {{"full", full}, {"program", s.busiest}, {"cores", s.busiest_cores}}},
          s.busiest};
    if (s.other_cores >= kMuchOfOthers)  // what lives shorter than a second is nowhere by name
      return Finding{Cause::kOtherProgram,
                     Message{"loss.short-lived-programs", {{"full", full}, {"cores", s.other_cores}}}};
    if (s.game_cores > usual_game_ * 1.2 + 0.1)
      return Finding{Cause::kGame,
                     Message{"loss.game", {{"full", full}, {"cores", s.game_cores}, {"usual_cores", usual_game_}}}};
    return std::nullopt;
  }

  const RehearsalOutcome& outcome_;
  const std::vector<RehearsalSecond>& timeline_;
  const std::vector<IngestOutcome>& ingests_;
  const DiagnosisFacts& facts_;
  const PlanFile& plan_;
  double usual_game_ = 0;
  bool disk_full_ = false;
  std::string disk_trouble_;  // why a recording ended early
};

}  // namespace

const char* Name(Loss loss) {
  switch (loss) {
    case Loss::kLate: return "late";
    case Loss::kSkippedStream: return "skipped (stream)";
    case Loss::kSkippedRecording: return "skipped (recording)";
    case Loss::kDropped: return "dropped";
    case Loss::kStalled: return "stalled";
  }
  return "";
}

const char* Name(Cause cause) {
  switch (cause) {
    case Cause::kSourceStarved: return "the source is starved";
    case Cause::kSourceHeldUp: return "the source was held up";
    case Cause::kStreamEncoder: return "the stream's encoder";
    case Cause::kRecordingEncoder: return "the recording's encoder";
    case Cause::kStreamFailed: return "the stream's encoder failed";
    case Cause::kRecordingFailed: return "the recording's encoder failed";
    case Cause::kGame: return "the game";
    case Cause::kGameLoses: return "the game loses frames to the encodes";
    case Cause::kOtherProgram: return "another program";
    case Cause::kStolen: return "the hypervisor";
    case Cause::kUplink: return "the uplink";
    case Cause::kIngestLost: return "the ingest was lost";
    case Cause::kDisk: return "the disk";
    case Cause::kDiskFull: return "the disk is full";
    case Cause::kUnknown: return "not known";
  }
  return "";
}

namespace {

// Joins seconds to stretches, and counts what each cause took.
class Tally {
 public:
  Tally(const RehearsalOutcome& outcome, const DiagnosisFacts& facts, const PlanFile& plan)
      : outcome_(outcome), facts_(facts), plan_(plan), judge_(outcome, facts, plan) {}

  Diagnosis Take() {
    for (const Loss loss : {Loss::kLate, Loss::kSkippedStream, Loss::kSkippedRecording, Loss::kStalled})
      NoteAll(loss, std::nullopt);
    if (outcome_.ingests.size() < 2) NoteAll(Loss::kDropped, std::nullopt);
    for (std::size_t i = 0; outcome_.ingests.size() > 1 && i < outcome_.ingests.size(); ++i) NoteAll(Loss::kDropped, i);
    std::stable_sort(diagnosis_.stretches.begin(), diagnosis_.stretches.end(),
                     [](const LossStretch& a, const LossStretch& b) { return a.from_seconds < b.from_seconds; });
    NoteWhatCostNoFrame();
    if (facts_.GameLosesTooMuch())
      lost_[{Cause::kGameLoses, "", ""}].frames =
          static_cast<int>(std::lround((facts_.game->alone_fps - facts_.game->beside_fps) * outcome_.seconds));
    AddCures();
    return std::move(diagnosis_);
  }

 private:
  struct Lost {
    int frames = 0;
    double line_kbps = 1e9;
  };
  using Reason = std::tuple<Cause, std::string, std::string>;  // with program and ingest

  std::string NameOf(std::optional<std::size_t> ingest) const { return ingest ? outcome_.ingests[*ingest].name : ""; }

  void NoteAll(Loss loss, std::optional<std::size_t> ingest) {
    for (std::size_t i = 0; i < outcome_.timeline.size(); ++i) {
      const RehearsalSecond& second = outcome_.timeline[i];
      const int frames = loss == Loss::kDropped ? SentIn(second, ingest).dropped : LostIn(second, loss);
      if (frames > 0 || judge_.Strains(loss, i, ingest)) Note(loss, i, frames, ingest);
    }
  }

  void Note(Loss loss, std::size_t i, int frames, std::optional<std::size_t> ingest) {
    const Finding finding = judge_.FindingFor(loss, i, ingest);
    Lost& to_it = lost_[{finding.cause, finding.program, NameOf(ingest)}];
    to_it.frames += frames;
    if (finding.cause == Cause::kUplink) to_it.line_kbps = std::min(to_it.line_kbps, finding.line_kbps);
    const double from = outcome_.timeline[i].start_seconds;
    auto& stretches = diagnosis_.stretches;
    const bool goes_on = !stretches.empty() && stretches.back().loss == loss &&
                         stretches.back().cause == finding.cause && stretches.back().program == finding.program &&
                         stretches.back().ingest == NameOf(ingest) && from - stretches.back().to_seconds < 1.5;
    if (!goes_on)
      stretches.push_back({loss, finding.cause, from, from, 0, finding.program, NameOf(ingest), finding.why});
    stretches.back().to_seconds = from + 1;
    stretches.back().frames += frames;
  }

  // It is still no show.
  void NoteWhatCostNoFrame() {
    for (std::size_t i = 0; i < outcome_.ingests.size(); ++i)
      if (outcome_.ingests[i].connection_losses > 0)
        lost_[{Cause::kIngestLost, "", outcome_.ingests.size() > 1 ? NameOf(i) : ""}];
    const auto failed = [](const PacedOutputOutcome& encode) { return !encode.failed.empty(); };
    if (failed(outcome_.stream) || std::any_of(outcome_.further.begin(), outcome_.further.end(), failed))
      lost_[{Cause::kStreamFailed, "", ""}];
    if (!outcome_.recording.failed.empty()) lost_[{Cause::kRecordingFailed, "", ""}];
    for (const RehearsalFile& file : outcome_.files)
      if (!file.trouble.empty()) lost_[{file.disk_full ? Cause::kDiskFull : Cause::kDisk, "", ""}];
  }

  // Which of the stream's encodes goes there.
  int StreamTo(const std::string& ingest) const {
    const auto at = std::find_if(outcome_.ingests.begin(), outcome_.ingests.end(),
                                 [&](const IngestOutcome& other) { return other.name == ingest; });
    return at == outcome_.ingests.end() ? 0 : at->stream;
  }

  // Your own uplink carried the rest.
  bool OthersWentOn(const std::string& ingest) const {
    return std::none_of(lost_.begin(), lost_.end(), [&](const auto& other) {
      return std::get<Cause>(other.first) == Cause::kUplink && std::get<2>(other.first) != ingest;
    });
  }

  void AddCures() {
    for (const auto& [reason, all] : lost_) {
      const auto& [cause, program, ingest] = reason;
      Diagnosis::Cure cure = CureFor(cause, program, all.line_kbps, plan_, StreamTo(ingest));
      if (cause == Cause::kUplink && !ingest.empty() && OthersWentOn(ingest))
        cure = {cause, 0, Message{"cure.only-that-way", {{"ingest", ingest}}}};
      cure.frames = all.frames;
      cure.ingest = ingest;
      diagnosis_.cures.push_back(std::move(cure));
    }
    std::stable_sort(diagnosis_.cures.begin(), diagnosis_.cures.end(),
                     [](const Diagnosis::Cure& a, const Diagnosis::Cure& b) { return a.frames > b.frames; });
  }

  const RehearsalOutcome& outcome_;
  const DiagnosisFacts& facts_;
  const PlanFile& plan_;
  const Judge judge_;
  std::map<Reason, Lost> lost_;
  Diagnosis diagnosis_;
};

}  // namespace

Diagnosis Diagnose(const RehearsalOutcome& outcome, const DiagnosisFacts& facts, const PlanFile& plan) {
  return Tally(outcome, facts, plan).Take();
}

}  // namespace kettle
