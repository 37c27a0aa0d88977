// SPDX-License-Identifier: Apache-2.0
// A number that adds up from named parts, each of which is believed to have some size: Bayesian linear regression with
// Normal priors (Bishop, Pattern Recognition and Machine Learning, 3.3), one look after the other.
#pragma once

#include <eigen3/Eigen/Dense>
#include <map>
#include <string>
#include <vector>

#include "kettle/belief/estimate.h"

namespace kettle {

class LinearBelief {
 public:
  // One summand: a part's size, times `times`.
  struct Summand {
    std::string part;
    double times = 1;
  };
  using Sum = std::vector<Summand>;

  // What is believed of a part beforehand; its deviation must be above zero. A part that is named twice keeps the
  // first.
  void Expect(const std::string& part, const Estimate& prior);

  // A sum was seen, with an error of so much (standard deviation, above zero). Every part must be expected.
  void Observe(const Sum& sum, double value, double error);
  // It was seen to exceed `bound`, and by how much is not known. The belief takes the mean and the deviation that
  // follow (assumed-density filtering: Opper 1998, A Bayesian approach to on-line learning).
  void ObserveAbove(const Sum& sum, double bound, double error);

  // What is believed of a sum, the error of a single look at it not counted.
  Estimate Of(const Sum& sum) const;

 private:
  Eigen::VectorXd Row(const Sum& sum) const;

  std::map<std::string, int> parts_;  // and their places
  Eigen::VectorXd mean_;
  Eigen::MatrixXd covariance_;
};

}  // namespace kettle
