// SPDX-License-Identifier: Apache-2.0
// A stand-in device's time lines, shared by all its sessions: the encode engine, the shader units and the way in.
#pragma once

#include <algorithm>
#include <cstdint>
#include <deque>
#include <mutex>
#include <optional>
#include <utility>

#include "profile.h"

namespace standin {

// What one picture asks of a device.
struct Work {
  int width = 0, height = 0;
  int preset = 1;  // 1 to 7
  Codec codec = Codec::kH264;
  bool look_ahead = false, adaptive_quantisation = false, multi_pass = false;
  double factor = 1;  // of a fault that slows the engine down
};

// Work booked one after the other, and how much of the last second it filled.
class TimeLine {
 public:
  // Books `cost_ns` from `earliest_ns` or when the line is free, and gives the end.
  std::int64_t Book(std::int64_t earliest_ns, std::int64_t cost_ns) {
    const std::int64_t start_ns = std::max(free_at_ns_, earliest_ns);
    free_at_ns_ = start_ns + cost_ns;
    spans_.emplace_back(start_ns, free_at_ns_);
    while (spans_.size() > 1 && spans_.front().second < free_at_ns_ - kSecond_ns) spans_.pop_front();
    return free_at_ns_;
  }

  // The share of the second before `now_ns` that was booked, 0..1.
  double Use(std::int64_t now_ns) const {
    std::int64_t busy_ns = 0;
    for (const auto& [start_ns, end_ns] : spans_)
      busy_ns += std::max<std::int64_t>(0, std::min(end_ns, now_ns) - std::max(start_ns, now_ns - kSecond_ns));
    return static_cast<double>(busy_ns) / static_cast<double>(kSecond_ns);
  }

 private:
  static constexpr std::int64_t kSecond_ns = 1'000'000'000;
  std::int64_t free_at_ns_ = 0;
  std::deque<std::pair<std::int64_t, std::int64_t>> spans_;
};

inline constexpr double kMostGameShare = 0.95;  // or nothing would ever be prepared

class Engine {
 public:
  explicit Engine(const DeviceProfile& profile) : profile_(profile), game_share_(profile.game_share) {}

  // From now on a game takes this share of the shader units, 0 to kMostGameShare; nothing: the profile's.
  void SetGameShare(std::optional<double> share) {
    std::lock_guard lock(mutex_);
    game_share_ = std::clamp(share.value_or(profile_.game_share), 0.0, kMostGameShare);
  }

  // Takes a session's place and gives its number, counted from 1 since the device started; 0 if the limit is reached.
  // Give it back with `Leave`.
  int Enter() {
    std::lock_guard lock(mutex_);
    if (sessions_ >= profile_.session_limit) return 0;
    ++sessions_;
    return ++opened_;
  }
  void Leave() {
    std::lock_guard lock(mutex_);
    --sessions_;
  }
  int sessions() const {
    std::lock_guard lock(mutex_);
    return sessions_;
  }

  // Books one picture, first come first served: it crosses over, is prepared by the shader units, and is coded.
  // `submitted_ns` and the result are on the monotonic clock: the result is when the device is done with the picture.
  std::int64_t Book(std::int64_t submitted_ns, const Work& work) {
    const double pixels = static_cast<double>(work.width) * work.height;
    const auto cost_ns = [&](double megapixels_per_second) {
      return megapixels_per_second > 0 ? static_cast<std::int64_t>(1e3 * pixels / megapixels_per_second) : 0;
    };
    std::int64_t prepare_ns = 0;
    if (work.look_ahead) prepare_ns += cost_ns(profile_.look_ahead_speed);
    if (work.adaptive_quantisation) prepare_ns += cost_ns(profile_.adaptive_quantisation_speed);
    if (work.multi_pass) prepare_ns += cost_ns(profile_.multi_pass_speed);
    const double speed = profile_.megapixels_per_second[static_cast<std::size_t>(work.preset - 1)] *
                         profile_.codec_speed[static_cast<std::size_t>(work.codec)] / work.factor;
    std::lock_guard lock(mutex_);
    prepare_ns = static_cast<std::int64_t>(static_cast<double>(prepare_ns) / (1 - game_share_));
    std::int64_t ready_ns = submitted_ns;
    if (profile_.crossing_speed > 0) ready_ns = crossing_.Book(ready_ns, cost_ns(profile_.crossing_speed));
    if (prepare_ns > 0) ready_ns = shaders_.Book(ready_ns, prepare_ns);
    return encoder_.Book(ready_ns, cost_ns(speed));
  }

  // Shares of the last second, 0..1. The game's count as the shader units' use.
  double EncoderUse(std::int64_t now_ns) const {
    std::lock_guard lock(mutex_);
    return encoder_.Use(now_ns);
  }
  double ShaderUse(std::int64_t now_ns) const {
    std::lock_guard lock(mutex_);
    return std::min(1.0, game_share_ + shaders_.Use(now_ns) * (1 - game_share_));
  }

 private:
  const DeviceProfile profile_;
  mutable std::mutex mutex_;
  int sessions_ = 0, opened_ = 0;
  double game_share_;
  TimeLine crossing_, shaders_, encoder_;
};

}  // namespace standin
