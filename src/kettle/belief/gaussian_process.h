// SPDX-License-Identifier: Apache-2.0
// A smooth function of a few coordinates, known at some points: Gaussian process regression (Rasmussen and Williams,
// Gaussian Processes for Machine Learning, 2.2).
#pragma once

#include <algorithm>
#include <cmath>
#include <eigen3/Eigen/Dense>
#include <functional>
#include <vector>

#include "kettle/belief/estimate.h"

namespace kettle {

// How alike a function is at two points so far apart, 1 to 0: Matern's covariance with nu = 5/2 (the same, equation
// 4.17), of a distance in length scales.
inline double Matern52(double distance) {
  const double a = std::sqrt(5.0) * distance;
  return (1 + a + a * a / 3) * std::exp(-a);
}

template <class Point>
class GaussianProcess {
 public:
  // Both are of the function's own unit, the covariance of that squared; `error` is of a single look, above zero.
  GaussianProcess(std::function<double(const Point&)> mean,
                  std::function<double(const Point&, const Point&)> covariance, double error)
      : mean_(std::move(mean)), covariance_(std::move(covariance)), error_(error) {}

  void Observe(const Point& point, double value) {
    points_.push_back(point);
    surprises_.push_back(value - mean_(point));
    solved_ = false;
  }

  Estimate At(const Point& point) const {
    const double prior = covariance_(point, point);
    if (points_.empty()) return {mean_(point), std::sqrt(prior)};
    Solve();
    const auto size = static_cast<Eigen::Index>(points_.size());
    Eigen::VectorXd with(size);
    for (Eigen::Index i = 0; i < size; ++i) with(i) = covariance_(point, points_[static_cast<std::size_t>(i)]);
    const double left = prior - with.dot(factor_.solve(with));
    return {mean_(point) + with.dot(weights_), std::sqrt(std::max(0.0, left))};
  }

  // How well the function was foretold: the logarithm of the probability of all that was observed, but for a term that
  // is the same for each process with as many points (the same, equation 2.30).
  double LogEvidence() const {
    if (points_.empty()) return 0;
    Solve();
    return log_evidence_;
  }

 private:
  void Solve() const {
    if (solved_) return;
    const auto size = static_cast<Eigen::Index>(points_.size());
    Eigen::MatrixXd all(size, size);
    Eigen::VectorXd surprises(size);
    for (Eigen::Index i = 0; i < size; ++i) {
      const auto at = static_cast<std::size_t>(i);
      surprises(i) = surprises_[at];
      for (Eigen::Index k = 0; k <= i; ++k)
        all(i, k) = all(k, i) = covariance_(points_[at], points_[static_cast<std::size_t>(k)]);
      all(i, i) += error_ * error_;
    }
    factor_.compute(all);
    weights_ = factor_.solve(surprises);
    log_evidence_ = -(surprises.dot(weights_) + factor_.vectorD().array().log().sum()) / 2;
    solved_ = true;
  }

  std::function<double(const Point&)> mean_;
  std::function<double(const Point&, const Point&)> covariance_;
  double error_;
  std::vector<Point> points_;
  std::vector<double> surprises_;  // by how much each look differed from the mean
  mutable Eigen::LDLT<Eigen::MatrixXd> factor_;
  mutable Eigen::VectorXd weights_;
  mutable double log_evidence_ = 0;
  mutable bool solved_ = false;
};

}  // namespace kettle
