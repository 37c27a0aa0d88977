// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/comparison.h"

#include <algorithm>
#include <utility>

#include "kettle/quality/colour_error.h"
#include "kettle/quality/ssimulacra2.h"

namespace kettle {

namespace {

double Score(const AVFrame& source, const AVFrame& encode) {
  thread_local LinearPicture a, b;
  a = LinearFromYcbcr(ViewOf(source), CodingOf(source), std::move(a));
  b = LinearFromYcbcr(ViewOf(encode), CodingOf(encode), std::move(b));
  return Ssimulacra2(a, b);
}

}  // namespace

Comparison::Comparison(int threads) {
  for (int i = 0; i < threads; ++i) threads_.emplace_back([this] { Work(); });
}

Comparison::~Comparison() {
  const std::scoped_lock lock(mutex_);
  waiting_.clear();
  finished_ = true;
  changed_.notify_all();
}

void Comparison::Add(Views viewed, Views coded, bool scored) {
  const std::size_t most_waiting = 2 * threads_.size();
  std::unique_lock lock(mutex_);
  changed_.wait(lock, [&] { return waiting_.size() < most_waiting; });
  waiting_.push_back({added_++, std::move(viewed), std::move(coded), scored});
  metrics_.emplace_back();
  changed_.notify_all();
}

void Comparison::Work() {
  std::unique_lock lock(mutex_);
  while (true) {
    changed_.wait(lock, [&] { return finished_ || !waiting_.empty(); });
    if (waiting_.empty()) return;
    const Pair pair = std::move(waiting_.front());
    waiting_.pop_front();
    changed_.notify_all();
    lock.unlock();
    PictureMetrics metrics = Compare(ViewOf(*pair.viewed.source), ViewOf(*pair.viewed.encode));
    metrics.blockiness = std::max(0.0, Blockiness(LumaOf(*pair.coded.encode)) - Blockiness(LumaOf(*pair.coded.source)));
    if (pair.scored) {
      metrics.ms_ssim_y = MsSsim(LumaOf(*pair.viewed.source), LumaOf(*pair.viewed.encode));
      metrics.score = Score(*pair.viewed.source, *pair.viewed.encode);
    }
    lock.lock();
    metrics_[pair.index] = metrics;
  }
}

std::vector<PictureMetrics> Comparison::Finish() {
  {
    const std::scoped_lock lock(mutex_);
    finished_ = true;
    changed_.notify_all();
  }
  threads_.clear();  // joins
  return std::move(metrics_);
}

}  // namespace kettle
