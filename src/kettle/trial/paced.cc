// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/paced.h"

#include <sys/prctl.h>

#include <atomic>
#include <cmath>
#include <exception>
#include <memory>
#include <thread>

#include "kettle/encoders/catalogue.h"
#include "kettle/media/scaler.h"
#include "kettle/media/writer.h"
#include "kettle/media/y4m.h"
#include "kettle/trial/pacing.h"
#include "kettle/trial/packet_log.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr std::int64_t kStartDelayNs = 200'000'000;  // for all threads to be waiting when it starts

// One encode of the run: its queue, and the thread that scales, encodes and writes.
class Output {
 public:
  Output(const PacedOutputTask& task, FrameRate source_rate, int queue_depth, const Clock& clock)
      : clock_(clock),
        rate_(task.settings.frame_rate),
        selector_(source_rate, rate_),
        queue_(static_cast<std::size_t>(queue_depth)),
        config_(ConfigFor(task.settings)),
        scaler_(config_.size, config_.pixel_format),
        encoder_(config_) {
    if (!task.output.empty()) writer_ = std::make_unique<MediaWriter>(task.output, encoder_.context());
  }

  ~Output() {
    queue_.Close();
    if (thread_.joinable()) thread_.join();
  }

  void Start(std::int64_t start_ns) {
    start_ns_ = start_ns;
    thread_ = std::thread([this] {
      try {
        Work();
      } catch (...) {
        error_ = std::current_exception();
        failed_ = true;
      }
    });
  }

  // Offers source frame `index`; takes it if it is due in this output's rate and there is room.
  void Offer(std::int64_t index, std::int64_t due_ns, const AVFrame& picture) {
    const auto number = selector_.Take(index);
    if (!number) return;
    outcome_.frame_times.push_back({static_cast<int>(*number), static_cast<double>(due_ns - start_ns_) * 1e-6, -1});
    ++outcome_.frames;
    FramePtr reference(av_frame_clone(&picture));
    if (!reference) FailMachine("out of memory");
    if (!queue_.Push({*number, due_ns, outcome_.frame_times.size() - 1, std::move(reference)})) ++outcome_.skipped;
  }

  bool failed() const { return failed_; }

  PacedOutputOutcome Finish() {
    queue_.Close();
    if (thread_.joinable()) thread_.join();
    if (error_) std::rethrow_exception(error_);
    for (const auto& [index, taken_ms] : taken_) outcome_.frame_times[index].taken_ms = taken_ms;
    outcome_.packets = log_.packets();
    outcome_.deepest_queue = static_cast<int>(queue_.deepest());
    outcome_.mean_kbps = log_.mean_kbps(outcome_.frames, rate_);
    outcome_.peak_second_kbps = log_.peak_second_kbps(rate_);
    outcome_.latency = log_.latency();
    return std::move(outcome_);
  }

 private:
  struct Item {
    std::int64_t number, due_ns;
    std::size_t index;  // in frame_times
    FramePtr picture;
  };

  void Work() {
    while (auto item = queue_.Pop()) {
      FramePtr picture = scaler_.Scale(*item->picture);
      picture->pts = item->number;
      log_.FrameIn(item->number, clock_.now_ns());
      encoder_.Send(picture.get());
      Drain();
      taken_.emplace_back(item->index, static_cast<double>(clock_.now_ns() - item->due_ns) * 1e-6);
    }
    encoder_.Send(nullptr);
    Drain();
    if (writer_) writer_->Finish();
  }

  void Drain() {
    while (PacketPtr packet = encoder_.Receive()) {
      log_.PacketOut(packet->pts, clock_.now_ns(), packet->size);
      if (writer_) writer_->Write(*packet);
    }
  }

  const Clock& clock_;
  const FrameRate rate_;
  const FrameSelector selector_;
  SkipQueue<Item> queue_;
  const EncoderConfig config_;
  Scaler scaler_;
  Encoder encoder_;
  std::unique_ptr<MediaWriter> writer_;
  PacketLog log_;
  PacedOutputOutcome outcome_;
  std::vector<std::pair<std::size_t, double>> taken_;  // written by the thread, read after it has ended
  std::int64_t start_ns_ = 0;
  std::exception_ptr error_;
  std::atomic<bool> failed_ = false;
  std::thread thread_;
};

// The footage files as one endless source.
class Source {
 public:
  explicit Source(const std::vector<std::string>& files) {
    for (const std::string& file : files) {
      files_.emplace_back(file);
      frames_ += files_.back().frames();
    }
    if (files_.empty()) FailInput("a paced run needs footage");
  }
  FramePtr Frame(std::int64_t index) const {
    auto rest = static_cast<int>(index % frames_);
    for (const Y4mFile& file : files_) {
      if (rest < file.frames()) return file.Frame(rest);
      rest -= file.frames();
    }
    return nullptr;
  }

 private:
  std::vector<Y4mFile> files_;
  std::int64_t frames_ = 0;
};

}  // namespace

PaceOutcome RunPaced(const PaceTask& task, Clock& clock, const std::function<void(double)>& progress) {
  const Source source(task.footage);
  prctl(PR_SET_TIMERSLACK, 1000);  // nanoseconds: due times are meant
  std::vector<std::unique_ptr<Output>> outputs;
  for (const PacedOutputTask& output : task.outputs)
    outputs.push_back(std::make_unique<Output>(output, task.source_rate, task.queue_depth, clock));

  PaceOutcome outcome;
  const auto frames = static_cast<std::int64_t>(std::lround(task.seconds * task.source_rate.fps()));
  outcome.seconds = static_cast<double>(task.source_rate.due_ns(frames)) * 1e-9;
  const std::int64_t start_ns = clock.now_ns() + kStartDelayNs;
  for (auto& output : outputs) output->Start(start_ns);
  ReleaseFrames(clock, task.source_rate, start_ns, frames, [&](std::int64_t index, std::int64_t due_ns, bool late) {
    outcome.late += late;
    const FramePtr picture = source.Frame(index);
    bool healthy = true;
    for (auto& output : outputs) {
      output->Offer(index, due_ns, *picture);
      healthy = healthy && !output->failed();
    }
    if (index % 15 == 0) progress(static_cast<double>(index) / static_cast<double>(frames));
    return healthy;
  });
  for (auto& output : outputs) outcome.outputs.push_back(output->Finish());
  return outcome;
}

}  // namespace kettle
