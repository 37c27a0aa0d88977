// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/pooling.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "kettle/quality/score_sampling.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr double kLowShare = 0.05;

std::vector<double> Each(const std::vector<PictureMetrics>& frames, double PictureMetrics::*field) {
  std::vector<double> values;
  for (const PictureMetrics& frame : frames) values.push_back(frame.*field);
  return values;
}

std::vector<PictureScore> Scored(const std::vector<PictureMetrics>& frames,
                                 std::optional<double> PictureMetrics::*metric) {
  std::vector<PictureScore> scored;
  for (std::size_t i = 0; i < frames.size(); ++i)
    if (frames[i].*metric) scored.push_back({static_cast<int>(i), *(frames[i].*metric)});
  return scored;
}

// Of the pictures that were scored.
void PoolScored(const std::vector<PictureMetrics>& frames, FrameRate rate, Quality& quality) {
  const std::vector<PictureScore> scores = Scored(frames, &PictureMetrics::score);
  if (scores.empty()) return;
  const std::vector<double> ssims = Each(frames, &PictureMetrics::ssim_y);
  const PooledScore pooled = PoolScores(scores, ssims, rate);
  quality.picture_score = pooled.mean;
  quality.picture_score_interval = pooled.interval;
  quality.seconds_picture_score = pooled.seconds;
  for (const PictureScore& one : scores) quality.scored_pictures.push_back(one.picture);
  quality.worst_second =
      static_cast<int>(std::min_element(pooled.seconds.begin(), pooled.seconds.end()) - pooled.seconds.begin());
  const PooledScore similarity = PoolScores(Scored(frames, &PictureMetrics::ms_ssim_y), ssims, rate);
  quality.ms_ssim_y = similarity.mean;
  quality.worst_second_ms_ssim_y = *std::min_element(similarity.seconds.begin(), similarity.seconds.end());
  const PooledScore blockiness = PoolScores(Scored(frames, &PictureMetrics::blockiness), ssims, rate);
  quality.blockiness = std::max(0.0, blockiness.mean);
  quality.worst_second_blockiness =
      std::max(0.0, *std::max_element(blockiness.seconds.begin(), blockiness.seconds.end()));
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

  PoolScored(frames, rate, quality);
  return quality;
}

#define KETTLE_QUALITY_FIELDS                                                                                     \
  viewing_size, frames, picture_score, picture_score_interval, seconds_picture_score, scored_pictures, speeds,    \
      frame_rate_share, psnr_y_db, psnr_u_db, psnr_v_db, ssim_y, ms_ssim_y, blockiness, p5_psnr_y_db, p5_ssim_y,  \
      worst_second_psnr_y_db, worst_second_ssim_y, worst_second_ms_ssim_y, worst_second_blockiness, worst_second, \
      worst_frame, worst_frame_psnr_y_db

void to_json(nlohmann::json& nlohmann_json_j, const Quality& nlohmann_json_t) {
  NLOHMANN_JSON_EXPAND(NLOHMANN_JSON_PASTE(NLOHMANN_JSON_TO, KETTLE_QUALITY_FIELDS))
}
void from_json(const nlohmann::json& nlohmann_json_j, Quality& nlohmann_json_t) {
  NLOHMANN_JSON_EXPAND(NLOHMANN_JSON_PASTE(NLOHMANN_JSON_FROM, KETTLE_QUALITY_FIELDS))
}

#undef KETTLE_QUALITY_FIELDS

void to_json(nlohmann::json& json, const PictureMetrics& m) {
  json = {m.mse_y, m.mse_u, m.mse_v, m.ssim_y};
  if (m.score) json.insert(json.end(), {*m.score, m.ms_ssim_y.value_or(0), m.blockiness.value_or(0)});
}
void from_json(const nlohmann::json& json, PictureMetrics& m) {
  m = {json.at(0), json.at(1), json.at(2), json.at(3)};
  if (json.size() < 7) return;
  m.score = json.at(4);
  m.ms_ssim_y = json.at(5);
  m.blockiness = json.at(6);
}

}  // namespace kettle
