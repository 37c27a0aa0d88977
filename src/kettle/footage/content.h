// SPDX-License-Identifier: Apache-2.0
// What kind of picture it is: how much detail, how much motion.
#pragma once

#include <deque>
#include <memory>
#include <string>
#include <vector>

#include "kettle/media/libav.h"
#include "kettle/media/picture_view.h"

namespace kettle {

// Of ITU-T P.910, 7.7 and 7.8, on luma in grey levels of its 8-bit range.
// The standard deviation over the picture of its Sobel gradient.
double SpatialInformation(const PlaneView& luma);
// The standard deviation over the picture of the difference from another one.
double TemporalInformation(const PlaneView& luma, const PlaneView& previous);

struct Content {
  double si = 0, ti = 0;            // P.910's: the highest over time
  double mean_si = 0, mean_ti = 0;  // over time
  // The mean over time of what TI measures, but between pictures 1/30 s apart, so that it means the same at every
  // frame rate.
  double motion = 0;
  int busiest_second = 0, calmest_second = 0;  // by that motion, counted from 0; 0 in less than two seconds
  std::string word() const;  // "still", "slow", "fast", "very fast", from `motion`: below 3, 9, 18, and above
};

// Meters a run of 8-bit pictures of one size and a steady frame rate.
class ContentMeter {
 public:
  explicit ContentMeter(FrameRate rate);
  void Add(std::shared_ptr<const AVFrame> picture);  // kept for 1/30 s
  Content Result() const;

 private:
  FrameRate rate_;
  std::size_t apart_;  // pictures in 1/30 s
  std::deque<std::shared_ptr<const AVFrame>> recent_;
  std::vector<double> si_, ti_, motion_;
};

}  // namespace kettle
