// SPDX-License-Identifier: Apache-2.0
#include "kettle/evidence/reference_encode.h"

#include <sys/resource.h>

#include <algorithm>
#include <random>
#include <vector>

#include "kettle/encoders/catalogue.h"
#include "kettle/media/scaler.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

constexpr FrameSize kSize{640, 360};
constexpr int kFrames = 20, kSeed = 1;

// Rough ground that moves by two samples a frame: there is something to search for, and something left over.
class Ground {
 public:
  Ground() : rough_(static_cast<std::size_t>(kWidth) * (kSize.height + 2 * kFrames)) {
    std::mt19937 random(kSeed);
    unsigned level = 128;
    for (auto& sample : rough_) {
      level = (level * 3 + static_cast<unsigned>(random() & 0xff)) / 4;
      sample = static_cast<std::uint8_t>(level);
    }
  }

  void Draw(int frame, AVFrame& picture) const {
    for (int plane = 0; plane < 3; ++plane) {
      const int scale = plane ? 2 : 1;
      for (int y = 0; y < kSize.height / scale; ++y) {
        const auto from = static_cast<std::size_t>(y + 2 * frame) * kWidth + static_cast<std::size_t>(2 * frame);
        std::copy_n(rough_.begin() + static_cast<std::ptrdiff_t>(from), kSize.width / scale,
                    picture.data[plane] + static_cast<std::ptrdiff_t>(y) * picture.linesize[plane]);
      }
    }
  }

 private:
  static constexpr int kWidth = kSize.width + 2 * kFrames;
  std::vector<std::uint8_t> rough_;
};

double ProcessSeconds() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  const auto seconds = [](const timeval& time) {
    return static_cast<double>(time.tv_sec) + 1e-6 * static_cast<double>(time.tv_usec);
  };
  return seconds(usage.ru_utime) + seconds(usage.ru_stime);
}

EncodeSettings Settings() {
  EncodeSettings settings;
  settings.encoder = "x264";
  settings.preset = "veryfast";
  settings.size = kSize;
  settings.frame_rate = {60, 1};
  settings.bit_rate = settings.maximum_bit_rate = BitRate::FromKbps(2000);
  return settings;
}

}  // namespace

std::optional<ReferenceLook> EncodeReference(const Clock& clock, const std::function<void()>& heartbeat) {
  static const Ground ground;
  std::vector<FramePtr> pictures;
  for (int i = 0; i < kFrames; ++i) {
    pictures.push_back(NewPicture(kSize));
    pictures.back()->pts = i;
    ground.Draw(i, *pictures.back());
  }
  const std::int64_t start_ns = clock.now_ns();
  const double used_before = ProcessSeconds();
  try {
    Encoder encoder(ConfigFor(Settings()));
    for (int i = 0; i <= kFrames; ++i) {
      encoder.Send(i < kFrames ? pictures[static_cast<std::size_t>(i)].get() : nullptr);
      while (encoder.Receive()) continue;
      heartbeat();
    }
  } catch (const Error&) {
    return std::nullopt;
  }
  return ReferenceLook{static_cast<double>(clock.now_ns() - start_ns) * 1e-9, ProcessSeconds() - used_before};
}

void to_json(nlohmann::json& json, const ReferenceLook& look) {
  KETTLE_WRITE_FIELDS(json, look, wall_seconds, cpu_seconds);
}

void from_json(const nlohmann::json& json, ReferenceLook& look) {
  constexpr double kLeast = 1e-4, kMost = 1e4;  // no machine is faster or slower
  KETTLE_READ_FIELDS(json, look, wall_seconds, cpu_seconds);
  for (const double seconds : {look.wall_seconds, look.cpu_seconds})
    if (!(seconds >= kLeast && seconds <= kMost))
      throw nlohmann::json::other_error::create(501, "no reference encode takes so long", &json);
}

}  // namespace kettle
