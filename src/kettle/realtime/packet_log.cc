// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/packet_log.h"

#include <algorithm>
#include <cmath>

#include "kettle/units/json_fields.h"

namespace kettle {

PacketLog::PacketLog(FrameRate rate, Keep keep) : rate_(rate), keep_(keep) {}

void PacketLog::FrameIn(std::int64_t pts, std::int64_t now_ns) { in_ns_[pts] = now_ns; }

void PacketLog::PacketOut(std::int64_t pts, std::int64_t now_ns, int bytes) {
  const auto window = static_cast<std::size_t>(std::max(1L, std::lround(rate_.fps())));
  const double bits = 8.0 * bytes;
  bits_ += bits;
  second_bits_ += bits;  // whole numbers: nothing is rounded
  second_.push_back(bits);
  if (second_.size() > window) {
    second_bits_ -= second_.front();
    second_.pop_front();
  }
  peak_second_bits_ = std::max(peak_second_bits_, second_bits_);
  if (packets_ == 0) first_out_ns_ = now_ns;
  last_out_ns_ = now_ns;
  if (keep_ == Keep::kTimes) out_ns_.push_back(now_ns);
  ++packets_;
  b_run_ = pts < latest_shown_ ? b_run_ + 1 : 0;
  longest_b_run_ = std::max(longest_b_run_, b_run_);
  latest_shown_ = std::max(latest_shown_, pts);
  const auto in = in_ns_.find(pts);
  if (in == in_ns_.end()) return;
  latencies_ms_.Add(static_cast<double>(now_ns - in->second) * 1e-6);
  in_ns_.erase(in);
}

Pace PacketLog::pace() const {
  if (packets_ == 0) return {};
  return {packets_ - 1, static_cast<double>(last_out_ns_ - first_out_ns_) * 1e-9};
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

Latency PacketLog::latency() const { return {latencies_ms_.At(0.5), latencies_ms_.At(0.99), latencies_ms_.At(1)}; }

double PacketLog::mean_kbps(int frames) const {
  if (frames == 0) return 0;
  return bits_ / 1000 / (frames / rate_.fps());
}

double PacketLog::peak_second_kbps() const {
  return peak_second_bits_ / 1000 / (static_cast<double>(std::max<std::size_t>(1, second_.size())) / rate_.fps());
}

KETTLE_JSON(Latency, p50_ms, p99_ms, max_ms)
KETTLE_JSON(SlowDown, frame, factor)

}  // namespace kettle
