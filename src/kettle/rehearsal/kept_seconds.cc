// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/kept_seconds.h"

#include <algorithm>
#include <cmath>

#include "kettle/realtime/thread.h"
#include "kettle/rehearsal/recorder.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"

namespace kettle {

KeptSeconds::~KeptSeconds() {
  if (writer_.joinable()) writer_.join();
}

void KeptSeconds::Open(std::vector<const AVCodecContext*> tracks) {
  const std::scoped_lock lock(mutex_);
  tracks_ = std::move(tracks);
}

void KeptSeconds::Add(int track, const AVPacket& packet) {
  const std::scoped_lock lock(mutex_);
  if (tracks_.empty()) return;  // sound that came before the pictures' encoder stood
  PacketPtr reference(av_packet_clone(&packet));
  if (!reference) FailMachine("out of memory");
  const double seconds = static_cast<double>(packet.pts) * av_q2d(tracks_[static_cast<std::size_t>(track)]->time_base);
  bytes_ += packet.size;
  kept_.push_back({track, seconds, track == 0 && (packet.flags & AV_PKT_FLAG_KEY) != 0, std::move(reference)});
  if (track != 0) return;
  newest_seconds_ = std::max(newest_seconds_, seconds);
  LetGo();
  most_bytes_ = std::max(most_bytes_, bytes_);
}

void KeptSeconds::LetGo() {
  // The newest keyframe that is far enough back: all that was coded before it is not needed.
  std::size_t first = 0;
  for (std::size_t i = 1; i < kept_.size(); ++i)
    if (kept_[i].keyframe && kept_[i].seconds <= newest_seconds_ - seconds_) first = i;
  const double begins = first > 0 ? kept_[first].seconds : 0;
  // Sound of after the keyframe came out before it: pictures are looked ahead at.
  std::deque<Kept> stay;
  for (std::size_t i = 0; i < first; ++i) {
    if (kept_[i].track > 0 && kept_[i].seconds >= begins)
      stay.push_back(std::move(kept_[i]));
    else
      bytes_ -= kept_[i].packet->size;
  }
  if (first == 0) return;
  kept_.erase(kept_.begin(), kept_.begin() + static_cast<std::ptrdiff_t>(first));
  kept_.insert(kept_.begin(), std::make_move_iterator(stay.begin()), std::make_move_iterator(stay.end()));
}

void KeptSeconds::Save(const std::filesystem::path& path, const std::string& container) {
  if (writer_.joinable()) writer_.join();
  std::vector<Kept> copy;
  {
    const std::scoped_lock lock(mutex_);
    for (const Kept& kept : kept_)
      copy.push_back({kept.track, kept.seconds, kept.keyframe, PacketPtr(av_packet_clone(kept.packet.get()))});
  }
  writer_ = std::thread([this, path, container, copy = std::move(copy)] {
    NameThread("saver");
    try {
      Write(copy, path, container);
    } catch (const std::exception& error) {
      saved_.trouble = error.what();
    }
  });
}

void KeptSeconds::Write(const std::vector<Kept>& kept, const std::filesystem::path& path,
                        const std::string& container) {
  constexpr double kPatienceSeconds = 3600;  // nothing waits for this file
  const auto first = std::find_if(kept.begin(), kept.end(), [](const Kept& k) { return k.keyframe; });
  if (first == kept.end()) FailMachine("no keyframe was kept yet");
  Recorder file({path, container, kPatienceSeconds}, tracks_);
  double last = first->seconds;
  bool begun = false;
  std::int64_t number = 0;
  for (const Kept& one : kept) {
    begun = begun || &one == &*first;
    if (one.seconds < first->seconds || (one.track == 0 && !begun)) continue;
    const AVRational unit = tracks_[static_cast<std::size_t>(one.track)]->time_base;
    const auto shift = static_cast<std::int64_t>(std::llround(first->seconds / av_q2d(unit)));
    const PacketPtr moved(av_packet_clone(one.packet.get()));
    if (!moved) FailMachine("out of memory");
    moved->pts -= shift;
    moved->dts -= shift;
    if (one.track == 0) last = std::max(last, one.seconds);
    file.Enqueue(one.track, *moved, number++);
  }
  file.Finish();
  const RecorderState state = file.state();
  const double picture = av_q2d(tracks_.front()->time_base);
  saved_ = {path.string(), last - first->seconds + picture, state.written_bytes, state.trouble};
}

SavedSeconds KeptSeconds::WaitForSaved() {
  if (writer_.joinable()) writer_.join();
  return saved_;
}

std::int64_t KeptSeconds::bytes() const {
  const std::scoped_lock lock(mutex_);
  return bytes_;
}

std::int64_t KeptSeconds::most_bytes() const {
  const std::scoped_lock lock(mutex_);
  return most_bytes_;
}

KETTLE_JSON(SavedSeconds, path, seconds, bytes, trouble)

}  // namespace kettle
