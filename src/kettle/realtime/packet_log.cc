// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/packet_log.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "kettle/units/json_fields.h"
#include "kettle/units/statistics.h"

namespace kettle {

void PacketLog::FrameIn(std::int64_t pts, std::int64_t now_ns) {
  const auto index = static_cast<std::size_t>(pts);
  if (in_ns_.size() <= index) in_ns_.resize(index + 1, -1);
  in_ns_[index] = now_ns;
}

void PacketLog::PacketOut(std::int64_t pts, std::int64_t now_ns, int bytes) {
  bits_.push_back(8.0 * bytes);
  out_ns_.push_back(now_ns);
  b_run_ = pts < latest_shown_ ? b_run_ + 1 : 0;
  longest_b_run_ = std::max(longest_b_run_, b_run_);
  latest_shown_ = std::max(latest_shown_, pts);
  const auto index = static_cast<std::size_t>(pts);
  if (pts >= 0 && index < in_ns_.size() && in_ns_[index] >= 0)
    latencies_ms_.push_back(static_cast<double>(now_ns - in_ns_[index]) * 1e-6);
}

Pace PacketLog::pace() const {
  if (out_ns_.empty()) return {};
  return {packets() - 1, static_cast<double>(out_ns_.back() - out_ns_.front()) * 1e-9};
}

std::optional<SlowDown> PacketLog::slow_down() const {
  constexpr double kLeastFactor = 3;
  const std::size_t count = out_ns_.size(), margin = std::max<std::size_t>(5, count / 20);
  SlowDown worst;
  for (std::size_t split = margin; split + margin < count; ++split) {
    const double before = static_cast<double>(out_ns_[split] - out_ns_.front()) / static_cast<double>(split);
    const double after = static_cast<double>(out_ns_.back() - out_ns_[split]) / static_cast<double>(count - 1 - split);
    if (before > 0 && after / before > worst.factor) worst = {static_cast<int>(split), after / before};
  }
  return worst.factor >= kLeastFactor ? std::optional(worst) : std::nullopt;
}

Latency PacketLog::latency() const {
  return {Quantile(latencies_ms_, 0.5).value_or(0), Quantile(latencies_ms_, 0.99).value_or(0),
          Quantile(latencies_ms_, 1).value_or(0)};
}

double PacketLog::mean_kbps(int frames, FrameRate rate) const {
  if (frames == 0) return 0;
  return std::accumulate(bits_.begin(), bits_.end(), 0.0) / 1000 / (frames / rate.fps());
}

double PacketLog::peak_second_kbps(FrameRate rate) const {
  const auto window = static_cast<std::size_t>(std::max(1L, std::lround(rate.fps())));
  const double seconds = static_cast<double>(std::min(window, std::max<std::size_t>(1, bits_.size()))) / rate.fps();
  return PeakWindowSum(bits_, window).value_or(0) / 1000 / seconds;
}

KETTLE_JSON(Latency, p50_ms, p99_ms, max_ms)
KETTLE_JSON(SlowDown, frame, factor)

}  // namespace kettle
