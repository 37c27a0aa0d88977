// SPDX-License-Identifier: Apache-2.0
// A line as a server of bytes: when what was sent has gone out.
#pragma once

#include <cstddef>
#include <limits>
#include <vector>

#include "kettle/line/line.h"

namespace kettle {

// A line as a server of bytes, one after another.
class LineServer {
 public:
  // Of the trace's rate `share` is there. `points` must outlive it; the last one holds for ever.
  explicit LineServer(const std::vector<LineTrace::Point>& points, double share = 1) : points_(points), share_(share) {}

  // When `bytes` are through whose first is taken at `start`; infinity if never. Times asked for should not go back by
  // much: it searches from where it was.
  double Finish(double start, double bytes) {
    while (at_ > 0 && points_[at_].seconds > start) --at_;
    while (at_ + 1 < points_.size() && points_[at_ + 1].seconds <= start) ++at_;
    double time = start, bits = bytes * 8;
    for (std::size_t i = at_;; ++i) {
      const double rate = points_[i].kbps * 1000 * share_;
      const bool last = i + 1 == points_.size();
      const double end = last ? std::numeric_limits<double>::infinity() : points_[i + 1].seconds;
      if (rate > 0 && (last || bits <= rate * (end - time))) return time + bits / rate;
      if (last) return end;
      bits -= rate * (end - time);
      time = end;
    }
  }

 private:
  const std::vector<LineTrace::Point>& points_;
  double share_;
  std::size_t at_ = 0;
};

}  // namespace kettle
