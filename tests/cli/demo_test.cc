// SPDX-License-Identifier: Apache-2.0
// The demo, with and without the stand-in. Whether this machine keeps pace is not a test's business: both
// answers are right, as long as everything that belongs to them is there.
#include "program.h"

namespace kettle {
namespace {

class DemoTest : public test::ProgramTest {
 protected:
  void ExpectWhole(const test::Ran& ran, bool simulated) {
    ASSERT_THAT(ran.code, testing::AnyOf(0, 1)) << ran.err;
    EXPECT_EQ(ran.complaint(), "");
    const nlohmann::json plan = Json("out/plan.json");
    EXPECT_EQ(plan["simulated"], simulated);
    EXPECT_EQ(plan["stream"].is_object(), ran.code == 0);
    EXPECT_LE(plan["trials"]["used"].get<int>() * 2, plan["trials"]["grid"].get<int>());
    for (const char* file : {"bench.json", "bench.csv", "card.txt", "speed-quality.svg", "speed-quality.png"})
      EXPECT_TRUE(std::filesystem::exists(path(std::string("out/") + file))) << file;
    if (ran.code == 1) {
      EXPECT_THAT(Get(path("out/card.txt")), testing::HasSubstr("Nearest thing that would"));
    }
  }
};

TEST_F(DemoTest, WithTheStandIn) {
  const auto ran = Run("demo --stand-in-gpu modest --proof-seconds 2 --out out");
  ExpectWhole(ran, true);
  EXPECT_TRUE(std::filesystem::exists(path("out/survey.json")));
  EXPECT_THAT(ran.out, testing::HasSubstr("Settings card"));
  EXPECT_THAT(ran.out, testing::HasSubstr("SIMULATED"));
}

TEST_F(DemoTest, OnTheCpuAloneAndAsJsonNothingButThePlan) {
  const auto ran = Run("demo --without-stand-in --proof-seconds 2 --json --out out");
  ExpectWhole(ran, false);
  const nlohmann::json printed = nlohmann::json::parse(ran.out), kept = Json("out/plan.json");
  EXPECT_TRUE(printed.contains("because"));
  for (const auto& [key, value] : printed.items()) EXPECT_EQ(value, kept[key]) << key;
  EXPECT_EQ(Get(path("out/card.txt")).find("SIMULATED"), std::string::npos);
}

}  // namespace
}  // namespace kettle
