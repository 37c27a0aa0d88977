// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/pooling.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr double kLowShare = 0.05;

std::vector<double> Each(const std::vector<PictureMetrics>& frames, double PictureMetrics::*field) {
  std::vector<double> values;
  for (const PictureMetrics& frame : frames) values.push_back(frame.*field);
  return values;
}

}  // namespace

Quality Pool(const std::vector<PictureMetrics>& frames, FrameRate rate, FrameSize viewing_size) {
  Quality quality;
  quality.viewing_size = viewing_size;
  if (frames.empty()) return quality;
  quality.frames = static_cast<int>(frames.size());
  const auto second = static_cast<std::size_t>(std::max(1L, std::lround(rate.fps())));
  const auto lowest_second = [&](const std::vector<double>& values) {
    const std::vector<double> seconds = WindowMeans(values, second);
    return std::min_element(seconds.begin(), seconds.end()) - seconds.begin();
  };
  const auto highest_mean = [&](const std::vector<double>& values) {
    const std::vector<double> seconds = WindowMeans(values, second);
    return *std::max_element(seconds.begin(), seconds.end());
  };

  const std::vector<double> errors = Each(frames, &PictureMetrics::mse_y);
  quality.psnr_y_db = PsnrDb(*Mean(errors));
  quality.psnr_u_db = PsnrDb(*Mean(Each(frames, &PictureMetrics::mse_u)));
  quality.psnr_v_db = PsnrDb(*Mean(Each(frames, &PictureMetrics::mse_v)));
  quality.p5_psnr_y_db = PsnrDb(*Quantile(errors, 1 - kLowShare));
  quality.worst_second_psnr_y_db = PsnrDb(highest_mean(errors));
  const auto worst = std::max_element(errors.begin(), errors.end());
  quality.worst_frame = static_cast<int>(worst - errors.begin());
  quality.worst_frame_psnr_y_db = PsnrDb(*worst);

  const std::vector<double> ssims = Each(frames, &PictureMetrics::ssim_y);
  quality.ssim_y = *Mean(ssims);
  quality.p5_ssim_y = *Quantile(ssims, kLowShare);
  quality.worst_second_ssim_y = WindowMeans(ssims, second)[static_cast<std::size_t>(lowest_second(ssims))];

  const std::vector<double> ms_ssims = Each(frames, &PictureMetrics::ms_ssim_y);
  quality.ms_ssim_y = *Mean(ms_ssims);
  quality.p5_ms_ssim_y = *Quantile(ms_ssims, kLowShare);
  quality.worst_second = static_cast<int>(lowest_second(ms_ssims));
  quality.seconds_ms_ssim_y = WindowMeans(ms_ssims, second);
  quality.worst_second_ms_ssim_y = quality.seconds_ms_ssim_y[static_cast<std::size_t>(quality.worst_second)];

  const std::vector<double> blockiness = Each(frames, &PictureMetrics::blockiness);
  quality.blockiness = *Mean(blockiness);
  quality.worst_second_blockiness = highest_mean(blockiness);
  return quality;
}

#define KETTLE_QUALITY_FIELDS                                                                                     \
  viewing_size, frames, psnr_y_db, psnr_u_db, psnr_v_db, ssim_y, ms_ssim_y, blockiness, p5_psnr_y_db, p5_ssim_y,  \
      p5_ms_ssim_y, worst_second_psnr_y_db, worst_second_ssim_y, worst_second_ms_ssim_y, worst_second_blockiness, \
      seconds_ms_ssim_y, worst_second, worst_frame, worst_frame_psnr_y_db

void to_json(nlohmann::json& nlohmann_json_j, const Quality& nlohmann_json_t) {
  NLOHMANN_JSON_EXPAND(NLOHMANN_JSON_PASTE(NLOHMANN_JSON_TO, KETTLE_QUALITY_FIELDS))
}
void from_json(const nlohmann::json& nlohmann_json_j, Quality& nlohmann_json_t) {
  NLOHMANN_JSON_EXPAND(NLOHMANN_JSON_PASTE(NLOHMANN_JSON_FROM, KETTLE_QUALITY_FIELDS))
}

#undef KETTLE_QUALITY_FIELDS

void to_json(nlohmann::json& json, const PictureMetrics& m) {
  json = {m.mse_y, m.mse_u, m.mse_v, m.ssim_y, m.ms_ssim_y, m.blockiness};
}
void from_json(const nlohmann::json& json, PictureMetrics& m) {
  m = {json.at(0), json.at(1), json.at(2), json.at(3), json.at(4), json.at(5)};
}

}  // namespace kettle
