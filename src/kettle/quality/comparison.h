// SPDX-License-Identifier: Apache-2.0
// Many pairs of pictures compared by several threads, in one pass over the pictures.
#pragma once

#include <condition_variable>
#include <deque>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

#include "kettle/media/libav.h"
#include "kettle/quality/picture_metrics.h"

namespace kettle {

// Pairs go in one by one, and their metrics come out in that order. Add and Finish belong to one thread.
class Comparison {
 public:
  // `threads` of its own, at least one.
  explicit Comparison(int threads);
  ~Comparison();
  Comparison(const Comparison&) = delete;
  Comparison& operator=(const Comparison&) = delete;

  // Two 8-bit 4:2:0 pictures twice: at the viewing size, and at the encode's own. The latter are for blockiness, which
  // is what the encode has more of than the source: edges of the picture itself may lie on block borders too.
  struct Views {
    std::shared_ptr<const AVFrame> source, encode;
  };
  // Waits while many pairs are waiting. `scored`: by MS-SSIM and SSIMULACRA 2 too, which take many times as long as the
  // rest.
  void Add(Views viewed, Views coded, bool scored);
  // The metrics of all pairs. No more may be added.
  std::vector<PictureMetrics> Finish();

 private:
  struct Pair {
    std::size_t index;
    Views viewed, coded;
    bool scored;
  };
  void Work();

  std::mutex mutex_;
  std::condition_variable changed_;
  std::deque<Pair> waiting_;
  std::size_t added_ = 0;
  bool finished_ = false;
  std::vector<PictureMetrics> metrics_;
  std::vector<std::jthread> threads_;
};

}  // namespace kettle
