// SPDX-License-Identifier: Apache-2.0
#include "figure/capacity_figure.h"

#include <fstream>

#include "fakes.h"
#include "timeline/rehearsal_figures.h"

namespace kettle {
namespace {

class CapacityFigureTest : public test::FolderTest {
 protected:
  std::string Text(const char* name) {
    std::ifstream file(path(name));
    return {std::istreambuf_iterator<char>(file), {}};
  }
  static Plan SomePlan() {
    Plan plan;
    plan.capacity = {2, 0.2};
    Pair pair{
        test::FakeOption("x264", "veryfast", 120, 0.9, 12), test::FakeOption("nvenc-h264", "p4", 150, 0.1, 15), {}};
    pair.demand = PredictDemand(pair.stream, pair.recording, plan.capacity);
    plan.chosen = pair;
    plan.proving.attempts.push_back({pair, test::FakeProof(0, 0)});
    plan.simulated = true;
    return plan;
  }
};

TEST_F(CapacityFigureTest, NamesEachPartAndWhatIsLeft) {
  Draw(path(""), *MakeCapacityChart(SomePlan()));
  const std::string svg = Text("capacity.svg");
  for (const char* words : {"Both encodes took 0.00 of 2 cores at most, and 40 % of the GPU", ">stream<", ">recording<",
                            "1.00 left for the game", "60 % left", "20 % must stay free", "SIMULATED",
                            ">2 cores, predicted<", ">measured in the proof run<", "engine (simulated)<"})
    EXPECT_THAT(svg, testing::HasSubstr(words));
  EXPECT_THAT(svg, testing::Not(testing::HasSubstr("\\n"))) << "gnuplot takes all text as it is";
}

TEST_F(CapacityFigureTest, WhatIsLeftIsThatOfTheBusiestSecond) {
  Plan plan = SomePlan();
  Proof& proof = plan.proving.attempts.back().proof;
  proof.cpu_cores = 0.8;
  proof.busiest_cpu_cores = 1.3;
  Draw(path(""), *MakeCapacityChart(plan));
  EXPECT_THAT(Text("capacity.svg"),
              testing::AllOf(testing::HasSubstr("took 1.30 of 2 cores at most"), testing::HasSubstr("busiest second"),
                             testing::HasSubstr("0.70 left for the game")));
}

TEST_F(CapacityFigureTest, ThePartsAddUpToWhatIsPredicted) {
  Plan plan = SomePlan();
  plan.capacity.real_time_factor = 1.4;
  plan.chosen->demand = DemandOf(*plan.chosen, plan.capacity);
  const auto chart = MakeCapacityChart(plan);
  double sum = 0;
  for (const CapacityChart::Part& part : chart->bars.front().parts) sum += part.share;
  EXPECT_NEAR(sum, 1.4 / 2, 1e-9);
}

TEST_F(CapacityFigureTest, WithoutAPairThereIsNone) {
  Plan plan = SomePlan();
  plan.chosen.reset();
  EXPECT_FALSE(MakeCapacityChart(plan));
}

TEST_F(CapacityFigureTest, TheGamesFigureSaysWhatItLost) {
  const GameFrames game{.wanted_fps = 30,
                        .alone_fps = 30,
                        .beside_fps = 22.5,
                        .seconds = {30, 30, 30, 23, 22, 30},
                        .begin_seconds = 3,
                        .end_seconds = 5,
                        .simulated = true};
  Draw(path(""), game);
  for (const char* words : {"22.5 frames a second beside the encodes, 30.0 without them", "wanted: 30",
                            "the encodes begin", "they end", "SIMULATED"})
    EXPECT_THAT(Text("game.svg"), testing::HasSubstr(words));
}

}  // namespace
}  // namespace kettle
