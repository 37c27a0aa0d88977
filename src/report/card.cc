// SPDX-License-Identifier: Apache-2.0
#include "report/card.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "kettle/encoders/catalogue.h"
#include "report/card_reasons.h"
#include "report/sentence.h"
#include "report/wrap.h"

namespace kettle {

namespace {

std::string Row(const std::string& name, const std::string& stream, const std::string& recording) {
  std::string text = fmt::format("{:<16}{:<31}{}", name, stream, recording);
  while (!text.empty() && text.back() == ' ') text.pop_back();
  return text + "\n";
}

std::string Device(const Option& option) {
  std::string place = option.device == "gpu" ? "GPU" : "CPU";
  if (option.simulated) place += ", simulated";
  return fmt::format("{} ({})", option.settings.encoder, place);
}

// Which graphics card, by its name; "" on processors, or where it has none.
std::string CardName(const Option& option) {
  std::string name = option.card_name();
  constexpr std::string_view kMark = " (simulated)";  // the encoder's row says it
  if (name.ends_with(kMark)) name.resize(name.size() - kMark.size());
  return name;
}

std::string CardRow(const Option& stream, const Option* recording) {
  const std::string of_stream = CardName(stream), of_recording = recording ? CardName(*recording) : "";
  if (of_stream.empty() && of_recording.empty()) return "";
  const auto told = [](const std::string& name) { return name.empty() ? "-" : name; };
  return Row("graphics card", told(of_stream), recording ? told(of_recording) : "");
}

std::string Codec(const Option& option) { return CodecTitle(FindFamily(option.settings.encoder).codec); }

// What the encoder is asked for: the usual profile of its codec.
std::string ProfileOf(const Option& option) {
  if (!option.settings.profile.empty()) return option.settings.profile;
  const EncoderFamily& family = FindFamily(option.settings.encoder);
  return family.profiles.empty() ? "the usual" : family.profiles.front().name;
}

// How the stream reaches the destination; codecs later than H.264 need a service that speaks Enhanced RTMP.
std::string Carried(const Option& stream) {
  return FindFamily(stream.settings.encoder).codec == "h264" ? "FLV" : "FLV (Enhanced RTMP)";
}

std::string Rate(const Option& option) {
  const EncodeSettings& s = option.settings;
  if (IsQuality(s.rate_control))
    return fmt::format("level {}, about {:.0f} kbit/s", s.quality_level.value_or(FindFamily(s.encoder).quality.usual),
                       option.mean_kbps);
  if (s.rate_control == RateControl::kConstantBitRate) return s.bit_rate.str();
  return fmt::format("{:.0f} kbit/s, at most {:.0f}", s.bit_rate.kbps(), s.maximum_bit_rate.kbps());
}

std::string Buffer(const EncodeSettings& s) {
  if (IsQuality(s.rate_control)) return "none";
  return fmt::format("{:.0f} kbit ({:g} s)", s.maximum_bit_rate.kbps() * s.buffer_seconds, s.buffer_seconds);
}

std::string Keyframes(const EncodeSettings& s) {
  return fmt::format("every {:g} s ({} frames)", s.keyframe_seconds,
                     std::lround(s.keyframe_seconds * s.frame_rate.fps()));
}

std::string BFrames(const Option& option) {
  return option.settings.b_frames ? fmt::format("{}", *option.settings.b_frames)
                                  : fmt::format("preset's own ({})", option.b_frames);
}

std::string Container(const std::string& container) {
  if (container == "none") return "none: nothing is recorded";
  if (container == "mp4") return "MP4 (.mp4)";
  return container == "fragmented-mp4" ? "fragmented MP4 (.mp4)" : "Matroska (.mkv)";
}

// One encode's settings below each other, without its container.
std::string OneColumn(const std::string& title, const Option& stream) {
  const EncodeSettings& s = stream.settings;
  std::string text = Row("", title, "") + Row("encoder", Device(stream), "") + CardRow(stream, nullptr) +
                     Row("codec", Codec(stream), "") + Row("preset", s.preset, "") + Row("size", s.size.str(), "") +
                     Row("frame rate", s.frame_rate.str(), "") + Row("rate control", Name(s.rate_control), "") +
                     Row("rate", Rate(stream), "") + Row("buffer", Buffer(s), "") + Row("keyframes", Keyframes(s), "") +
                     Row("B-frames", BFrames(stream), "") + Row("profile", ProfileOf(stream), "");
  if (s.look_ahead_frames) text += Row("look-ahead", fmt::format("{} frames", *s.look_ahead_frames), "");
  if (s.multi_pass) text += Row("multi-pass", *s.multi_pass ? "on" : "off", "");
  return text;
}

// Where the stream's encode is recorded.
std::string OneEncode(const Plan& plan) {
  const Option& stream = plan.chosen->stream;
  const bool recorded = plan.container != "none";
  const std::string text = OneColumn(recorded ? "STREAM AND RECORDING" : "STREAM", stream);
  if (!recorded) return text + Row("container", Carried(stream), "") + "Nothing is recorded, as the show says.\n";
  return text +
         Row("container", Carried(stream) + " to the destination, " + Container(plan.container) + " to the disk", "") +
         "One encode for both: set the recording to use the stream's encoder.\n";
}

// Encodes for destinations that do not get the first one.
std::string FurtherStreams(const Plan& plan) {
  const Pair& pair = *plan.chosen;
  if (pair.further.empty()) return "";
  std::string text = fmt::format("The stream above goes to {}.\n", fmt::join(pair.destinations, ", "));
  for (const FurtherStream& further : pair.further)
    text += "\n" + OneColumn(fmt::format("STREAM TO {}", fmt::join(further.destinations, ", ")), further.option) +
            Row("container", Carried(further.option), "");
  return text;
}

// What to type in: a row a setting, a column an encode.
std::string TwoColumns(const Plan& plan) {
  if (plan.chosen->one_encode) return OneEncode(plan);
  const Option &stream = plan.chosen->stream, &recording = plan.chosen->recording;
  const EncodeSettings &s = stream.settings, &r = recording.settings;
  std::string text =
      Row("", "STREAM", "RECORDING") + Row("encoder", Device(stream), Device(recording)) + CardRow(stream, &recording) +
      Row("codec", Codec(stream), Codec(recording)) + Row("preset", s.preset, r.preset) +
      Row("size", s.size.str(), r.size.str()) + Row("frame rate", s.frame_rate.str(), r.frame_rate.str()) +
      Row("rate control", Name(s.rate_control), Name(r.rate_control)) + Row("rate", Rate(stream), Rate(recording)) +
      Row("buffer", Buffer(s), Buffer(r)) + Row("keyframes", Keyframes(s), Keyframes(r)) +
      Row("B-frames", BFrames(stream), BFrames(recording)) + Row("profile", ProfileOf(stream), ProfileOf(recording));
  if (s.look_ahead_frames) text += Row("look-ahead", fmt::format("{} frames", *s.look_ahead_frames), "preset's own");
  if (s.multi_pass) text += Row("multi-pass", *s.multi_pass ? "on" : "off", "preset's own");
  return text + Row("container", Carried(stream), Container(plan.container));
}

std::string Settings(const Plan& plan) { return TwoColumns(plan) + FurtherStreams(plan); }

std::string SimulatedLine(const Plan& plan) {
  if (!plan.simulated) return "";
  if (plan.chosen && !plan.chosen->stream.simulated && !plan.chosen->recording.simulated)
    return "SIMULATED: this plan was compared with a simulated GPU; both chosen encodes are real.\n";
  return "SIMULATED: the GPU is a stand-in; its figures say nothing about a real card.\nNot for going live.\n";
}

double HeadroomLeft(const Plan& plan) {
  const Attempt& proven = plan.proving.attempts.back();
  double alone = std::min(proven.pair.stream.headroom, proven.pair.recording.headroom);
  for (const FurtherStream& further : proven.pair.further) alone = std::min(alone, further.option.headroom);
  return std::max(0.0, std::min({alone, proven.room(plan.capacity), 1 - proven.pair.demand.engine_share}));
}

std::string Verdict(const Plan& plan) {
  const double left = HeadroomLeft(plan) * 100, asked = plan.capacity.headroom * 100;
  if (plan.verdict() == PlanVerdict::kTight)
    return fmt::format(
        "TIGHT: keeps pace, but with too little headroom: {:.0f} % where the show asks for {:.0f} %. Anything else "
        "that runs costs frames. Choose a smaller picture or a lower frame rate.",
        left, asked);
  if (const std::size_t further = plan.chosen->further.size(); further > 0)
    return fmt::format("HOLDS: {} streams{} keep pace, with {:.0f} % headroom.", further + 1,
                       plan.container == "none"  ? ""
                       : plan.chosen->one_encode ? ", the first of them recorded too,"
                                                 : " and the recording",
                       left);
  return fmt::format("HOLDS: {} keep{} pace, with {:.0f} % headroom.",
                     plan.container == "none"  ? "the stream"
                     : plan.chosen->one_encode ? "one encode, streamed and recorded,"
                                               : "stream and recording",
                     plan.chosen->one_encode ? "s" : "", left);
}

std::string Proved(const Plan& plan) {
  const Proof& proof = plan.proving.attempts.back().proof;
  if (!proof.further.empty()) {
    int frames = proof.stream.frames + (plan.chosen->one_encode ? 0 : proof.recording.frames),
        skipped = proof.stream.skipped + (plan.chosen->one_encode ? 0 : proof.recording.skipped);
    for (const PacedOutputOutcome& further : proof.further) {
      frames += further.frames;
      skipped += further.skipped;
    }
    return fmt::format("Proven: {:g} s of all at once in real time: {} of {} frames encoded.", proof.seconds,
                       frames - skipped, frames);
  }
  if (plan.chosen->one_encode)
    return fmt::format("Proven: {:g} s in real time: {} of {} frames encoded.", proof.seconds,
                       proof.stream.frames - proof.stream.skipped, proof.stream.frames);
  return fmt::format(
      "Proven: {:g} s of both at once in real time: {} of {} stream frames and {} of {} recording frames "
      "encoded.",
      proof.seconds, proof.stream.frames - proof.stream.skipped, proof.stream.frames,
      proof.recording.frames - proof.recording.skipped, proof.recording.frames);
}

std::string DisturbedLine(const Plan& plan) {
  if (plan.proving.attempts.empty() || !plan.proving.attempts.back().proof.disturbed()) return "";
  const Proof& proof = plan.proving.attempts.back().proof;
  return CardNote(
      fmt::format("The machine was disturbed during the proof run: {} frames late at the source, {:.1f} cores "
                  "taken by the hypervisor, {:.1f} by other programs. Plan again with --fresh when it is quiet.",
                  proof.late, proof.stolen_cores, proof.other_cores));
}

// Settings that were proven on an idle machine prove nothing beside a game: say what was running.
std::string LoadLine(const Plan& plan) {
  if (plan.under_load) return "";  // a declared load is told among the warnings
  return CardNote(fmt::format(
      "Other programs used {:.1f} of {:g} cores during the proof run. If your game was not running, record its load "
      "with fast-kettle load capture and plan again with --load.",
      plan.proving.attempts.back().proof.other_cores, plan.capacity.cpu_cores));
}

std::string Notes(const Plan& plan) {
  std::string text = "\nNOTES\n" + LoadLine(plan) + DisturbedLine(plan);
  for (const Message& warning : plan.targets.warnings) text += CardNote(Sentence(warning));
  return text;
}

}  // namespace

bool HasWhatACardTells(const Plan& plan) {
  return !plan.chosen || (!plan.proving.attempts.empty() && (!plan.colour || !plan.colour->stages.empty()));
}

std::string CardNote(const std::string& text) { return "- " + Wrap(text, 2, 2, kCardColumns) + "\n"; }

namespace {

// The first screen.
std::string Head(const Plan& plan) {
  std::string text = fmt::format("{}: settings card by Fast Kettle\n", plan.title) + SimulatedLine(plan);
  if (!plan.chosen) {
    const std::string disturbed = DisturbedLine(plan);
    text += disturbed.empty() ? "\nNO PLAN: nothing that was tried keeps pace on this machine.\n"
                              : "\nNO PLAN: nothing kept pace, but the machine was disturbed.\n" + disturbed;
    if (!plan.nearest.empty())
      text += Wrap(fmt::format("Nearest settings that would: {}.", Sentence(plan.nearest)), 0, 0, kCardColumns) + "\n";
    return text;
  }
  text += Wrap(Verdict(plan), 0, 0, kCardColumns) + "\n\n" + Settings(plan) + "\n";
  text += Wrap(Proved(plan), 0, 0, kCardColumns) + "\n";
  text += "Next:   type these in, start your game, then fast-kettle rehearse plan.json\n";
  return text;
}

}  // namespace

std::string SettingsCard(const Plan& plan) {
  if (!plan.chosen) return Head(plan);
  return Head(plan) + "\n" + CardReasons(plan) + Notes(plan);
}

std::string CardSummary(const Plan& plan) {
  if (!plan.chosen) return Head(plan);
  return Head(plan) + Notes(plan);
}

}  // namespace kettle
