// SPDX-License-Identifier: Apache-2.0
#include "kettle/curve/bd_rate.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "quality/python.h"
#include "support.h"

namespace kettle {
namespace {

RateCurve Curve(double factor, double bend = 0) {
  RateCurve curve;
  for (const double kbps : {1000.0, 1700.0, 3100.0, 6000.0, 9000.0})
    curve.push_back({kbps * factor, 10 + 6 * std::log10(kbps / 1000) - bend * std::pow(std::log10(kbps / 1000), 2)});
  return curve;
}

TEST(BdRate, ACurveShiftedInRateIsThatMuch) {
  EXPECT_NEAR(*BdRate(Curve(1), Curve(0.69)), -0.31, 1e-9);
  EXPECT_NEAR(*BdRate(Curve(1, 1.5), Curve(1.2, 1.5)), 0.2, 1e-9);
  EXPECT_NEAR(*BdRate(Curve(1), Curve(1)), 0, 1e-12);
}

TEST(BdRate, TheOrderOfThePointsDoesNotMatter) {
  RateCurve turned = Curve(0.8, 1);
  std::reverse(turned.begin(), turned.end());
  EXPECT_DOUBLE_EQ(*BdRate(Curve(1), turned), *BdRate(Curve(1), Curve(0.8, 1)));
}

TEST(BdRate, NothingWithoutACommonRange) {
  EXPECT_FALSE(BdRate({{1000, 10}, {2000, 12}}, {{1000, 13}, {2000, 15}}));
  EXPECT_FALSE(BdRate({{1000, 10}}, {{1000, 10}, {2000, 12}}));
  EXPECT_FALSE(BdRate({}, {}));
}

TEST(BdRate, IsThatOfAnIndependentImplementation) {
  const RateCurve anchor{{980, 11.2}, {1510, 12.9}, {2890, 15.1}, {4470, 16.2}, {7900, 18.8}};
  const RateCurve test{{900, 11.9}, {1600, 14.4}, {3000, 15.6}, {5100, 18.1}};
  const auto list = [](const RateCurve& curve) {
    nlohmann::json points = nlohmann::json::array();
    for (const RatePoint& point : curve) points.push_back({point.kbps, point.quality});
    return points;
  };
  const std::string given = nlohmann::json{{"anchor", list(anchor)}, {"test", list(test)}}.dump();
  const double expected = std::stod(test::RunReference("bd-rate '" + given + "'"));
  EXPECT_NEAR(*BdRate(anchor, test) * 100, expected, 1e-4);
}

TEST(QualityAt, GoesThroughThePointsAndStaysBetweenThem) {
  const RateCurve curve{{1000, 10}, {2000, 14}, {4000, 14.1}};
  EXPECT_NEAR(*QualityAt(curve, 2000), 14, 1e-9);
  EXPECT_GT(*QualityAt(curve, 1500), 10);
  EXPECT_LT(*QualityAt(curve, 1999), 14);
  EXPECT_LE(*QualityAt(curve, 3000), 14.1);
  EXPECT_FALSE(QualityAt(curve, 900));
  EXPECT_FALSE(QualityAt({}, 900));
  EXPECT_EQ(QualityAt({{900, 7}}, 900), 7);
}

}  // namespace
}  // namespace kettle
