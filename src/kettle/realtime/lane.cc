// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/lane.h"

#include <algorithm>

#include "kettle/encoders/catalogue.h"
#include "kettle/media/scaler.h"
#include "kettle/units/error.h"

namespace kettle {
namespace {

// An encoder's first frames find cold caches and threads that have not settled. Nobody watches a stream's first second
// so closely that it may not come a little later; a frame lost there would be seen.
constexpr std::int64_t kColdNs = 1'000'000'000;
constexpr std::size_t kColdRoom = 3;  // queues more

}  // namespace

Lane::Lane(LaneRequest request, const Clock& clock, PacketSink sink)
    : request_(std::move(request)),
      clock_(clock),
      sink_(std::move(sink)),
      selector_(request_.source_rate, request_.settings.frame_rate),
      queue_(static_cast<std::size_t>(request_.queue_depth)),
      log_(request_.settings.frame_rate, PacketLog::Keep::kNothing),
      thread_([this] { Run(); }) {}

Lane::~Lane() {
  queue_.Close();
  if (thread_.joinable()) thread_.join();
}

void Lane::WaitUntilOpen() { opened_.get_future().get(); }

void Lane::Start(std::int64_t start_ns) { start_ns_ = start_ns; }

void Lane::Offer(std::int64_t index, std::int64_t due_ns, const AVFrame& picture) {
  const auto number = selector_.FrameNumber(index);
  if (!number) return;
  Note({static_cast<int>(*number), static_cast<double>(due_ns - start_ns_) * 1e-6, -1});
  ++frames_;
  FramePtr reference(av_frame_clone(&picture));
  if (!reference) FailMachine("out of memory");
  const std::size_t extra_room =
      due_ns - start_ns_ < kColdNs ? kColdRoom * static_cast<std::size_t>(request_.queue_depth) : 0;
  if (!queue_.Push({*number, due_ns, std::move(reference)}, extra_room)) ++skipped_;
}

void Lane::Note(const PacedFrame& frame) {
  if (sink_.frame) return sink_.frame(frame);
  const std::scoped_lock lock(frames_mutex_);
  frame_times_[frame.frame] = frame;
}

PacedOutputOutcome Lane::Finish() {
  queue_.Close();
  if (thread_.joinable()) thread_.join();
  if (error_) TellFailure();
  for (const auto& [number, frame] : frame_times_) outcome_.frame_times.push_back(frame);
  outcome_.frames = frames_;
  outcome_.skipped = skipped_;
  outcome_.packets = log_.packets();
  outcome_.deepest_queue = static_cast<int>(queue_.deepest());
  outcome_.mean_kbps = log_.mean_kbps(outcome_.frames);
  outcome_.peak_second_kbps = log_.peak_second_kbps();
  outcome_.latency = log_.latency();
  return std::move(outcome_);
}

void Lane::RethrowFailure() const {
  if (error_) std::rethrow_exception(error_);
}

// What still waits is lost as well.
void Lane::TellFailure() {
  skipped_ += static_cast<int>(queue_.size());
  outcome_.failed_seconds = static_cast<double>(failed_ns_ - start_ns_) * 1e-9;
  const EncoderFamily& family = FindFamily(request_.settings.encoder);
  const std::string device = encoder_->device_name().substr(0, encoder_->device_name().find(", driver"));
  try {
    std::rethrow_exception(error_);
  } catch (const std::exception& error) {
    outcome_.failed = Reason(family, error.what()) + (device.empty() ? "" : ", " + device);
  }
}

void Lane::Run() {
  outcome_.niceness = NameThread(request_.thread_name, request_.niceness);
  KeepThreadOn(request_.processors);
  try {
    encoder_ = std::make_unique<Encoder>(ConfigFor(request_.settings));
    if (sink_.open) sink_.open(encoder_->context());
    opened_.set_value();
  } catch (...) {
    opened_.set_exception(std::current_exception());
    return;
  }
  try {
    Encode(*encoder_);
  } catch (...) {
    error_ = std::current_exception();
    failed_ns_ = clock_.now_ns();
    failed_ = true;
  }
}

void Lane::Encode(Encoder& encoder) {
  const EncoderConfig config = ConfigFor(request_.settings);
  Scaler scaler(config.size, config.pixel_format, request_.settings.scaler);
  while (auto item = queue_.Pop()) {
    FramePtr picture = scaler.Scale(*item->picture);
    picture->pts = item->number;
    log_.FrameIn(item->number, clock_.now_ns());
    encoder.Send(picture.get());
    Drain(encoder);
    Note({static_cast<int>(item->number), static_cast<double>(item->due_ns - start_ns_) * 1e-6,
          static_cast<double>(clock_.now_ns() - item->due_ns) * 1e-6});
  }
  encoder.Send(nullptr);
  Drain(encoder);
  if (sink_.end) sink_.end();
}

void Lane::Drain(Encoder& encoder) {
  while (PacketPtr packet = encoder.Receive()) {
    log_.PacketOut(packet->pts, clock_.now_ns(), packet->size);
    if (sink_.take) sink_.take(*packet);
  }
}

EndlessSource::EndlessSource(const std::vector<std::string>& files) {
  for (const std::string& file : files) {
    files_.emplace_back(file);
    frames_ += files_.back().frames();
  }
  if (files_.empty()) FailInput("a paced run needs footage");
}

FramePtr EndlessSource::Frame(std::int64_t index) const {
  auto rest = static_cast<int>(index % frames_);
  for (const Y4mFile& file : files_) {
    if (rest < file.frames()) return file.Frame(rest);
    rest -= file.frames();
  }
  return nullptr;
}

}  // namespace kettle
