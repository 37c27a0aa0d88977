// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/quantiles.h"

#include <gtest/gtest.h>

#include <random>
#include <vector>

#include "kettle/units/statistics.h"

namespace kettle {
namespace {

TEST(Quantiles, OfNoneOneAndTwo) {
  Quantiles quantiles;
  EXPECT_EQ(quantiles.At(0.5), 0);
  quantiles.Add(7);
  for (const double q : {0.0, 0.5, 1.0}) EXPECT_DOUBLE_EQ(quantiles.At(q), 7);
  quantiles.Add(9);
  EXPECT_DOUBLE_EQ(quantiles.At(0.5), 8);
  EXPECT_DOUBLE_EQ(quantiles.At(1), 9);
}

TEST(Quantiles, AreWithinHalfAPercentOfTheExactOnes) {
  std::mt19937 random(5);
  std::lognormal_distribution<> spread(1, 2);
  std::vector<double> samples;
  Quantiles quantiles;
  for (int i = 0; i < 20'000; ++i) {
    samples.push_back(spread(random));
    quantiles.Add(samples.back());
  }
  for (const double q : {0.0, 0.01, 0.5, 0.99, 0.999, 1.0}) {
    const double exact = *Quantile(samples, q);
    EXPECT_NEAR(quantiles.At(q), exact, exact * 0.006) << q;
  }
  EXPECT_DOUBLE_EQ(quantiles.At(1), *Quantile(samples, 1));
}

TEST(Quantiles, TakesNothingAndLess) {
  Quantiles quantiles;
  for (const double sample : {0.0, -3.0, 0.0}) quantiles.Add(sample);
  EXPECT_DOUBLE_EQ(quantiles.At(1), 0);
  EXPECT_DOUBLE_EQ(quantiles.At(0), -1) << "the mean of those that are not above zero";
}

}  // namespace
}  // namespace kettle
