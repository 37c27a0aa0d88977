// SPDX-License-Identifier: Apache-2.0
#include "report/card.h"

#include <nlohmann/json.hpp>
#include <regex>

#include "fakes.h"
#include "figure/plot.h"
#include "report/wrap.h"
#include "says.h"

namespace kettle {
namespace {

Plan PlanOf(bool simulated) {
  Plan plan;
  plan.title = "Thursday league";
  plan.targets = test::FakeTargets();
  plan.simulated = simulated;
  Pair pair{test::FakeOption("x264", "veryfast", 120, 1, 12), test::FakeOption("nvenc-h264", "p4", 150, 0, 15), {}};
  pair.recording.simulated = simulated;
  plan.chosen = pair;
  plan.proving.attempts.push_back({pair, test::FakeProof(0, 0)});
  return plan;
}

TEST(SettingsCard, HasEverySettingOfBothEncodes) {
  const std::string card = SettingsCard(PlanOf(false));
  for (const char* words : {"STREAM", "RECORDING", "encoder", "preset", "size", "frame rate", "rate control", "rate",
                            "buffer", "keyframes", "B-frames", "profile", "container", "HOLDS", "Proven:", "Next:"})
    EXPECT_THAT(card, testing::HasSubstr(words));
  EXPECT_THAT(card, testing::Not(testing::HasSubstr("SIMULATED")));
}

TEST(SettingsCard, IsTheSameFromAPlanReadBack) {
  const Plan plan = PlanOf(true);
  EXPECT_EQ(SettingsCard(nlohmann::json(plan).get<Plan>()), SettingsCard(plan));
}

TEST(SettingsCard, FitsAPage) {
  std::istringstream lines(SettingsCard(PlanOf(true)));
  for (std::string line; std::getline(lines, line);) {
    EXPECT_LE(line.size(), kCardColumns) << line;
    EXPECT_FALSE(line.ends_with(' ')) << line;
  }
}

TEST(SettingsCard, SaysWhatIsSimulated) { EXPECT_THAT(SettingsCard(PlanOf(true)), testing::HasSubstr("SIMULATED")); }

TEST(SettingsCard, SaysWhenTheMachineWasDisturbed) {
  Plan plan = PlanOf(false);
  EXPECT_THAT(SettingsCard(plan), testing::Not(testing::HasSubstr("disturbed")));
  plan.proving.attempts.back().proof.stolen_cores = 0.6;
  EXPECT_THAT(SettingsCard(plan), testing::HasSubstr("took 0.6 cores, other programs"));
  plan.chosen.reset();
  EXPECT_THAT(SettingsCard(plan), testing::HasSubstr("disturbed"));
  plan.proving.attempts.back().proof.slowness = 1.42;
  EXPECT_THAT(SettingsCard(plan), testing::HasSubstr("1.4 times as long"));
}

TEST(SettingsCard, TellsOfTheRecordingsLevelAndItsDisk) {
  Plan plan = PlanOf(false);
  Option& recording = plan.chosen->recording;
  recording.settings.rate_control = RateControl::kConstantQuality;
  recording.settings.quality_level = 24;
  recording.mean_kbps = 16000;
  plan.targets.reasons.push_back({"recording.quality_level", "24", Verbatim("searched on open water"), true});
  plan.disk = Disk{.folder = "/videos", .free_bytes = 90'000'000'000};
  const std::string card = SettingsCard(plan);
  for (const char* words : {"level 24, about 16000 kbit/s", "searched on open water", "7.2 GB an hour",
                            "90 GB free in /videos", "12 hours"})
    EXPECT_THAT(card, testing::HasSubstr(words));
}

TEST(SettingsCard, TellsOfColoursThatStray) {
  Plan plan = PlanOf(false);
  plan.colour = ColourCheck{{{"source", "yuv420p", "bt709", "bt709", "bt709", "tv"},
                             {"stream", "yuv420p", "unknown", "bt709", "bt709", "tv"}},
                            {"stream"},
                            {3, 20},
                            0.1};
  EXPECT_THAT(SettingsCard(plan), testing::HasSubstr("the stream is marked yuv420p,"));
  plan.colour->strays.clear();
  EXPECT_THAT(SettingsCard(plan), testing::HasSubstr("limited range: source, stream and recording"));
}

TEST(SettingsCard, SaysWhoGoesBeforeWhom) {
  Plan plan = PlanOf(false);
  const auto card = [&](int stream, int recording) {
    Proof& proof = plan.proving.attempts.back().proof;
    proof.stream.niceness = stream;
    proof.recording.niceness = recording;
    return std::regex_replace(SettingsCard(plan), std::regex("\n *"), " ");  // not wrapped
  };
  using testing::HasSubstr;
  EXPECT_THAT(card(3, 10), HasSubstr("the game first, then the stream (niceness 3), then the recording (10)"));
  EXPECT_THAT(card(3, 3), HasSubstr("the game first, then both encodes (niceness 3)"));
  EXPECT_THAT(card(-3, 10), HasSubstr("the stream (niceness -3) first, then the game, then the recording (10)"));
  EXPECT_THAT(card(0, 10), HasSubstr("because this user may not raise a priority"));
}

TEST(SettingsCard, SaysUnderWhichLoadAndIntoWhichContainer) {
  Plan plan = PlanOf(false);
  EXPECT_THAT(SettingsCard(plan),
              testing::AllOf(testing::HasSubstr("load capture"), testing::HasSubstr("Matroska (.mkv)")));
  plan.under_load = true;
  plan.container = "mp4";
  const std::string card = SettingsCard(plan);
  EXPECT_THAT(card, testing::Not(testing::HasSubstr("load capture"))) << "the load was there";
  EXPECT_THAT(card, testing::HasSubstr("a crash loses the whole file"));
  plan.container = "fragmented-mp4";
  EXPECT_THAT(SettingsCard(plan), testing::HasSubstr("fragmented MP4"));
}

TEST(SettingsCard, WithoutAPlanNamesTheNearest) {
  Plan plan = PlanOf(false);
  plan.chosen.reset();
  plan.nearest = Verbatim("x264 ultrafast at 640x360 with 30");
  EXPECT_THAT(SettingsCard(plan), testing::HasSubstr("640x360 with 30"));
}

using DrawFigureTest = test::FolderTest;

TEST_F(DrawFigureTest, WritesBothFormatsWhole) {
  DrawFigure(path(""), "line", "plot x\n");
  EXPECT_THAT(Get(path("line.svg")), testing::HasSubstr("</svg>"));
  EXPECT_THAT(Get(path("line.png")), testing::StartsWith("\x89PNG"));
}

TEST_F(DrawFigureTest, TellsWhatGnuplotDidNotLike) {
  EXPECT_THAT(test::Complaint(Fault::kMachine, [&] { DrawFigure(path(""), "bad", "plot nonsense(\n"); }),
              testing::HasSubstr("bad"));
  EXPECT_FALSE(std::filesystem::exists(path("bad.png")));
}

TEST(Quoted, TextCannotLeaveItsQuotes) { EXPECT_EQ(Quoted("it's \"b\\c`\nd"), "'it''s \"b\\c` d'"); }

TEST(Wrap, BreaksAtSpacesAndIndents) {
  EXPECT_EQ(Wrap("one two three", 0, 2, 8), "one two\n  three");
  EXPECT_EQ(Wrap("one", 20, 2, 8), "\n  one") << "no room left on the first line";
  EXPECT_EQ(Wrap("incomprehensible", 0, 0, 5), "incomprehensible") << "no place to break";
  EXPECT_EQ(Wrap("asks for 20 %, as", 0, 0, 12), "asks for\n20 %, as") << "a percent sign stays with its figure";
  EXPECT_EQ(Wrap("", 0, 0, 5), "");
}

}  // namespace
}  // namespace kettle
