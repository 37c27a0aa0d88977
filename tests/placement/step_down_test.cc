// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/step_down.h"

#include "fakes.h"

namespace kettle {
namespace {

using test::FakeOption;
using test::FakeProof;

const Capacity kCapacity{4, 0.2};

FamilyOptions Family(const std::string& name, int presets) {
  return {name, presets,
          [name](Role, int preset) {
            return FakeOption(name, FindFamily(name).presets.at(static_cast<std::size_t>(preset)), 300, 0.3,
                              10 + preset);
          },
          [](Role, int) { return true; }};
}

Pair MakePair(const std::string& stream, const std::string& stream_preset, const std::string& recording,
              const std::string& recording_preset) {
  return {FakeOption(stream, stream_preset, 100, 1, 10), FakeOption(recording, recording_preset, 100, 1, 10), {}};
}

const std::vector<FamilyOptions> kFamilies = {Family("x264", 4), Family("nvenc-h264", 4)};

std::string After(const Pair& pair, const Proof& proof) {
  const auto next = StepDown(pair, proof, kFamilies, kCapacity);
  return next ? next->stream.title() + " + " + next->recording.title() : "nothing";
}

TEST(StepDown, TheRecordingGivesWayFirst) {
  EXPECT_EQ(After(MakePair("x264", "faster", "x264", "veryfast"), FakeProof(5, 0)), "x264 faster + x264 superfast");
  EXPECT_EQ(After(MakePair("nvenc-h264", "p3", "x264", "veryfast"), FakeProof(5, 0)), "nvenc-h264 p3 + x264 superfast");
  EXPECT_EQ(After(MakePair("x264", "faster", "nvenc-h264", "p2"), FakeProof(0, 9)), "x264 faster + nvenc-h264 p1");
}

TEST(StepDown, AStreamAloneOnTheCpuIsItsOwnTrouble) {
  EXPECT_EQ(After(MakePair("x264", "faster", "nvenc-h264", "p3"), FakeProof(5, 0)), "x264 veryfast + nvenc-h264 p3");
}

TEST(StepDown, TheStreamGivesWayWhenTheRecordingCannot) {
  EXPECT_EQ(After(MakePair("x264", "faster", "x264", "ultrafast"), FakeProof(0, 5)), "x264 veryfast + x264 ultrafast");
  EXPECT_EQ(After(MakePair("x264", "ultrafast", "nvenc-h264", "p2"), FakeProof(5, 0)),
            "x264 ultrafast + nvenc-h264 p1");
  EXPECT_EQ(After(MakePair("x264", "ultrafast", "x264", "ultrafast"), FakeProof(5, 5)), "nothing");
}

TEST(StepDown, OfOneEncodeTheOneGivesWay) {
  Pair pair = MakePair("x264", "faster", "x264", "faster");
  pair.one_encode = true;
  EXPECT_EQ(After(pair, FakeProof(5, 5)), "x264 veryfast + x264 veryfast");
  const auto next = StepDown(pair, FakeProof(5, 5), kFamilies, kCapacity);
  EXPECT_TRUE(next->one_encode);
  EXPECT_EQ(next->demand.cpu_cores, next->stream.cpu_cores) << "it is encoded once";
}

TEST(ProveBest, StopsAtTheFirstThatHolds) {
  const Placement placement{{MakePair("x264", "faster", "x264", "faster")}, {}};
  int runs = 0;
  const Proving proving = ProveBest(
      placement, kFamilies, kCapacity, [&](const Pair&) { return FakeProof(0, ++runs < 3 ? 7 : 0); }, 9);
  EXPECT_TRUE(proving.holds());
  ASSERT_EQ(proving.attempts.size(), 3u);
  EXPECT_EQ(proving.attempts[2].pair.recording.title(), "x264 superfast");
}

TEST(ProveBest, WhatHoldsWithoutRoomIsSteppedDownWhileItCanBe) {
  const auto run = [&](const char* preset, double relief) {
    const Placement placement{{MakePair("x264", "ultrafast", "x264", preset)}, {}};
    double cores = 3.5;
    return ProveBest(
        placement, kFamilies, kCapacity,
        [&](const Pair&) {
          Proof proof = FakeProof(0, 0);
          proof.cpu_cores = cores;
          cores -= relief;
          return proof;
        },
        9);
  };
  const Proving eased = run("faster", 0.2);  // 3.5, 3.3, 3.1 of 4
  EXPECT_EQ(eased.attempts.size(), 3u);
  EXPECT_EQ(eased.verdict(kCapacity), PlanVerdict::kHolds);
  const Proving tight = run("superfast", 0);
  EXPECT_EQ(tight.attempts.size(), 2u) << "nothing is lighter";
  EXPECT_EQ(tight.verdict(kCapacity), PlanVerdict::kTight);
  EXPECT_NEAR(tight.attempts.back().room(kCapacity), 0.125, 1e-9);
}

TEST(Attempt, ItsRoomIsThatOfTheBusiestSecond) {
  Attempt attempt{MakePair("x264", "faster", "x264", "faster"), FakeProof(0, 0)};
  attempt.proof.cpu_cores = 2;
  EXPECT_NEAR(attempt.room(kCapacity), 0.5, 1e-9) << "a run of no second has none";
  attempt.proof.busiest_cpu_cores = 2.8;
  EXPECT_NEAR(attempt.room(kCapacity), 0.3, 1e-9);
  EXPECT_TRUE(attempt.has_room(kCapacity));
  attempt.proof.busiest_cpu_cores = 3.3;
  EXPECT_FALSE(attempt.has_room(kCapacity));
}

TEST(Attempt, WhatRealTimeTookMoreIsTheFactorOfLaterPredictions) {
  Capacity capacity{2, 0.2};
  Attempt attempt{MakePair("x264", "faster", "x264", "faster"), FakeProof(0, 0)};
  attempt.pair.demand.cpu_cores = 1.25;
  attempt.proof.cpu_cores = 1.2;
  attempt.proof.busiest_cpu_cores = 1.5;
  EXPECT_EQ(attempt.RealTimeFactor(capacity), 1) << "there is room";
  attempt.proof.busiest_cpu_cores = 1.75;
  EXPECT_DOUBLE_EQ(attempt.RealTimeFactor(capacity), 1.4);
  attempt.proof.stream.skipped = attempt.proof.stream.frames / 2;
  EXPECT_DOUBLE_EQ(attempt.RealTimeFactor(capacity), 2.8) << "with half of its frames it was as busy";
  capacity.real_time_factor = 1.1;
  EXPECT_DOUBLE_EQ(attempt.RealTimeFactor(capacity), 1.1 * 2.8) << "of a prediction that knew of 1.1";
  attempt.proof.stolen_cores = 0.5;
  EXPECT_EQ(attempt.RealTimeFactor(capacity), 1.1) << "others had their part";
  attempt.proof.stolen_cores = 0;
  attempt.proof.status = WorkerStatus::kCrashed;
  EXPECT_EQ(attempt.RealTimeFactor(capacity), 1.1);
}

TEST(ProveBest, WhatFailsWhileTheMachineIsDisturbedIsRunOnceMore) {
  const Placement placement{{MakePair("x264", "faster", "x264", "faster")}, {}};
  const auto run = [&](int disturbed_runs, int most) {
    int runs = 0;
    return ProveBest(
        placement, kFamilies, kCapacity,
        [&](const Pair&) {
          const bool disturbed = ++runs <= disturbed_runs;
          Proof proof = FakeProof(0, disturbed ? 7 : 0);
          proof.stolen_cores = disturbed ? 0.5 : 0;
          return proof;
        },
        most);
  };
  const Proving once = run(1, 9);
  ASSERT_EQ(once.attempts.size(), 2u);
  EXPECT_EQ(once.attempts[1].pair.recording.title(), "x264 faster") << "no preset was given up for it";
  EXPECT_TRUE(once.holds());
  const Proving twice = run(2, 9);
  ASSERT_EQ(twice.attempts.size(), 3u);
  EXPECT_EQ(twice.attempts[2].pair.recording.title(), "x264 veryfast");
  EXPECT_EQ(run(9, 1).attempts.size(), 1u) << "within the runs allowed";
}

TEST(ProveBest, WhatLeavesTooLittleWhileTheMachineIsDisturbedIsRunOnceMoreToo) {
  const Placement placement{{MakePair("x264", "faster", "x264", "faster")}, {}};
  int runs = 0;
  const Proving proving = ProveBest(
      placement, kFamilies, kCapacity,
      [&](const Pair&) {
        const bool disturbed = ++runs == 1;
        Proof proof = FakeProof(0, 0);
        proof.stolen_cores = disturbed ? 0.5 : 0;
        proof.cpu_cores = kCapacity.cpu_cores * (disturbed ? 0.95 : 0.5);
        return proof;
      },
      9);
  ASSERT_EQ(proving.attempts.size(), 2u);
  EXPECT_EQ(proving.attempts[1].pair.stream.title(), "x264 faster");
  EXPECT_TRUE(proving.attempts[1].has_room(kCapacity));
}

TEST(ProveBest, EndsWhereAnotherPictureIsBetterThanTheNextStep) {
  const Placement placement{{MakePair("x264", "faster", "x264", "ultrafast")}, {}};
  std::vector<std::string> asked;
  const Proving proving = ProveBest(
      placement, kFamilies, kCapacity, [](const Pair&) { return FakeProof(3, 0); }, 9,
      [&](const Pair& next) {
        asked.push_back(next.stream.settings.preset);
        return asked.size() < 2;
      });
  EXPECT_EQ(asked, (std::vector<std::string>{"veryfast", "superfast"}));
  EXPECT_EQ(proving.attempts.size(), 2u) << "the first is proven without being asked about, the last is not";
}

TEST(ProveBest, MeasuresNoFasterPresetWhereItShallNotGoOn) {
  std::vector<FamilyOptions> families = {Family("x264", 4)};
  int measured = 0;
  families[0].measure = [&, real = families[0].measure](Role role, int preset) {
    ++measured;
    return real(role, preset);
  };
  const Placement placement{{MakePair("x264", "faster", "x264", "faster")}, {}};
  const Proving proving = ProveBest(
      placement, families, kCapacity, [](const Pair&) { return FakeProof(3, 0); }, 9, {}, [] { return false; });
  EXPECT_EQ(proving.attempts.size(), 1u);
  EXPECT_EQ(measured, 0);
}

TEST(ProveBest, GivesUpAfterTheAllowedAttempts) {
  const Placement placement{
      {MakePair("x264", "faster", "x264", "faster"), MakePair("nvenc-h264", "p4", "x264", "faster")}, {}};
  const Proving proving = ProveBest(
      placement, kFamilies, kCapacity, [](const Pair&) { return FakeProof(3, 3); }, 4);
  EXPECT_FALSE(proving.holds());
  EXPECT_EQ(proving.attempts.size(), 4u);
}

TEST(ProveBest, ADriverThatFailsIsLeftForTheNextPlacement) {
  const Placement placement{
      {MakePair("nvenc-h264", "p4", "x264", "faster"), MakePair("x264", "faster", "x264", "faster")}, {}};
  const Proving proving = ProveBest(
      placement, kFamilies, kCapacity,
      [](const Pair& pair) {
        Proof proof = FakeProof(0, 0);
        if (pair.stream.device == "gpu") proof.status = WorkerStatus::kCrashed;
        return proof;
      },
      4);
  EXPECT_TRUE(proving.holds());
  ASSERT_EQ(proving.attempts.size(), 2u);
  EXPECT_EQ(proving.attempts[1].pair.stream.device, "cpu");
}

TEST(ProveBest, NothingFeasibleMeansNoRun) {
  EXPECT_FALSE(ProveBest(
                   {}, kFamilies, kCapacity, [](const Pair&) { return FakeProof(0, 0); }, 4)
                   .holds());
}

// A tight plan whose next step failed was once called overload.
TEST(ProveBest, WhatHoldsTightlyStandsWhenALighterPairFails) {
  const Placement placement{{MakePair("x264", "faster", "x264", "faster")}, {}};
  int runs = 0;
  const Proving proving = ProveBest(
      placement, kFamilies, kCapacity,
      [&](const Pair&) {
        Proof proof = FakeProof(0, ++runs == 1 ? 0 : 7);
        proof.cpu_cores = proof.busiest_cpu_cores = 3.9;  // of 4: no room
        return proof;
      },
      3);
  ASSERT_EQ(proving.attempts.size(), 3u);
  EXPECT_TRUE(proving.holds());
  EXPECT_EQ(proving.verdict(kCapacity), PlanVerdict::kTight);
  EXPECT_EQ(proving.attempts.back().pair.recording.title(), "x264 faster") << "the one that held is the one told";
}

TEST(Proving, OfTwoTightRunsTheRoomierStands) {
  Proving proving;
  for (const double cores : {3.5, 3.9}) {
    proving.attempts.push_back({MakePair("x264", "faster", "x264", "faster"), FakeProof(0, 0)});
    proving.attempts.back().proof.busiest_cpu_cores = cores;
  }
  proving.attempts.push_back({MakePair("x264", "fast", "x264", "faster"), FakeProof(3, 0)});
  proving.LetBestStand(kCapacity);
  EXPECT_EQ(proving.attempts.back().proof.busiest_cpu_cores, 3.5);
}

}  // namespace
}  // namespace kettle
