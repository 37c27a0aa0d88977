// SPDX-License-Identifier: Apache-2.0
#include "report/card_reasons.h"

#include <fmt/format.h>

#include <algorithm>

#include "kettle/encoders/catalogue.h"
#include "report/card.h"
#include "report/looks.h"
#include "report/sentence.h"
#include "report/wrap.h"

namespace kettle {

namespace {

constexpr std::size_t kReasonColumn = 16;

// What is explained, with its reason, wrapped under itself; nothing if there is no reason.
std::string Reason(const std::string& name, const std::string& why) {
  if (why.empty()) return "";
  return fmt::format("{:<16}", name) + Wrap(why, kReasonColumn, kReasonColumn, kCardColumns) + "\n";
}

std::string Paragraph(const std::string& text) { return Wrap(text, 0, 0, kCardColumns) + "\n"; }

std::string Why(const Plan& plan, const std::string& choice) {
  const auto& reasons = plan.targets.reasons;
  const auto found = std::find_if(reasons.begin(), reasons.end(), [&](const Because& r) { return r.choice == choice; });
  return found == reasons.end() ? "" : Sentence(found->why);
}

std::string EncodeReasons(const Plan& plan, const Option& option, const std::string& role) {
  const EncodeSettings& s = option.settings;
  const EncoderFamily& family = FindFamily(s.encoder);
  const std::string refined = "measured: better than the preset's own";
  std::string text =
      Reason("encoder",
             fmt::format("{}{}", family.title, option.device_name.empty() ? "" : ": " + option.device_name)) +
      Reason("codec", Why(plan, role + ".encoder")) +
      Reason("preset", fmt::format("{:.0f} frames per second alone, {:.0f} % headroom; {}", option.throughput_fps,
                                   option.headroom * 100, Looks(option.score, option.score_interval))) +
      Reason("size", Why(plan, role + ".size")) + Reason("frame rate", Why(plan, role + ".frame_rate")) +
      Reason("rate control", Why(plan, role + ".rate_control")) +
      Reason("quality level", IsQuality(s.rate_control) ? Why(plan, role + ".quality_level") : "") +
      Reason("rate", Why(plan, role + ".bit_rate")) + Reason("keyframes", Why(plan, role + ".keyframe_seconds"));
  if (!s.b_frames)
    text += Reason("B-frames", "leave the preset's own setting");
  else
    text +=
        Reason("B-frames",
               role == "stream" && s.b_frames == plan.targets.most_b_frames ? Why(plan, "stream.b_frames") : refined);
  if (s.look_ahead_frames) text += Reason("look-ahead", refined);
  if (s.multi_pass) text += Reason("multi-pass", refined);
  return text;
}

std::string ContainerReason(const std::string& container) {
  if (container == "mp4") return "opens everywhere, but a crash loses the whole file: its index is written at the end";
  if (container == "fragmented-mp4") return "a crash loses only the last seconds; most editors open it";
  return "a crash loses only the last seconds; remux to MP4 afterwards if your editor wants it";
}

std::string DiskReasons(const Plan& plan) {
  const double gb_an_hour = static_cast<double>(plan.recording_rate().bits_per_second) / 8 * 3600 / 1e9;
  std::string space = fmt::format("{:.1f} GB an hour, {:.1f} GB for {:g} hours", gb_an_hour,
                                  gb_an_hour * plan.recording_hours, plan.recording_hours);
  if (!plan.disk) return Reason("disk space", space);
  space +=
      fmt::format("; {:.0f} GB free in {}, enough for {:.0f} hours", static_cast<double>(plan.disk->free_bytes) / 1e9,
                  plan.disk->folder, plan.disk->hours_at(plan.recording_rate()));
  std::string text = Reason("disk space", space);
  if (plan.disk->write_rate)
    text += Reason("disk speed", fmt::format("{:.0f} MB/s at its slowest; the recording needs {:.1f} MB/s at most",
                                             plan.disk->write_rate->slowest_bytes_per_second / 1e6,
                                             plan.chosen->recording.peak_second_kbps / 8000));
  return text;
}

std::string ColourReasons(const ColourCheck& check) {
  const ColourStage& source = check.stages.front();
  std::string others;
  for (const ColourStage& stage : check.stages)
    if (std::find(check.strays.begin(), check.strays.end(), stage.stage) != check.strays.end())
      others +=
          fmt::format("; the {} is marked {}, {}, {}", stage.stage, stage.pixel_format, stage.matrix, stage.range);
  const std::string range = source.range == "tv" ? "limited" : source.range == "pc" ? "full" : source.range;
  return Reason("colour", fmt::format("{}, {}, {} range{}", source.pixel_format, source.matrix, range,
                                      others.empty() ? ": source, stream and recording agree" : others)) +
         Reason("",
                fmt::format("players that assume BT.601 show colours off by {:.1f} levels on average, {:.0f} at most",
                            check.error.mean, check.error.most)) +
         Reason("conversion",
                fmt::format("{:.2f} cores to convert the captured screen from RGB", check.conversion_cores));
}

// Who goes before whom, by the niceness that the proof run's threads had.
std::string Order(const Proof& proof, bool one_encode) {
  const int stream = proof.stream.niceness, recording = proof.recording.niceness;
  const bool as_one = stream == recording && !one_encode;
  const std::string encode = fmt::format("{} (niceness {})", as_one ? "both encodes" : "the stream", stream),
                    rest = as_one || one_encode ? "" : fmt::format(", then the recording ({})", recording);
  if (stream > 0) return "the game first, then " + encode + rest;
  if (stream < 0) return encode + " first, then the game" + rest;
  return "the game and " + encode + " alike, because this user may not raise a priority (ulimit -e)" + rest;
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
  std::string text =
      fmt::format("Processors: {}; {}.", taken.pair.cores.divided() ? divided(taken.pair.cores) : "shared",
                  Order(taken.proof, taken.pair.one_encode));
  if (plan.other_sharing) {
    const CoreShares& other = plan.other_sharing->pair.cores;
    text += fmt::format(" Latency of the stream's packets (p99): {}; {}: {}.", latency(taken),
                        other.divided() ? divided(other) : "shared", latency(*plan.other_sharing));
  }
  return Paragraph(text);
}

std::string KeptReason(const Plan& plan) {
  if (plan.keep_last_seconds <= 0) return "";
  return Reason("last seconds", fmt::format("{:g} s are kept in memory: up to {:.0f} MB; save them when something good "
                                            "has happened",
                                            plan.keep_last_seconds, plan.kept_bytes() / 1e6));
}

// An encode for each destination, or one for all.
std::string EncodeEachReason(const Plan& plan) {
  if (!plan.each) return "";
  return Reason("encodes", std::string(plan.each->taken ? "one for each destination: "
                                                        : "one for all destinations; one for each: ") +
                               Sentence(plan.each->why));
}

std::string OtherCodecs(const Plan& plan) {
  if (plan.other_codecs.empty()) return "";
  std::string text = "\nCODECS NOT TAKEN\n";
  for (const OtherCodec& other : plan.other_codecs)
    text += Reason(Name(other.role), CodecTitle(other.codec) + (other.encoder.empty() ? "" : " with " + other.encoder) +
                                         ": " + Sentence(other.why));
  return text;
}

std::string MachineUse(const Plan& plan) {
  const Pair& pair = *plan.chosen;
  const Proof& proof = plan.proving.attempts.back().proof;
  std::string further;
  for (const FurtherStream& stream : pair.further)
    further += fmt::format(" The stream to {} is encoded on the {}.", fmt::join(stream.destinations, ", "),
                           PlaceIn(pair, stream.option));
  std::string text = (pair.one_encode ? fmt::format("The stream is encoded on the {}, and recorded as it is.",
                                                    PlaceIn(pair, pair.stream))
                                      : fmt::format("The stream is encoded on the {}, the recording on the {}.",
                                                    PlaceIn(pair, pair.stream), PlaceIn(pair, pair.recording))) +
                     further +
                     fmt::format(" Predicted for the busiest second: {:.2f} of {:g} cores", pair.demand.cpu_cores,
                                 plan.capacity.cpu_cores);
  if (pair.demand.engine_share > 0)
    text += fmt::format(" and {:.0f} % of the GPU's encode engine", pair.demand.engine_share * 100);
  text += fmt::format("; measured in the proof run: {:.2f} cores, {:.2f} in the busiest second",
                      proof.cpu_cores + proof.stand_in_cores, proof.busiest_cpu_cores + proof.stand_in_cores);
  if (const double memory = plan.capacity.memory_bytes_per_second; memory > 0)
    text +=
        fmt::format(". Memory traffic: {:.1f} of {:.0f} GB/s", pair.demand.memory_bytes_per_second / 1e9, memory / 1e9);
  return Paragraph(text + ".");
}

}  // namespace

std::string CardReasons(const Plan& plan) {
  std::string text = "WHY: STREAM\n" + EncodeReasons(plan, plan.chosen->stream, "stream") + EncodeEachReason(plan);
  text += "\nWHY: RECORDING\n" + (plan.chosen->one_encode ? Reason("encode", Why(plan, "recording.size"))
                                                          : EncodeReasons(plan, plan.chosen->recording, "recording"));
  if (plan.container != "none") text += Reason("container", ContainerReason(plan.container)) + DiskReasons(plan);
  text += KeptReason(plan) + OtherCodecs(plan);
  text += "\nCOLOUR AND SOUND\n";
  if (plan.colour) text += ColourReasons(*plan.colour);
  text += Reason("sound", fmt::format("{}: {}", plan.targets.audio.str(), Why(plan, "sound.bit_rate")));
  text += Reason("sample rate", "48 kHz: " + Why(plan, "sound.sample_rate"));
  return text + "\nWHAT RUNS WHERE\n" + MachineUse(plan) + SharingLine(plan);
}

}  // namespace kettle
