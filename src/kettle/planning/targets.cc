// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/targets.h"

#include <algorithm>
#include <cmath>

#include "kettle/planning/candidates.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

// Rules, not measurements; `because` says so.
constexpr double kLineShare = 0.75;              // of the lowest reading, for everything the stream sends
constexpr double kAudioKbps = 160;               // set aside for sound
constexpr double kArchiveFactor = 3;             // bits a pixel of the recording over those of the stream
constexpr double kRecordingPeak = 1.5;           // the recording may reach this times its average
constexpr double kPlausibleBitsPerPixel = 0.05;  // below it, quick turns go blocky with any H.264 encoder

double BitsPerPixel(const EncodeSettings& s) {
  return static_cast<double>(s.bit_rate.bits_per_second) / (static_cast<double>(s.size.pixels()) * s.frame_rate.fps());
}

class Chooser {
 public:
  explicit Chooser(const Show& show) : show_(show) {}

  Targets Choose() {
    ChooseStreamPicture();
    ChooseStreamRate();
    ChooseRecording();
    return std::move(targets_);
  }

 private:
  void Add(const std::string& choice, const std::string& value, const std::string& why) {
    targets_.reasons.push_back({choice, value, why, false});
  }

  void ChooseStreamPicture() {
    EncodeSettings& stream = targets_.stream;
    stream.size = show_.stream_size.value_or(show_.source_size);
    std::string why = show_.stream_size ? "as the show asks" : "the source's own size: nothing is lost to scaling";
    for (const Destination& to : show_.destinations)
      if (to.size_max && (stream.size.width > to.size_max->width || stream.size.height > to.size_max->height)) {
        stream.size = FitInside(stream.size, *to.size_max);
        why = fmt::format("the largest that {} takes ({})", to.name, to.size_max->str());
      }
    Add("stream.size", stream.size.str(), why);
    stream.frame_rate = show_.stream_rate.value_or(show_.source_rate);
    why = show_.stream_rate ? "as the show asks" : "the source's own frame rate";
    for (const Destination& to : show_.destinations)
      if (to.frame_rate_max && stream.frame_rate.fps() > to.frame_rate_max->fps() + 1e-9) {
        stream.frame_rate = *to.frame_rate_max;
        why = fmt::format("the highest that {} takes", to.name);
      }
    Add("stream.frame_rate", stream.frame_rate.str(), why);
    targets_.sizes = show_.stream_size ? std::vector{stream.size} : CandidateSizes(stream.size);
    targets_.rates = show_.stream_rate ? std::vector{stream.frame_rate} : CandidateRates(stream.frame_rate);
    if (show_.viewing_size && show_.stream_size && show_.stream_size->pixels() > show_.viewing_size->pixels())
      targets_.warnings.push_back(
          fmt::format("viewers watch at {}, the stream is {}: it is judged as they see it, scaled down",
                      show_.viewing_size->str(), stream.size.str()));
    for (const Destination& to : show_.destinations) {
      stream.keyframe_seconds = std::min(stream.keyframe_seconds, to.keyframe_seconds);
      if (std::find(to.codecs.begin(), to.codecs.end(), "h264") == to.codecs.end())
        FailInput("{} does not take H.264, and this version encodes nothing else", to.name);
    }
  }

  // The same shape, even sides, inside `limit`.
  static FrameSize FitInside(FrameSize size, FrameSize limit) {
    const double scale =
        std::min(static_cast<double>(limit.width) / size.width, static_cast<double>(limit.height) / size.height);
    return {static_cast<int>(size.width * scale / 2) * 2, static_cast<int>(size.height * scale / 2) * 2};
  }

  void ChooseStreamRate() {
    EncodeSettings& stream = targets_.stream;
    std::optional<BitRate> limit;
    std::string why;
    const auto lower_to = [&](BitRate rate, const std::string& reason) {
      if (limit && *limit <= rate) return;
      limit = rate;
      why = reason;
    };
    for (const Destination& to : show_.destinations)
      if (to.video_bit_rate_max) lower_to(*to.video_bit_rate_max, "the most that " + to.name + " takes");
    const auto line = LineLimit();
    if (line) lower_to(*line, line_why_);
    if (show_.stream_bit_rate) {
      stream.bit_rate = *show_.stream_bit_rate;
      why = "as the show asks";
      if (line && stream.bit_rate > *line)
        targets_.warnings.push_back(fmt::format("the stream's {} is more than the line should carry: {} ({})",
                                                stream.bit_rate.str(), line->str(), line_why_));
    } else {
      if (!limit)
        FailInput(
            "nothing says how high the bit rate may be: give stream.bit_rate, a destination with a limit, or "
            "uplink.readings");
      stream.bit_rate = *limit;
    }
    stream.maximum_bit_rate = stream.bit_rate;
    Add("stream.bit_rate", stream.bit_rate.str(), why);
    Add("stream.rate_control", Name(stream.rate_control),
        "a line has no room for bursts: the average is also the maximum, over a buffer of 1 s");
    Add("stream.keyframe_seconds", fmt::format("{:g}", stream.keyframe_seconds),
        "a new viewer waits no longer than this for a picture; destinations cut there");
    if (BitsPerPixel(stream) < kPlausibleBitsPerPixel)
      targets_.warnings.push_back(
          fmt::format("{} is little for {} at {} frames a second ({:.3f} bits a pixel): quick turns will go blocky; "
                      "try a smaller stream size",
                      stream.bit_rate.str(), stream.size.str(), stream.frame_rate.str(), BitsPerPixel(stream)));
  }

  std::optional<BitRate> LineLimit() {
    if (show_.readings.empty()) return std::nullopt;
    const BitRate lowest = *std::min_element(show_.readings.begin(), show_.readings.end());
    double reserved = kAudioKbps;
    for (const auto& [what, rate] : show_.reserve) reserved += rate.kbps();
    const double left = std::floor((lowest.kbps() * kLineShare - reserved) / 50) * 50;
    line_why_ = fmt::format(
        "{:.0f} % of the lowest reading ({}), less {:.0f} kbit/s for sound and what is reserved: a rule, not a "
        "measurement",
        kLineShare * 100, lowest.str(), reserved);
    if (left < 200)
      FailInput("uplink.readings: {} leaves nothing for a stream after {:.0f} kbit/s are reserved", lowest.str(),
                reserved);
    return BitRate::FromKbps(left);
  }

  void ChooseRecording() {
    EncodeSettings& recording = targets_.recording;
    const EncodeSettings& stream = targets_.stream;
    recording.size = show_.recording_size.value_or(show_.source_size);
    Add("recording.size", recording.size.str(),
        show_.recording_size ? "as the show asks" : "the source's own size: the recording is the master");
    recording.frame_rate = show_.source_rate;
    Add("recording.frame_rate", recording.frame_rate.str(), "the source's own frame rate");
    recording.rate_control = RateControl::kCappedVariable;
    recording.buffer_seconds = 2;
    if (show_.recording_bit_rate) {
      recording.bit_rate = *show_.recording_bit_rate;
      Add("recording.bit_rate", recording.bit_rate.str(), "as the show asks");
    } else {
      const double pixels = static_cast<double>(recording.size.pixels()) * recording.frame_rate.fps();
      recording.bit_rate = BitRate::FromKbps(std::ceil(kArchiveFactor * BitsPerPixel(stream) * pixels / 100'000) * 100);
      Add("recording.bit_rate", recording.bit_rate.str(),
          fmt::format("archive: {:g} times the stream's bits a pixel, a rule, not a measurement", kArchiveFactor));
    }
    recording.maximum_bit_rate = BitRate::FromKbps(std::round(recording.bit_rate.kbps() * kRecordingPeak));
    Add("recording.rate_control", Name(recording.rate_control),
        fmt::format("a disk takes bursts that a line does not: up to {} in hard scenes",
                    recording.maximum_bit_rate.str()));
  }

  const Show& show_;
  Targets targets_;
  std::string line_why_;
};

}  // namespace

Targets ChooseTargets(const Show& show) { return Chooser(show).Choose(); }

}  // namespace kettle
