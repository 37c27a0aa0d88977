// SPDX-License-Identifier: Apache-2.0
// How an encode looks, measured or not: its picture score, 0 to 100, as a smooth function of its pixels, its frame
// rate, its preset, its bit rate, its B-frames, look-ahead and passes, learned from the scores of others. How smooth it
// is differs from clip to clip and is learned too.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "kettle/belief/gaussian_process.h"
#include "kettle/encoders/settings.h"

namespace kettle {

class LooksModel {
 public:
  // Sizes and rates are told relative to these: the source's pixels, and the bit rate that is mostly asked for.
  LooksModel(std::int64_t source_pixels, double usual_kbps);

  void Observe(const EncodeSettings& settings, const std::string& clip, double score);
  // The expected score and its deviation, in points.
  Estimate Score(const EncodeSettings& settings, const std::string& clip) const;

 private:
  struct Point {
    double pixels, frame_rate, bits;             // logarithms, in the lengths below
    double preset;                               // from 0, the first, up to 1
    std::optional<double> b_frames, look_ahead;  // how often their number doubles from one; unset: as the preset has it
    bool passes;                                 // more than one is asked for
    double left_out;                             // of these, by the preset itself: 0 to 1
    double usual;                                // score, as a rule
    std::string encoder, clip;
    int device;
  };
  Point PointOf(const EncodeSettings& settings, const std::string& clip) const;
  static double GainsInCommon(const Point& one, const Point& other);
  static double Covariance(double roughness, const Point& one, const Point& other);

  double source_pixels_, usual_kbps_;
  std::vector<GaussianProcess<Point>> processes_;  // one for each roughness that scores may have
};

}  // namespace kettle
