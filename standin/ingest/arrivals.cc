// SPDX-License-Identifier: Apache-2.0
#include "arrivals.h"

#include <fmt/format.h>

#include <algorithm>

#include "kettle/rtmp/flv_body.h"
#include "kettle/units/error.h"

namespace standin {

using kettle::RtmpType;

Arrivals::Arrivals(const std::string& path) {
  if (path.empty()) return;
  file_.open(path);
  if (!file_) kettle::FailMachine("{}: cannot be written", path);
  file_ << "second,connection,bytes,kbps,pictures,keyframes,sounds,late_ms,simulated\n" << std::flush;
}

Arrivals::Second& Arrivals::At(const std::string& connection, Clock::time_point when) {
  if (!start_) start_ = when;
  return seconds_[{static_cast<int>(std::chrono::duration<double>(when - *start_).count()), connection}];
}

void Arrivals::Add(const std::string& connection, std::size_t bytes, int pictures, Clock::time_point when) {
  const std::scoped_lock lock(mutex_);
  Second& second = At(connection, when);
  second.bytes += bytes;
  bytes_ += bytes;
  second.pictures += pictures;
}

void Arrivals::Add(const std::string& connection, const kettle::RtmpMessage& message, Clock::time_point when) {
  const std::scoped_lock lock(mutex_);
  Second& second = At(connection, when);
  const double seconds = std::chrono::duration<double>(when - *start_).count();
  second.bytes += message.body.size();
  bytes_ += message.body.size();
  largest_message_bytes_ = std::max<std::size_t>(largest_message_bytes_, message.body.size());
  second.sounds += message.type == RtmpType::kAudio;
  if (message.type != RtmpType::kVideo) return;
  const std::optional<kettle::VideoTag> tag = kettle::ReadVideoBody(message.body);
  if (!tag || !tag->picture) return;
  ++second.pictures;
  second.keyframes += tag->keyframe;
  const double age = seconds - message.timestamp_ms / 1000.0;
  Publish& publish = publishes_[connection];
  publish.earliest = std::min(publish.earliest, age);
  second.late_ms = std::max(second.late_ms, (age - publish.earliest) * 1000);
}

void Arrivals::Flush(Clock::time_point now) {
  const std::scoped_lock lock(mutex_);
  if (!start_ || !file_.is_open()) return;
  const double seconds = now == Clock::time_point::max() ? 1e9 : std::chrono::duration<double>(now - *start_).count();
  while (!seconds_.empty() && seconds_.begin()->first.first + 1 < seconds) {
    const auto& [key, second] = *seconds_.begin();
    file_ << fmt::format("{},{},{},{:.1f},{},{},{},{:.1f},true\n", key.first, key.second, second.bytes,
                         static_cast<double>(second.bytes) * 8 / 1000, second.pictures, second.keyframes, second.sounds,
                         second.late_ms);
    seconds_.erase(seconds_.begin());
  }
  file_ << std::flush;
}

}  // namespace standin
