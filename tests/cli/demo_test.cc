// SPDX-License-Identifier: Apache-2.0
// The demo as `./dev demo` runs it. Whether this machine keeps pace is not a test's business: both answers are right,
// as long as everything that belongs to them is there.
#include "program.h"

namespace kettle {
namespace {

using DemoTest = test::ProgramTest;

TEST_F(DemoTest, WithTheStandIn) {
  const auto ran = Run("demo --stand-in-gpu modest --proof-seconds 2 --out out");
  ASSERT_THAT(ran.code, testing::AnyOf(0, 1)) << ran.err;
  EXPECT_EQ(ran.complaint(), "");
  EXPECT_THAT(ran.out, testing::AllOf(testing::HasSubstr("settings card"), testing::HasSubstr("SIMULATED")));
  const nlohmann::json plan = Json("out/plan.json");
  EXPECT_EQ(plan["simulated"], true);
  EXPECT_EQ(plan["stream"].is_object(), plan["verdict"] != "overload") << "a tight plan is one too, with exit code 1";
  EXPECT_EQ(ran.code == 0, plan["verdict"] == "holds");
  EXPECT_LE(plan["trials"]["used"].get<int>() * 2, plan["trials"]["grid"].get<int>());
  for (const char* file :
       {"survey.json", "bench.json", "bench.csv", "card.txt", "speed-quality.svg", "speed-quality.png"})
    EXPECT_TRUE(std::filesystem::exists(path(std::string("out/") + file))) << file;
  if (plan["verdict"] == "overload") {
    EXPECT_THAT(Get(path("out/card.txt")), testing::HasSubstr("Nearest settings that would"));
  }
}

}  // namespace
}  // namespace kettle
