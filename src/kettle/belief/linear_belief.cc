// SPDX-License-Identifier: Apache-2.0
#include "kettle/belief/linear_belief.h"

#include <algorithm>
#include <cmath>

namespace kettle {

void LinearBelief::Expect(const std::string& part, const Estimate& prior) {
  const auto place = static_cast<int>(parts_.size());
  if (!parts_.emplace(part, place).second) return;
  precision_.conservativeResize(place + 1, place + 1);
  precision_.row(place).setZero();
  precision_.col(place).setZero();
  precision_(place, place) = 1 / (prior.deviation * prior.deviation);
  weighted_mean_.conservativeResize(place + 1);
  weighted_mean_(place) = prior.mean * precision_(place, place);
  solved_ = false;
}

Eigen::VectorXd LinearBelief::Row(const Sum& sum) const {
  Eigen::VectorXd row = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(parts_.size()));
  for (const Summand& summand : sum) row(parts_.at(summand.part)) += summand.times;
  return row;
}

const Eigen::LDLT<Eigen::MatrixXd>& LinearBelief::Solver() const {
  if (!solved_) solver_.compute(precision_);
  solved_ = true;
  return solver_;
}

void LinearBelief::Observe(const Sum& sum, double value, double error) {
  const Eigen::VectorXd row = Row(sum);
  const double weight = 1 / (error * error);
  precision_ += weight * row * row.transpose();
  weighted_mean_ += weight * value * row;
  solved_ = false;
}

void LinearBelief::ObserveAbove(const Sum& sum, double bound, double error) {
  const Estimate before = Of(sum);
  const double variance = before.deviation * before.deviation, of_look = variance + error * error;
  const Estimate look = Above({before.mean, std::sqrt(of_look)}, bound);
  const double share = variance / of_look;
  const double mean = before.mean + share * (look.mean - before.mean);
  const double left = variance - share * variance * (1 - look.deviation * look.deviation / of_look);
  // One look that would have told the same. Where the bound lies far below, none.
  const double weight = 1 / left - 1 / variance;
  if (weight * variance < 1e-9) return;
  Observe(sum, (mean / left - before.mean / variance) / weight, 1 / std::sqrt(weight));
}

Estimate LinearBelief::Of(const Sum& sum) const {
  const Eigen::VectorXd row = Row(sum);
  const auto& solver = Solver();
  return {row.dot(solver.solve(weighted_mean_)), std::sqrt(std::max(0.0, row.dot(solver.solve(row))))};
}

}  // namespace kettle
