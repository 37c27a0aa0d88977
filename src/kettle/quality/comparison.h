// SPDX-License-Identifier: Apache-2.0
// Many pairs of pictures compared by several threads, in one pass over the pictures.
#pragma once

#include <condition_variable>
#include <deque>
#include <exception>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

#include "kettle/media/libav.h"
#include "kettle/media/scaler.h"
#include "kettle/quality/picture_metrics.h"

namespace kettle {

// Pairs go in one by one, and their metrics come out in that order. Add and Finish belong to one thread.
class Comparison {
 public:
  // `threads` of its own, at least one. Pictures are compared at `viewing_size`, but for blockiness, which is compared
  // at the encode's own, `coded_size`: it is what the encode has more of than the source, for edges of the picture
  // itself may lie on block borders too.
  Comparison(int threads, FrameSize viewing_size, FrameSize coded_size);
  ~Comparison();
  Comparison(const Comparison&) = delete;
  Comparison& operator=(const Comparison&) = delete;

  using Picture = std::shared_ptr<const AVFrame>;
  // A source picture and the encode's as decoded, of any size and format. Waits while many pairs are waiting.
  // `scored`: by SSIMULACRA 2, MS-SSIM and blockiness too, which take many times as long as the rest.
  void Add(Picture source, Picture encode, bool scored);
  // The metrics of all pairs. No more may be added. Throws what a thread threw: Error(kMachine).
  std::vector<PictureMetrics> Finish();

 private:
  struct Pair {
    std::size_t index;
    Picture source, encode;
    bool scored;
  };
  void Work();

  const FrameSize viewing_size_, coded_size_;
  std::mutex mutex_;
  std::condition_variable changed_;
  std::deque<Pair> waiting_;
  std::size_t added_ = 0;
  bool finished_ = false;
  std::exception_ptr error_;  // the first of a thread
  std::vector<PictureMetrics> metrics_;
  std::vector<std::jthread> threads_;
};

}  // namespace kettle
