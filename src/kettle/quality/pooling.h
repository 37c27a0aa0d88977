// SPDX-License-Identifier: Apache-2.0
// From the metrics of single pictures to figures for a whole encode.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <vector>

#include "kettle/quality/picture_metrics.h"
#include "kettle/units/units.h"

namespace kettle {

struct Quality {
  FrameSize viewing_size;  // at which it was compared
  int frames = 0;
  // Means over the frames; PSNR is that of the mean squared error, at most 100 dB.
  double psnr_y_db = 0, psnr_u_db = 0, psnr_v_db = 0;
  double ssim_y = 0, ms_ssim_y = 0;
  double blockiness = 0;
  // What 95 % of the frames reach or exceed.
  double p5_psnr_y_db = 0, p5_ssim_y = 0, p5_ms_ssim_y = 0;
  // The lowest mean over any whole second, counted from the first frame; for blockiness the highest.
  double worst_second_psnr_y_db = 0, worst_second_ssim_y = 0, worst_second_ms_ssim_y = 0;
  double worst_second_blockiness = 0;
  std::vector<double> seconds_ms_ssim_y;  // the means of all seconds
  int worst_second = 0;                   // the one with the lowest MS-SSIM, counted from 0
  int worst_frame = 0;                    // the one with the largest error
  double worst_frame_psnr_y_db = 0;

  double score() const { return SimilarityDb(ms_ssim_y); }  // what encodes are ranked by: MS-SSIM, dB
  double worst_second_score() const { return SimilarityDb(worst_second_ms_ssim_y); }
};

// All zero but the viewing size if there is no frame.
Quality Pool(const std::vector<PictureMetrics>& frames, FrameRate rate, FrameSize viewing_size);

void to_json(nlohmann::json& json, const Quality& quality);
void from_json(const nlohmann::json& json, Quality& quality);

// As a list: mean squared errors of Y, U, V, SSIM, MS-SSIM, blockiness.
void to_json(nlohmann::json& json, const PictureMetrics& metrics);
void from_json(const nlohmann::json& json, PictureMetrics& metrics);

}  // namespace kettle
