// SPDX-License-Identifier: Apache-2.0
#include "kettle/comparison/encode_comparison.h"

#include <cmath>
#include <nlohmann/json.hpp>
#include <random>

#include "kettle/units/statistics.h"
#include "support.h"

namespace kettle {
namespace {

using testing::HasSubstr;
using Verdict = EncodeChange::Verdict;

Trial MadeUpTrial(const std::string& preset) {
  Trial trial;
  trial.settings = test::SmallSettings();
  trial.settings.preset = preset;
  trial.footage = trial.footage_key = "start-line";
  trial.device = "cpu";
  trial.status = WorkerStatus::kDone;
  return trial;
}

// Benches of made-up encodes on a machine whose noise is known: what two runs differ by, and single repeats.
class Machine {
 public:
  explicit Machine(unsigned seed, double common = kCommonNoise, double own = kOwnNoise, double repeat = 0.01)
      : random_(seed), common_(common), own_(own), repeat_(repeat) {}

  // From round to round all encodes become slower or faster by a random walk of that deviation a step.
  void Drift(double a_round, int rounds) {
    drift_ = a_round;
    rounds_ = rounds;
  }

  // `slower`: the share by which the first encode takes more processor time, all else alike.
  std::vector<Trial> Bench(const std::vector<std::string>& presets, double slower = 0, double all_slower = 0) {
    std::vector<Trial> trials;
    const double run = Normal(common_) + std::log(1 + all_slower);
    std::vector<double> walk(static_cast<std::size_t>(rounds_));
    for (double at = 0; double& step : walk) step = at += Normal(drift_);
    for (std::size_t i = 0; i < presets.size(); ++i) {
      Trial trial = MadeUpTrial(presets[i]);
      const double encode = run + Normal(own_) + (i == 0 ? std::log(1 + slower) : 0);
      for (const double step : walk) {
        const double cost = std::exp(encode + step + Normal(repeat_)) * 0.01;  // seconds a frame
        Repeat repeat;
        repeat.throughput_fps = 2 / cost;
        repeat.cpu_cores = cost * trial.settings.frame_rate.fps();
        trial.repeats.push_back(repeat);
      }
      Summarise(trial);
      trials.push_back(trial);
    }
    return trials;
  }

 private:
  double Normal(double deviation) { return std::normal_distribution<double>(0, deviation)(random_); }
  std::mt19937 random_;
  double common_, own_, repeat_;
  double drift_ = 0;
  int rounds_ = 5;
};

const std::vector<std::string> kTwo{"veryfast", "faster"};
const std::vector<std::string> kSeven{"ultrafast", "superfast", "veryfast", "faster", "fast", "medium", "slow"};

// How many of 200 comparisons tell a difference.
int Told(const std::vector<std::string>& presets, double slower, bool of_first) {
  int told = 0;
  for (unsigned seed = 0; seed < 200; ++seed) {
    Machine machine(seed);
    const std::vector<Trial> before = machine.Bench(presets), now = machine.Bench(presets, slower);
    const EncodeComparison comparison = CompareEncodes(before, now);
    told += of_first ? comparison.encodes.front().verdict == Verdict::kSlower
                     : comparison.any_changed() || comparison.all_changed();
  }
  return told;
}

TEST(CompareEncodes, RunsAlikeShowNoDifferenceNineteenTimesOfTwenty) {
  EXPECT_LE(Told(kTwo, 0, false), 10);
  EXPECT_LE(Told(kSeven, 0, false), 13) << "5 %, which of 200 is 10, give or take 3";
}

TEST(CompareEncodes, ATenthSlowerIsSeenNineteenTimesOfTwenty) {
  EXPECT_GE(Told({"veryfast"}, 0.1, true), 190);
  EXPECT_GE(Told(kSeven, 0.1, true), 190);
}

// A machine whose neighbours come and go: each run's level is another, and within a run it moves by more than the
// difference to be seen.
TEST(CompareEncodes, ATenthSlowerIsSeenBeneathADriftOfAllEncodes) {
  std::vector<double> by;
  const auto comparisons = [&](double slower, bool of_first) {
    int told = 0;
    for (unsigned seed = 0; seed < 200; ++seed) {
      Machine machine(seed, 0.1, kOwnNoise, 0.04);
      machine.Drift(0.06, 30);
      const std::vector<Trial> before = machine.Bench(kSeven), now = machine.Bench(kSeven, slower);
      const EncodeComparison comparison = CompareEncodes(before, now);
      told += of_first ? comparison.encodes.front().verdict == Verdict::kSlower : comparison.any_changed();
      if (of_first) by.push_back(comparison.encodes.front().beyond.change);
    }
    return told;
  };
  EXPECT_LE(comparisons(0, false), 16) << "5 %, which of 200 is 10, give or take 3";
  EXPECT_GE(comparisons(0.1, true), 190);
  EXPECT_NEAR(*Median(by), 1 / 1.1 - 1, 0.01) << "held against the others";
}

TEST(Change, OfTheSpeedIsAsSureAsThatOfTheCost) {
  const Change dearer{0, 0, 0.25, 0.2};
  EXPECT_DOUBLE_EQ(dearer.inverse().change, -0.2);
  EXPECT_DOUBLE_EQ(dearer.inverse().noise, 0.16);
}

TEST(CompareEncodes, TheDriftWithinARunCountsInWhatAllHaveInCommon) {
  Machine steady(3), drifting(3);
  drifting.Drift(0.06, 30);
  const auto noise = [](Machine& machine) {
    const std::vector<Trial> before = machine.Bench(kSeven), now = machine.Bench(kSeven);
    return CompareEncodes(before, now).all->noise;
  };
  EXPECT_GT(noise(drifting), 2 * noise(steady));
}

TEST(CompareEncodes, WhatAllHaveInCommonIsToldApart) {
  Machine machine(1);
  const std::vector<Trial> before = machine.Bench(kSeven), now = machine.Bench(kSeven, 0, 0.2);
  const EncodeComparison comparison = CompareEncodes(before, now);
  EXPECT_TRUE(comparison.all_changed());
  EXPECT_NEAR(comparison.all->change, 0.2, 0.06);
  EXPECT_FALSE(comparison.any_changed());
}

TEST(CompareEncodes, SlowerAtTheSameProcessorTimeWasHeldUp) {
  Machine machine(2);
  std::vector<Trial> before = machine.Bench(kTwo), now = machine.Bench(kTwo);
  for (Repeat& repeat : now.front().repeats) repeat.throughput_fps *= 0.7;
  const EncodeComparison comparison = CompareEncodes(before, now);
  EXPECT_EQ(comparison.encodes.front().verdict, Verdict::kHeldUp);
  EXPECT_FALSE(comparison.any_changed()) << "that is no property of the encoder";
}

TEST(CompareEncodes, OnAGpuSpeedIsAllThatTells) {
  Machine machine(3);
  std::vector<Trial> before = machine.Bench(kTwo), now = machine.Bench(kTwo, 0.3);
  for (auto* run : {&before, &now})
    for (Trial& trial : *run) trial.device = "gpu";
  const EncodeComparison comparison = CompareEncodes(before, now);
  EXPECT_FALSE(comparison.encodes.front().cost);
  EXPECT_EQ(comparison.encodes.front().verdict, Verdict::kSlower);
}

TEST(CompareEncodes, OneRepeatEachTellsOnlyWhatIsLarge) {
  Machine machine(4);
  std::vector<Trial> before = machine.Bench({"veryfast"}), now = machine.Bench({"veryfast"}, 0.1);
  for (auto* run : {&before, &now}) run->front().repeats.resize(1);
  const EncodeComparison comparison = CompareEncodes(before, now);
  EXPECT_EQ(comparison.encodes.front().verdict, Verdict::kSame);
  EXPECT_GT(comparison.encodes.front().speed.noise, 0.1);
}

TEST(CompareEncodes, CountsWhatOneRunAloneHas) {
  Machine machine(5);
  const EncodeComparison comparison =
      CompareEncodes(machine.Bench({"veryfast", "faster"}), machine.Bench({"veryfast", "medium", "slow"}));
  EXPECT_EQ(comparison.encodes.size(), 1u);
  EXPECT_EQ(comparison.only_before, 1);
  EXPECT_EQ(comparison.only_now, 2);
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { CompareEncodes(machine.Bench({"fast"}), machine.Bench({"slow"})); }),
              HasSubstr("no encode in common"));
}

TEST(CompareEncodes, WhatWasTakenUpSaysNothing) {
  Machine machine(7);
  const std::vector<Trial> before = machine.Bench(kTwo);
  std::vector<Trial> now = machine.Bench(kTwo);
  now.front() = before.front();
  const EncodeComparison comparison = CompareEncodes(before, now);
  EXPECT_EQ(comparison.encodes.size(), 1u);
  EXPECT_EQ(comparison.taken_up, 1);
  EXPECT_EQ(comparison.only_now, 0);
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { CompareEncodes(before, before); }),
              HasSubstr("took the earlier one's"));
}

TEST(CompareEncodes, WhatFailedOrWasCutShortIsNotCompared) {
  Machine machine(6);
  std::vector<Trial> before = machine.Bench(kTwo), now = machine.Bench(kTwo);
  now.front().truncated = true;
  EXPECT_EQ(CompareEncodes(before, now).encodes.size(), 1u);
  now.back().status = WorkerStatus::kCrashed;
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { CompareEncodes(before, now); }), HasSubstr("in common"));
}

}  // namespace
}  // namespace kettle
