// SPDX-License-Identifier: Apache-2.0
#include <atomic>
#include <ctime>
#include <nlohmann/json.hpp>

#include "kettle/load/capture.h"
#include "kettle/load/replay.h"
#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using testing::ElementsAre;
using testing::HasSubstr;

LoadProfile Steady(const std::vector<double>& duty, int samples) {
  LoadProfile profile;
  profile.duty.assign(static_cast<std::size_t>(samples), duty);
  return profile;
}

TEST(LoadProfile, SumsUpCoresAndSeconds) {
  LoadProfile profile = Steady({0.2, 0.4}, 10);
  profile.duty[7] = {1, 1};
  EXPECT_EQ(profile.cores(), 2);
  EXPECT_NEAR(profile.seconds(), 2, 1e-9);
  EXPECT_NEAR(profile.mean_cores(), (9 * 0.6 + 2) / 10, 1e-9);
  EXPECT_THAT(profile.SecondDuty(0), ElementsAre(testing::DoubleNear(0.2, 1e-9), testing::DoubleNear(0.4, 1e-9)));
  EXPECT_NEAR(profile.SecondDuty(1)[0], (4 * 0.2 + 1) / 5, 1e-9);
  EXPECT_NEAR(profile.peak_second_cores(), (4 * 0.6 + 2) / 5, 1e-9);
}

TEST(LoadProfile, OfMoreCoresIsPutOntoFewer) {
  const LoadProfile folded = OntoCores(Steady({0.9, 0.1, 0.4, 0.1}, 3), 2);
  EXPECT_EQ(folded.cores(), 2);
  EXPECT_NEAR(folded.mean_cores(), 1.5, 1e-9) << "nothing is lost while there is room";
  EXPECT_NEAR(folded.duty[0][0], 1, 1e-9) << "what is too much for one core goes to the other";
  EXPECT_NEAR(OntoCores(Steady({1, 1, 1, 1}, 3), 2).mean_cores(), 2, 1e-9) << "and no core gives more than all of it";
  EXPECT_NEAR(OntoCores(Steady({0.5}, 3), 4).mean_cores(), 0.5, 1e-9);
}

TEST(LoadProfile, BeginsAnewAtAnySecond) {
  LoadProfile profile;
  for (int i = 0; i < 15; ++i) {
    profile.duty.push_back({i / 20.0});
    profile.gpu.push_back({i / 20.0, 0.5});
  }
  EXPECT_EQ(profile.busiest_second(), 2);
  EXPECT_NEAR(StartingAt(profile, 2).duty[0][0], 0.5, 1e-9);
  EXPECT_NEAR(StartingAt(profile, -1).duty[0][0], 0.5, 1e-9) << "around the end";
  EXPECT_NEAR(StartingAt(profile, -1).gpu[0][0], 0.5, 1e-9);
  EXPECT_NEAR(StartingAt(profile, 7).duty[14][0], 0.2, 1e-9);
  EXPECT_THAT(profile.mean_gpu(), ElementsAre(testing::DoubleNear(0.35, 1e-9), testing::DoubleNear(0.5, 1e-9)));
}

class LoadTest : public test::FolderTest {
 protected:
  // Seconds in which each of two cores had nothing to do; what the kernel counts as busy is not looked at.
  void PutStat(double first_rest, double second_rest) {
    Put("proc/stat",
        fmt::format("cpu  177 2 3 4 5 6 7 8\ncpu0 77 0 0 {:.0f} 0 0 0 500\ncpu1 0 0 99 0 {:.0f} 0 0 {:.0f}\n",
                    first_rest * 100, second_rest * 50, second_rest * 50));
  }
};

TEST(LoadProfile, TheGameIsOnTheCardWhoseShaderUnitsHaveMostToDo) {
  LoadProfile profile;
  profile.gpus = {{"Slow", "0000:00:02.0"}, {"Fast", "0000:01:00.0"}};
  EXPECT_EQ(profile.game_card(), nullptr) << "nothing was watched";
  profile.gpu = {{0.05, 0.6}, {0.07, 0.7}};
  ASSERT_NE(profile.game_card(), nullptr);
  EXPECT_EQ(profile.game_card()->bus_address, "0000:01:00.0");
  profile.gpu = {{0.05, 0.06}};
  EXPECT_EQ(profile.game_card(), nullptr) << "a desktop takes that much";
  profile.gpus.clear();
  profile.gpu = {{0.05, 0.6}};
  EXPECT_EQ(profile.game_card(), nullptr) << "an earlier version did not say which cards they are";
}

TEST_F(LoadTest, AProfileSurvivesItsFile) {
  LoadProfile profile = Steady({0.25, 0.5}, 4);
  profile.programs = {{"regatta", 0.7}};
  profile.memory_share = 0.3;
  profile.gpu = {{0.5}, {0.25}, {0}, {1}};
  nlohmann::json json = profile;
  json["schema"] = "fast-kettle/load/1";
  const LoadProfile read = ReadLoadProfile(Put("a.load.json", json.dump()));
  EXPECT_EQ(read.duty, profile.duty);
  EXPECT_EQ(read.gpu, profile.gpu);
  EXPECT_EQ(read.memory_share, 0.3);
  EXPECT_EQ(read.programs.front().name, "regatta");
}

TEST_F(LoadTest, WhatIsNoProfileIsSaidInOneLine) {
  const auto complaint = [&](const std::string& content) {
    return Complaint(Fault::kInput, [&] { ReadLoadProfile(Put("bad.json", content)); });
  };
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ReadLoadProfile(path("none.json")); }), HasSubstr("no such file"));
  EXPECT_THAT(complaint("{"), HasSubstr("cut off"));
  EXPECT_THAT(complaint("{\"schema\": \"fast-kettle/plan/1\"}"), HasSubstr("not a load profile"));
  nlohmann::json json = Steady({0.5}, 2);
  json["schema"] = "fast-kettle/load/1";
  json["duty"][1] = {1.7};
  EXPECT_THAT(complaint(json.dump()), HasSubstr("from 0 to 1"));
  json["duty"][1] = {0.5};
  json["gpu"] = {{0.5}};
  EXPECT_THAT(complaint(json.dump()), HasSubstr("use of every GPU"));
  json.erase("gpu");
  json["duty"] = nlohmann::json::array();
  EXPECT_THAT(complaint(json.dump()), HasSubstr("empty"));
}

TEST_F(LoadTest, CaptureSeesEachCoreBySample) {
  PutStat(10, 20);
  test::FakeClock clock;
  const std::atomic<bool> stop = false;
  int sample = 0;
  // Each sample is taken after 0.2 s; between them core 0 works half the time and core 1 never: it waits for a disk
  // for half of it, and for the hypervisor.
  PutStat(10.1, 20.2);
  const LoadProfile profile =
      CaptureLoad({.seconds = 0.8, .interval_seconds = 0.2, .root = path("")}, clock, stop, [&](double) {
        ++sample;
        PutStat(10.1 + 0.1 * sample, 20.2 + 0.2 * sample);
      });
  ASSERT_EQ(profile.duty.size(), 4u);
  for (std::size_t i = 1; i < 4; ++i) {
    EXPECT_NEAR(profile.duty[i][0], 0.5, 0.01);
    EXPECT_NEAR(profile.duty[i][1], 0, 0.01);
  }
  EXPECT_EQ(profile.memory_share, 0) << "not asked for";
}

TEST_F(LoadTest, CaptureAsksForTheGpusInEverySample) {
  PutStat(1, 1);
  test::FakeClock clock;
  const std::atomic<bool> stop = false;
  double share = 0;
  const LoadProfile profile =
      CaptureLoad({.seconds = 0.6, .gpu = [&] { return std::vector{share += 0.25}; }, .root = path("")}, clock, stop,
                  [](double) {});
  EXPECT_THAT(profile.gpu, ElementsAre(ElementsAre(0.25), ElementsAre(0.5), ElementsAre(0.75)));
}

TEST_F(LoadTest, ACoreThatGoesToSleepIsIdleFromThenOn) {
  PutStat(1, 1);
  test::FakeClock clock;
  const std::atomic<bool> stop = false;
  const LoadProfile profile =
      CaptureLoad({.seconds = 0.6, .interval_seconds = 0.2, .root = path("")}, clock, stop,
                  [&](double) { Put("proc/stat", "cpu  177 2 3 4 5 6 7 8\ncpu0 0 0 0 120 0 0 0 0\n"); });
  ASSERT_EQ(profile.duty.size(), 3u);
  for (const auto& sample : profile.duty) EXPECT_EQ(sample.size(), 2u) << "as many cores in every sample";
  EXPECT_EQ(profile.duty.back()[1], 0);
}

TEST_F(LoadTest, CaptureMeasuresMemoryBesideTheIdleMachine) {
  PutStat(1, 1);
  test::FakeClock clock;
  const std::atomic<bool> stop = false;
  const auto share = [&](double idle_memory) {
    return CaptureLoad({.seconds = 2, .idle_memory = idle_memory, .root = path("")}, clock, stop, [](double) {})
        .memory_share;
  };
  EXPECT_EQ(share(1), 0) << "faster than on the idle machine: nobody else uses it";
  EXPECT_GT(share(1e18), 0.99) << "next to nothing of what it was";
}

TEST_F(LoadTest, CaptureEndsWhenToldAndNeedsSomethingToRead) {
  PutStat(1, 1);
  test::FakeClock clock;
  std::atomic<bool> stop = false;
  const auto profile = CaptureLoad({.seconds = 10, .root = path("")}, clock, stop, [&](double share) {
    if (share > 0.3) stop = true;
  });
  EXPECT_LT(profile.seconds(), 5);
  EXPECT_THAT(Complaint(Fault::kMachine, [&] { CaptureLoad({.root = path("nowhere")}, clock, stop, [](double) {}); }),
              HasSubstr("/proc/stat"));
}

TEST_F(LoadTest, ReplayUsesTheProcessorAndEnds) {
  double told = 0;
  const auto used = [&](double duty) {
    const std::clock_t before = std::clock();
    ReplayLoad(Steady({duty}, 5), 0.6, [&](double share) { told = share; });
    return std::clock() - before;
  };
  const std::clock_t nothing = used(0), half = used(0.5);
  EXPECT_GT(half, 3 * nothing) << "processor time of this process; how exactly is for the benchmark";
  EXPECT_GT(told, 0);
  EXPECT_THROW(ReplayLoad(Steady({0.1}, 5), 60, [](double) { throw Error(Fault::kInterrupted, "stop"); }), Error);
}

}  // namespace
}  // namespace kettle
