// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/comparison.h"

#include <algorithm>
#include <utility>

#include "kettle/quality/colour_error.h"
#include "kettle/quality/ssimulacra2/ssimulacra2.h"

namespace kettle {

namespace {

// One thread's scalers: each is for pictures of one size, for another would cost a new one.
class PairMetrics {
 public:
  PairMetrics(FrameSize viewing_size, FrameSize coded_size)
      : source_viewed_(viewing_size),
        encode_viewed_(viewing_size),
        source_coded_(coded_size),
        encode_coded_(coded_size) {}

  PictureMetrics Of(const AVFrame& source, const AVFrame& encode, bool scored) {
    const FramePtr a = source_viewed_.Scale(source), b = encode_viewed_.Scale(encode);
    PictureMetrics metrics = Compare(ViewOf(*a), ViewOf(*b));
    if (!scored) return metrics;
    metrics.score = Ssimulacra2(ViewOf(*a), CodingOf(*a), ViewOf(*b), CodingOf(*b));
    metrics.ms_ssim_y = MsSsim(LumaOf(*a), LumaOf(*b));
    metrics.blockiness = std::max(
        0.0, Blockiness(LumaOf(*encode_coded_.Scale(encode))) - Blockiness(LumaOf(*source_coded_.Scale(source))));
    return metrics;
  }

 private:
  Scaler source_viewed_, encode_viewed_, source_coded_, encode_coded_;
};

}  // namespace

Comparison::Comparison(int threads, FrameSize viewing_size, FrameSize coded_size)
    : viewing_size_(viewing_size), coded_size_(coded_size) {
  for (int i = 0; i < threads; ++i) threads_.emplace_back([this] { Work(); });
}

Comparison::~Comparison() {
  const std::scoped_lock lock(mutex_);
  waiting_.clear();
  finished_ = true;
  changed_.notify_all();
}

void Comparison::Add(Picture source, Picture encode, bool scored) {
  const std::size_t most_waiting = 2 * threads_.size();
  std::unique_lock lock(mutex_);
  changed_.wait(lock, [&] { return waiting_.size() < most_waiting; });
  waiting_.push_back({added_++, std::move(source), std::move(encode), scored});
  metrics_.emplace_back();
  changed_.notify_all();
}

void Comparison::Work() {
  PairMetrics measure(viewing_size_, coded_size_);
  std::unique_lock lock(mutex_);
  while (true) {
    changed_.wait(lock, [&] { return finished_ || !waiting_.empty(); });
    if (waiting_.empty()) return;
    const Pair pair = std::move(waiting_.front());
    waiting_.pop_front();
    changed_.notify_all();
    lock.unlock();
    PictureMetrics metrics;
    std::exception_ptr error;
    try {
      metrics = measure.Of(*pair.source, *pair.encode, pair.scored);
    } catch (...) {
      error = std::current_exception();
    }
    lock.lock();
    metrics_[pair.index] = metrics;
    if (error && !error_) error_ = error;
  }
}

std::vector<PictureMetrics> Comparison::Finish() {
  {
    const std::scoped_lock lock(mutex_);
    finished_ = true;
    changed_.notify_all();
  }
  threads_.clear();  // joins
  if (error_) std::rethrow_exception(error_);
  return std::move(metrics_);
}

}  // namespace kettle
