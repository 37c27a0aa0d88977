// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/recorder.h"

#include <fcntl.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstring>

#include "kettle/realtime/lane.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

double Now() { return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count(); }

}  // namespace

Muxer::Container ContainerOf(const std::string& name) {
  if (name == "matroska") return {"matroska", {{"cluster_time_limit", "500"}} /* lost by a crash */};
  if (name == "mp4") return {"mp4", {}};
  if (name == "fragmented-mp4") return {"mp4", {{"movflags", "frag_keyframe+empty_moov+default_base_moof"}}};
  FailInput("there is no container \"{}\"; use matroska, mp4 or fragmented-mp4", name);
}

std::string ExtensionOf(const std::string& container) { return container == "matroska" ? ".mkv" : ".mp4"; }

Recorder::Recorder(const RecorderRequest& request, const std::vector<const AVCodecContext*>& tracks)
    : request_(request) {
  file_ = open(request.path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
  if (file_ < 0) FailMachine("{}: cannot be written ({})", request.path.string(), std::strerror(errno));
  try {
    muxer_ = std::make_unique<Muxer>(ContainerOf(request.container), tracks,
                                     [this](std::int64_t offset, std::string_view bytes) { WriteAt(offset, bytes); });
  } catch (...) {
    close(file_);
    throw;
  }
  thread_ = std::thread([this] { Run(); });
}

Recorder::~Recorder() {
  Finish();
  close(file_);
}

void Recorder::Enqueue(int track, const AVPacket& packet, std::int64_t number) {
  PacketPtr copy(av_packet_clone(&packet));
  if (!copy) FailMachine("out of memory");
  const double now = Now();
  {
    const std::scoped_lock lock(mutex_);
    const bool picture = track == 0, keyframe = picture && (packet.flags & AV_PKT_FLAG_KEY) != 0;
    const bool full = !waiting_.empty() && now - waiting_.front().seconds > request_.most_waiting_seconds;
    if (keyframe && !full) needs_keyframe_ = false;
    if (!state_.trouble.empty() || full || (picture && needs_keyframe_)) return Refuse(track, number);
    waiting_.push_back({track, number, now, std::move(copy)});
  }
  changed_.notify_all();
}

void Recorder::Refuse(int track, std::int64_t number) {
  if (track != 0) return;
  needs_keyframe_ = true;  // what follows could not be decoded
  stalled_.push_back(number);
  ++state_.stalled;
}

RecorderState Recorder::state() {
  const std::scoped_lock lock(mutex_);
  RecorderState state = state_;
  state.waiting_seconds = waiting_.empty() ? 0 : std::max(0.0, Now() - waiting_.front().seconds);
  state_.longest_write_ms = 0;
  return state;
}

bool Recorder::DiskIsFull() {
  struct statvfs disk {};
  return fstatvfs(file_, &disk) == 0 &&
         static_cast<std::int64_t>(disk.f_bavail * disk.f_frsize) < request_.least_free_bytes;
}

void Recorder::WriteAt(std::int64_t offset, std::string_view bytes) {
  const double start = Now();
  std::int64_t written = 0;
  while (!bytes.empty()) {
    const ssize_t count = pwrite(file_, bytes.data(), bytes.size(), offset);
    if (count < 0 && errno == EINTR) continue;
    if (count < 0) {
      const int reason = errno;
      const std::scoped_lock lock(mutex_);
      state_.disk_full = reason == ENOSPC || reason == EDQUOT;
      FailMachine("{}: {}", request_.path.string(), std::strerror(reason));
    }
    bytes.remove_prefix(static_cast<std::size_t>(count));
    offset += count;
    written += count;
  }
  const std::scoped_lock lock(mutex_);
  state_.longest_write_ms = std::max(state_.longest_write_ms, (Now() - start) * 1000);
  state_.written_bytes += written;
  unchecked_bytes_ += written;
}

void Recorder::WriteAll() {
  constexpr std::int64_t kCheckBytes = 1 << 20;
  while (true) {
    Waiting next;
    {
      std::unique_lock lock(mutex_);
      changed_.wait(lock, [&] { return ending_ || !waiting_.empty(); });
      if (waiting_.empty()) return;
      // It stays at the front while it is written: so long it waits.
      const Waiting& front = waiting_.front();
      next = {front.track, front.number, 0, PacketPtr(av_packet_clone(front.packet.get()))};
    }
    muxer_->Write(next.track, *next.packet);
    const std::scoped_lock lock(mutex_);
    waiting_.pop_front();
    if (unchecked_bytes_ < kCheckBytes) continue;
    unchecked_bytes_ = 0;
    if (!DiskIsFull()) continue;
    state_.disk_full = true;
    state_.trouble = "the disk is full: the recording was closed properly and still plays";
    return;
  }
}

void Recorder::Run() {
  NameThread("recorder");
  try {
    WriteAll();
    muxer_->Finish();
  } catch (const std::exception& error) {
    const std::scoped_lock lock(mutex_);
    state_.trouble = error.what();
  }
  const std::scoped_lock lock(mutex_);
  for (const Waiting& packet : waiting_) Refuse(packet.track, packet.number);
  waiting_.clear();
}

void Recorder::Finish() {
  {
    const std::scoped_lock lock(mutex_);
    ending_ = true;
  }
  changed_.notify_all();
  if (thread_.joinable()) thread_.join();
}

}  // namespace kettle
