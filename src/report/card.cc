// SPDX-License-Identifier: Apache-2.0
#include "report/card.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "kettle/encoders/catalogue.h"
#include "report/wrap.h"

namespace kettle {

namespace {

constexpr std::size_t kColumns = 100, kReasonColumn = 42;

// One setting with its reason, the reason wrapped under itself.
std::string CardLine(const std::string& name, const std::string& value, const std::string& why) {
  std::string text = fmt::format("  {:<18}{:<22}", name, value);
  if (text.size() > kReasonColumn) text += "  ";
  text += Wrap(why, text.size(), kReasonColumn, kColumns);
  while (!text.empty() && text.back() == ' ') text.pop_back();
  return text + "\n";
}

std::string Why(const Plan& plan, const std::string& choice) {
  const auto& reasons = plan.targets.reasons;
  const auto found = std::find_if(reasons.begin(), reasons.end(), [&](const Because& r) { return r.choice == choice; });
  return found == reasons.end() ? "" : found->why;
}

std::string Encode(const Plan& plan, const Option& option, const std::string& role) {
  const EncodeSettings& s = option.settings;
  const EncoderFamily& family = FindFamily(s.encoder);
  const bool constant = s.rate_control == RateControl::kConstantBitRate;
  std::string text;
  text += CardLine("encoder", s.encoder,
                   fmt::format("{}{}{}", family.title, option.device_name.empty() ? "" : ": " + option.device_name,
                               option.simulated ? "; SIMULATED here" : ""));
  text += CardLine("preset", s.preset,
                   fmt::format("{:.0f} frames a second alone: {:.0f} % headroom; {:.2f} dB MS-SSIM",
                               option.throughput_fps, option.headroom * 100, option.score));
  text += CardLine("size", s.size.str(), Why(plan, role + ".size"));
  text += CardLine("frame rate", s.frame_rate.str(), Why(plan, role + ".frame_rate"));
  text += CardLine("rate control", Name(s.rate_control), Why(plan, role + ".rate_control"));
  if (IsQuality(s.rate_control)) {
    text += CardLine("quality level", fmt::format("{}", s.quality_level.value_or(family.quality.usual)),
                     Why(plan, role + ".quality_level"));
    text += CardLine("it then takes", fmt::format("{:.0f} kbit/s", option.mean_kbps), Why(plan, role + ".bit_rate"));
  } else {
    text += CardLine("bit rate", s.bit_rate.str(), Why(plan, role + ".bit_rate"));
    if (!constant) text += CardLine("maximum bit rate", s.maximum_bit_rate.str(), "for hard scenes");
    text += CardLine("buffer", fmt::format("{:.0f} kbit", s.maximum_bit_rate.kbps() * s.buffer_seconds),
                     fmt::format("{:g} s at the maximum bit rate", s.buffer_seconds));
  }
  text += CardLine(
      "keyframe interval",
      fmt::format("{:g} s ({} frames)", s.keyframe_seconds, std::lround(s.keyframe_seconds * s.frame_rate.fps())),
      role == "stream" ? Why(plan, "stream.keyframe_seconds") : "for seeking and cutting");
  text += CardLine("B-frames", fmt::format("{}", option.b_frames),
                   !s.b_frames ? "as this preset made them; leave the preset's own setting"
                   : role == "stream" && s.b_frames == plan.targets.most_b_frames
                       ? Why(plan, "stream.b_frames")
                       : "measured: better than the preset's own");
  if (s.look_ahead_frames)
    text += CardLine("look-ahead", fmt::format("{} frames", *s.look_ahead_frames),
                     "measured: better than the preset's own");
  if (s.multi_pass)
    text += CardLine("multi-pass", *s.multi_pass ? "on" : "off", "measured: better than the preset's own");
  text += CardLine("profile", "high", "H.264 High, 8-bit 4:2:0");
  return text;
}

std::string ProofLine(const Proof& proof) {
  return fmt::format(
      "  {:g} s of both encodes at once in real time: stream {} frames, {} skipped; recording {} frames, {} skipped;\n"
      "  {} late at the source. Verdict: {}.\n",
      proof.seconds, proof.stream.frames, proof.stream.skipped, proof.recording.frames, proof.recording.skipped,
      proof.late, proof.holds() ? "keeps pace" : "does not keep pace");
}

// A plan that keeps pace with less room than the show asks for is no plan to trust.
std::string TightLine(const Plan& plan) {
  if (plan.verdict() != PlanVerdict::kTight) return "";
  const Attempt& proven = plan.proving.attempts.back();
  const double alone = std::min(proven.pair.stream.headroom, proven.pair.recording.headroom);
  const double left = std::min({alone, proven.room(plan.capacity), 1 - proven.pair.demand.engine_share});
  return fmt::format(
      "TIGHT: it keeps pace, but with {:.0f} % headroom where the show asks for {:.0f} %: anything more that the\n"
      "machine has to do costs frames. Ask for a smaller picture or fewer frames, or rehearse it for long.\n",
      std::max(0.0, left) * 100, plan.capacity.headroom * 100);
}

// Who goes before whom, by the niceness that the proof run's threads had.
std::string Order(const Proof& proof) {
  const int stream = proof.stream.niceness, recording = proof.recording.niceness;
  const bool as_one = stream == recording;
  const std::string encode = fmt::format("{} (niceness {})", as_one ? "both encodes" : "the stream", stream),
                    rest = as_one ? "" : fmt::format(", then the recording ({})", recording);
  if (stream > 0) return "the game first, then " + encode + rest;
  if (stream < 0) return encode + " first, then the game" + rest;
  return "the game and " + encode + " alike, as this user may put nothing before a game (ulimit -e)" + rest;
}

// What became of the processors, and of the other way to share them.
std::string SharingLine(const Plan& plan) {
  const auto latency = [](const Attempt& attempt) {
    const PacedOutputOutcome& stream = attempt.proof.stream;
    const int skipped = stream.skipped + attempt.proof.recording.skipped;
    return fmt::format("{:.0f} ms{}", stream.latency.p99_ms,
                       skipped > 0 ? fmt::format(", and {} frames were skipped", skipped) : "");
  };
  const auto divided = [](const CoreShares& cores) {
    return fmt::format("divided, the stream on processor {}, the recording on {}", fmt::join(cores.stream, ", "),
                       fmt::join(cores.recording, ", "));
  };
  const Attempt& taken = plan.proving.attempts.back();
  std::string text = fmt::format("processors: {}; {}",
                                 taken.pair.cores.divided() ? divided(taken.pair.cores) : "shared", Order(taken.proof));
  if (plan.other_sharing) {
    const CoreShares& other = plan.other_sharing->pair.cores;
    text += fmt::format("; the stream's packets took {} (p99); {}: {}", latency(taken),
                        other.divided() ? divided(other) : "shared", latency(*plan.other_sharing));
  }
  return "  " + Wrap(text, 2, 2, kColumns) + "\n";
}

std::string PlacementLine(const Plan& plan) {
  const Pair& pair = *plan.chosen;
  std::string text = fmt::format(
      "stream on the {}, recording on the {}; predicted from the trials of each alone, on the clip that takes most: "
      "{:.2f} of {:g} cores",
      pair.stream.place(), pair.recording.place(), pair.demand.cpu_cores, plan.capacity.cpu_cores);
  if (pair.demand.engine_share > 0)
    text += fmt::format(" and {:.0f} % of the GPU's engine", pair.demand.engine_share * 100);
  if (pair.demand.stand_in_cores > 0)
    text += fmt::format(", the simulated GPU's own {:.2f} cores included", pair.demand.stand_in_cores);
  const Proof& proof = plan.proving.attempts.back().proof;
  text += fmt::format("; the proof run, with all clips, took {:.2f} cores, {:.2f} in its busiest second",
                      proof.cpu_cores + proof.stand_in_cores, proof.busiest_cpu_cores + proof.stand_in_cores);
  if (const double memory = plan.capacity.memory_bytes_per_second; memory > 0)
    text += fmt::format("; pictures move at least {:.1f} of {:.0f} GB/s of memory",
                        pair.demand.memory_bytes_per_second / 1e9, memory / 1e9);
  return "  " + Wrap(text, 2, 2, kColumns) + "\n" + SharingLine(plan);
}

std::string SimulatedLine(const Plan& plan) {
  if (!plan.simulated) return "";
  if (plan.chosen && !plan.chosen->stream.simulated && !plan.chosen->recording.simulated)
    return "SIMULATED: the GPU that this plan was weighed against is a stand-in; both encodes chosen are real.\n";
  return "SIMULATED: the GPU is a stand-in; its figures say nothing about a real card. Not for going live.\n";
}

std::string DisturbedLine(const Plan& plan) {
  if (plan.proving.attempts.empty() || !plan.proving.attempts.back().proof.disturbed()) return "";
  const Proof& proof = plan.proving.attempts.back().proof;
  return fmt::format(
      "  - the machine was disturbed during the proof run: {} frames late at the source, {:.1f} cores taken by the\n"
      "    hypervisor, {:.1f} by other programs; plan again with --fresh when it is quiet\n",
      proof.late, proof.stolen_cores, proof.other_cores);
}

std::string ContainerLine(const std::string& container) {
  if (container == "mp4")
    return CardLine("container", "mp4 (.mp4)",
                    "opens everywhere, but a crash costs the whole file: its index is written at the end");
  if (container == "fragmented-mp4")
    return CardLine("container", "fragmented MP4 (.mp4)",
                    "a crash costs the last moments, not the file; most editors open it");
  return CardLine("container", "matroska (.mkv)",
                  "a crash costs the last moments, not the file; rewrap to MP4 afterwards");
}

std::string DiskLines(const Plan& plan, const Show& show) {
  const double gb_an_hour = static_cast<double>(plan.recording_rate().bits_per_second) / 8 * 3600 / 1e9;
  std::string text = CardLine("disk space", fmt::format("{:.1f} GB", gb_an_hour * show.recording_hours),
                              fmt::format("for {:g} hours, {:.1f} GB an hour", show.recording_hours, gb_an_hour));
  if (!plan.disk) return text;
  text += CardLine(
      "hours that fit", fmt::format("{:.0f}", plan.disk->hours_at(plan.recording_rate())),
      fmt::format("{:.0f} GB are free in {}", static_cast<double>(plan.disk->free_bytes) / 1e9, plan.disk->folder));
  if (plan.disk->write_rate)
    text +=
        CardLine("the disk takes", fmt::format("{:.0f} MB/s", plan.disk->write_rate->slowest_bytes_per_second / 1e6),
                 fmt::format("measured, at its slowest; the recording needs {:.1f} in its busiest second",
                             plan.chosen->recording.peak_second_kbps / 8000));
  return text;
}

std::string ColourLines(const ColourCheck& check) {
  const ColourStage& source = check.stages.front();
  std::string others;
  for (const ColourStage& stage : check.stages)
    if (std::find(check.strays.begin(), check.strays.end(), stage.stage) != check.strays.end())
      others += fmt::format("{}the {} says {}, {}, {}", others.empty() ? "" : "; ", stage.stage, stage.pixel_format,
                            stage.matrix, stage.range);
  const std::string range = source.range == "tv" ? "limited" : source.range == "pc" ? "full" : source.range;
  return CardLine("pixel format", source.pixel_format, "8-bit 4:2:0") +
         CardLine("matrix, range", source.matrix + ", " + range,
                  others.empty() ? fmt::format("said the same by source, stream and recording; who takes it for BT.601 "
                                               "sees colours wrong by {:.1f} grey levels in the mean, {:.0f} at most",
                                               check.error.mean, check.error.most)
                                 : others) +
         CardLine("conversion", fmt::format("{:.2f} cores", check.conversion_cores),
                  "measured: from R'G'B', as screens are captured, to that");
}

// Settings that were proven on an idle machine prove nothing beside a game: say what was running.
std::string LoadLine(const Plan& plan, const Show& show) {
  if (!show.load.empty()) return "";  // a declared load is told among the warnings
  return fmt::format(
      "  - other programs took {:.1f} of {:g} cores during the proof run; if your game was not running, capture what\n"
      "    it takes (fast-kettle load capture) and plan again with --load\n",
      plan.proving.attempts.back().proof.other_cores, plan.capacity.cpu_cores);
}

}  // namespace

std::string SettingsCard(const Plan& plan, const Show& show) {
  std::string text = fmt::format("{}\nSettings card by Fast Kettle\n", plan.title);
  text += SimulatedLine(plan);
  if (!plan.chosen) {
    text += "\nNo plan: nothing that was tried keeps pace on this machine.\n" + DisturbedLine(plan);
    if (!plan.nearest.empty()) text += fmt::format("Nearest thing that would: {}.\n", plan.nearest);
    return text;
  }
  text += TightLine(plan);
  text += "\nSTREAM\n" + Encode(plan, plan.chosen->stream, "stream");
  text += "\nRECORDING\n" + Encode(plan, plan.chosen->recording, "recording");
  text += ContainerLine(show.recording_container);
  text += DiskLines(plan, show);
  text += "\nCOLOUR AND SOUND\n";
  if (plan.colour) text += ColourLines(*plan.colour);
  text += CardLine("sound", plan.targets.audio.str(), Why(plan, "sound.bit_rate"));
  text += CardLine("sample rate", "48 kHz", Why(plan, "sound.sample_rate"));
  text += "\nPLACEMENT\n" + PlacementLine(plan);
  text += "\nPROOF\n" + ProofLine(plan.proving.attempts.back().proof);
  text += "\nMIND\n" + LoadLine(plan, show) + DisturbedLine(plan);
  for (const std::string& warning : plan.targets.warnings) text += "  - " + warning + "\n";
  return text;
}

}  // namespace kettle
