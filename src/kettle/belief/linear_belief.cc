// SPDX-License-Identifier: Apache-2.0
#include "kettle/belief/linear_belief.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace kettle {

void LinearBelief::Expect(const std::string& part, const Estimate& prior) {
  const auto place = static_cast<int>(parts_.size());
  if (!parts_.emplace(part, place).second) return;
  mean_.conservativeResize(place + 1);
  mean_(place) = prior.mean;
  covariance_.conservativeResize(place + 1, place + 1);
  covariance_.row(place).setZero();
  covariance_.col(place).setZero();
  covariance_(place, place) = prior.deviation * prior.deviation;
}

Eigen::VectorXd LinearBelief::Row(const Sum& sum) const {
  Eigen::VectorXd row = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(parts_.size()));
  for (const Summand& summand : sum) row(parts_.at(summand.part)) += summand.times;
  return row;
}

void LinearBelief::Observe(const Sum& sum, double value, double error) {
  const Eigen::VectorXd row = Row(sum), shared = covariance_ * row;
  const double variance = row.dot(shared) + error * error;
  mean_ += shared * ((value - row.dot(mean_)) / variance);
  covariance_ -= shared * (shared / variance).transpose();
}

void LinearBelief::ObserveAbove(const Sum& sum, double bound, double error) {
  const Eigen::VectorXd row = Row(sum), shared = covariance_ * row;
  const double variance = row.dot(shared) + error * error, mean = row.dot(mean_);
  const Estimate look = Above({mean, std::sqrt(variance)}, bound);
  mean_ += shared * ((look.mean - mean) / variance);
  covariance_ -= shared * (shared * ((1 - look.deviation * look.deviation / variance) / variance)).transpose();
}

Estimate LinearBelief::Of(const Sum& sum) const {
  std::vector<std::pair<int, double>> places;  // and how many times each
  for (const Summand& summand : sum) places.emplace_back(parts_.at(summand.part), summand.times);
  double mean = 0, variance = 0;
  for (const auto& [place, times] : places) {
    mean += times * mean_(place);
    for (const auto& [other, other_times] : places) variance += times * other_times * covariance_(place, other);
  }
  return {mean, std::sqrt(std::max(0.0, variance))};
}

}  // namespace kettle
