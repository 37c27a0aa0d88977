// SPDX-License-Identifier: Apache-2.0
// load: what a game takes, captured and replayed.
#include <chrono>
#include <thread>

#include "program.h"

namespace kettle {
namespace {

using testing::AllOf;
using testing::HasSubstr;

class LoadCommandTest : public test::ProgramTest {};

TEST_F(LoadCommandTest, CapturesAndReplays) {
  const auto captured = Run("load capture --seconds 2 --out out/load.json --quiet");
  ASSERT_EQ(captured.code, 2) << "there is no folder of that name, which is said before the minute is over";
  std::filesystem::create_directory(path("out"));
  const auto again = Run("load capture --seconds 2 --out out/load.json --quiet");
  ASSERT_EQ(again.code, 0) << again.err;
  EXPECT_THAT(again.out, HasSubstr("cores on average"));
  ExpectValid("load");
  const auto replayed = Run("load replay out/load.json --seconds 2 --quiet");
  EXPECT_EQ(replayed.code, 0) << replayed.err;
  EXPECT_THAT(replayed.out, HasSubstr("the profile asks for"));
  EXPECT_THAT(nlohmann::json::parse(Run("load replay out/load.json --seconds 1 --json --quiet").out)["seen_cores"],
              testing::Ge(0));
}

TEST_F(LoadCommandTest, WhatAGameTakesOfTheGpuIsReplayedOnTheSimulatedOne) {
  nlohmann::json profile = {
      {"schema", "fast-kettle/load/1"}, {"interval_seconds", 0.2}, {"memory_share", 0}, {"programs", {}},
      {"duty", {{0.1}, {0.1}}},         {"gpu", {{0.6}, {0.6}}}};
  Put("gpu.load.json", profile.dump());
  test::Ran replayed;
  std::thread replay([&] { replayed = Run("load replay gpu.load.json --stand-in-gpu modest --seconds 6 --quiet"); });
  std::this_thread::sleep_for(std::chrono::seconds(2));
  const auto captured = Run("load capture --stand-in-gpu modest --seconds 2 --out seen.json --quiet");
  replay.join();
  EXPECT_EQ(replayed.code, 0) << replayed.err;
  EXPECT_THAT(replayed.out, HasSubstr("replayed on the SIMULATED one"));
  EXPECT_THAT(captured.out, AllOf(HasSubstr("SIMULATED"), testing::ContainsRegex("GPU: [0-9]+ %")));
  // How nearly is for the benchmark: the replay may begin late and the device be held up.
  EXPECT_GT(Json("seen.json")["mean_gpu"][0].get<double>(), 0.1);
  EXPECT_LE(Json("seen.json")["mean_gpu"][0].get<double>(), 0.9);
  EXPECT_THAT(Run("load replay gpu.load.json --seconds 1 --quiet").out, HasSubstr("not replayed"));
}

TEST_F(LoadCommandTest, BadInputIsOneLine) {
  EXPECT_THAT(Run("load").err, HasSubstr("capture or replay"));
  EXPECT_THAT(Run("load captre").err, HasSubstr("capture"));
  EXPECT_THAT(Run("load replay").err, HasSubstr("name a profile"));
  EXPECT_THAT(Run("load replay none.json").err, HasSubstr("no such file"));
  EXPECT_EQ(Run("load capture --seconds 0").code, 2);
  Put("show.toml",
      "[picture]\nsource_size = \"320x180\"\nframe_rate = \"12\"\nfootage = [\"open-water\"]\n[stream]\n"
      "bit_rate = \"600 kbit/s\"\n[load]\nprofile = \"none.json\"\n");
  const auto ran = Run("plan --show show.toml --out out");
  EXPECT_EQ(ran.code, 2);
  EXPECT_THAT(ran.err, HasSubstr("load capture"));
}

}  // namespace
}  // namespace kettle
