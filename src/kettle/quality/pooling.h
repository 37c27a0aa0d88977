// SPDX-License-Identifier: Apache-2.0
// From the metrics of single pictures to figures for a whole encode.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <vector>

#include "kettle/quality/frame_rate_loss.h"
#include "kettle/quality/picture_metrics.h"
#include "kettle/units/units.h"

namespace kettle {

struct Quality {
  FrameSize viewing_size;  // at which it was compared
  int frames = 0;          // of the encode
  // SSIMULACRA 2 of the pictures that were scored (score_sampling.h): the mean, half of its 95 % interval, and the
  // means of all seconds.
  double picture_score = 0, picture_score_interval = 0;
  std::vector<double> seconds_picture_score;
  std::vector<int> scored_pictures;
  Speeds speeds;                // of the source
  double frame_rate_share = 1;  // what the encode's frame rate leaves of the score (FrameRateShare)
  // Means over the frames; PSNR is that of the mean squared error, at most 100 dB.
  double psnr_y_db = 0, psnr_u_db = 0, psnr_v_db = 0;
  double ssim_y = 0;
  double ms_ssim_y = 0, blockiness = 0;  // of the pictures that were scored
  // What 95 % of the frames reach or exceed.
  double p5_psnr_y_db = 0, p5_ssim_y = 0;
  // The lowest mean over any whole second, counted from the first frame; for blockiness the highest.
  double worst_second_psnr_y_db = 0, worst_second_ssim_y = 0, worst_second_ms_ssim_y = 0;
  double worst_second_blockiness = 0;
  int worst_second = 0;  // the one with the lowest score, counted from 0
  int worst_frame = 0;   // the one with the largest error
  double worst_frame_psnr_y_db = 0;

  // What encodes are ranked by, from 100 (nothing to be seen of the encode) downwards; a ruined picture lies below 0.
  double score() const { return AtFrameRate(picture_score); }
  double second_score(std::size_t second) const { return AtFrameRate(seconds_picture_score.at(second)); }
  double worst_second_score() const {
    return seconds_picture_score.empty() ? score() : second_score(static_cast<std::size_t>(worst_second));
  }

 private:
  double AtFrameRate(double score) const { return score > 0 ? score * frame_rate_share : score; }
};

// All zero but the viewing size if there is no frame. `rate` is the encode's.
Quality Pool(const std::vector<PictureMetrics>& frames, FrameRate rate, FrameSize viewing_size);

void to_json(nlohmann::json& json, const Quality& quality);
void from_json(const nlohmann::json& json, Quality& quality);

// As a list: mean squared errors of Y, U, V, SSIM; score, MS-SSIM and blockiness of those that have them.
void to_json(nlohmann::json& json, const PictureMetrics& metrics);
void from_json(const nlohmann::json& json, PictureMetrics& metrics);

}  // namespace kettle
