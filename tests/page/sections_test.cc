// SPDX-License-Identifier: Apache-2.0
#include "page/sections.h"

#include <nlohmann/json.hpp>

#include "kettle/rehearsal/rehearsal.h"
#include "kettle/store/output_folder.h"
#include "kettle/trial/trial.h"
#include "support.h"

namespace kettle {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;
using testing::SizeIs;

using Json = nlohmann::json;

class SectionsTest : public test::FolderTest {
 protected:
  void Put(const std::string& kind, const Json& body) { WriteResult(path(""), kind, body, {"9.9", "abc", ""}); }
  Results results() const { return Results({path("")}); }
};

TEST_F(SectionsTest, WithoutResultsTheyAreEmpty) {
  for (const PageSection& section : {RehearsalSection(results()), WatchSection(results()), MeasuredSection(results()),
                                     OtherProgramsSection(results())})
    EXPECT_TRUE(section.empty()) << section.heading;
}

TEST_F(SectionsTest, ARehearsalTellsEachOutputsLossesAndTheirCures) {
  RehearsalOutcome outcome;
  outcome.seconds = 20;
  outcome.stream.frames = outcome.recording.frames = 600;
  outcome.recording.skipped = 7;
  outcome.files.emplace_back();
  Put("rehearsal", {{"outcome", outcome},
                    {"diagnosis",
                     {{"stretches",
                       {{{"from_seconds", 3.0},
                         {"to_seconds", 5.0},
                         {"frames", 7},
                         {"loss", "skipped by the recording"},
                         {"cause", "the game"},
                         {"why", nullptr}}}},
                      {"cures", {{{"cause", "the game"}, {"frames", 7}, {"do", nullptr}}}}}}});
  const PageSection section = RehearsalSection(results());
  EXPECT_THAT(section.intro, HasSubstr("7 frames were lost in 20 s"));
  ASSERT_THAT(section.tables, SizeIs(2));
  const PageTable& losses = section.tables[0];
  ASSERT_THAT(losses.rows, SizeIs(2));
  EXPECT_EQ(losses.rows[0].cells[0], "stream");
  EXPECT_EQ(losses.rows[1].cells[0], "recording");
  EXPECT_EQ(losses.rows[1].cells[3], "7");
  EXPECT_EQ(losses.rows[0].cells.size(), losses.columns.size());
  EXPECT_THAT(section.tables[1].rows[0].cells, ElementsAre("3", "5", "7", "skipped by the recording", "the game", ""));
  EXPECT_THAT(section.lists.at(0).items.at(0), HasSubstr("the game (7 frames)"));
}

TEST_F(SectionsTest, AStreamThatIsTheOnlyOutputHasNoRowForARecording) {
  RehearsalOutcome outcome;
  outcome.seconds = 5;
  Put("rehearsal", {{"outcome", outcome}});
  const PageSection section = RehearsalSection(results());
  EXPECT_EQ(section.intro.find("No frame was lost in 5 s."), 0u);
  EXPECT_THAT(section.tables.at(0).rows, SizeIs(1));
}

TEST_F(SectionsTest, AWatchedStreamTellsWhoStarvedIt) {
  Put("watch", {{"answer", "The game took the processor."},
                {"verdict",
                 {{"troubles",
                   {{{"from_seconds", 10.0},
                     {"to_seconds", 14.0},
                     {"cause", "another program"},
                     {"program", "indexer"},
                     {"why", nullptr}}}}}}});
  const PageSection section = WatchSection(results());
  EXPECT_EQ(section.intro, "The game took the processor.");
  EXPECT_THAT(section.tables.at(0).rows.at(0).cells, ElementsAre("10", "14", "another program (indexer)", ""));
}

TEST_F(SectionsTest, EveryTrialHasARowAndAFailedOneItsReason) {
  Trial good;
  good.settings = test::SmallSettings("x264", "veryfast");
  good.footage = "open-water";
  good.status = WorkerStatus::kDone;
  good.throughput_fps = 120;
  good.headroom = 0.5;
  Trial failed = good;
  failed.status = WorkerStatus::kFailed;
  failed.detail = "session limit reached";
  failed.simulated = true;
  Put("bench", {{"trials", {good, failed}}});
  const PageSection section = MeasuredSection(results());
  EXPECT_EQ(section.intro, "2 trials on machine abc, by fast-kettle 9.9.");
  const auto& rows = section.tables.at(0).rows;
  ASSERT_THAT(rows, SizeIs(2));
  EXPECT_EQ(rows[0].cells[0], "x264 veryfast");
  EXPECT_EQ(rows[0].cells[5], "120");
  EXPECT_EQ(rows[0].cells[6], "50 %");
  EXPECT_EQ(rows[1].cells[0], "x264 veryfast (simulated)");
  EXPECT_EQ(rows[1].cells.back(), "session limit reached");
  for (const auto& row : rows) EXPECT_EQ(row.cells.size(), section.tables[0].columns.size());
}

TEST_F(SectionsTest, TheConditionsOfTheTrialsAreTold) {
  Trial quiet;
  quiet.settings = test::SmallSettings("x264", "veryfast");
  quiet.status = WorkerStatus::kDone;
  quiet.versions.library = "libx264.so.164";
  quiet.repeats = {{.other_cores = 0.1}};
  Trial hot = quiet;
  hot.settings.encoder = "nvenc-h264";
  hot.versions = {"libavcodec 59", "11.1 (simulated)", ""};
  hot.repeats = {{.other_cores = 0.5, .stolen_cores = 0.2, .throttle_events = 3, .busiest = "indexer"}};
  Put("bench", {{"trials", {quiet, hot}}});
  EXPECT_THAT(MeasuredSection(results()).lists.at(0).items,
              testing::IsSupersetOf(
                  {HasSubstr("nvenc-h264: libavcodec 59, driver 11.1 (simulated); x264: libx264.so.164"),
                   HasSubstr("no game's load was replayed"), HasSubstr("0.30 cores on average, 0.50 at most (indexer)"),
                   HasSubstr("the hypervisor took 0.10 cores on average, 0.20 at most"), HasSubstr("throttled 3 times"),
                   HasSubstr("1 of 2 encodes were disturbed")}));

  Put("bench", {{"trials", {quiet}},
                {"load", {{"profile", "race.load.json"}, {"mean_cores", 0.5}, {"peak_second_cores", 0.7}}}});
  const auto beside_a_game = MeasuredSection(results()).lists.at(0).items;
  EXPECT_THAT(beside_a_game,
              testing::Contains(HasSubstr("race.load.json: 0.50 cores on average, 0.70 in its busiest")));
  EXPECT_THAT(beside_a_game, testing::Not(testing::Contains(HasSubstr("hypervisor"))));
  EXPECT_THAT(beside_a_game, testing::Contains("no throttling was seen"));
}

TEST_F(SectionsTest, OtherProgramsGetTheOptionsOfEachEncodeOnce) {
  const Json stream{{"library", "libx264"}, {"options", {"preset=veryfast", "bitrate=4500"}}};
  Json recording{{"library", "libx265"}, {"options", {"crf=24"}}};
  Put("card", {{"streams", {stream, stream}}, {"recording", recording}});
  const PageSection three = OtherProgramsSection(results());
  ASSERT_THAT(three.texts, SizeIs(3));
  EXPECT_EQ(three.texts[0].summary, "Stream: options of libx264");
  EXPECT_EQ(three.texts[0].text, "preset=veryfast\nbitrate=4500\n");
  EXPECT_EQ(three.texts[1].summary, "Stream 2: options of libx264");
  EXPECT_EQ(three.texts[2].summary, "Recording: options of libx265");
  recording["is_the_streams_encode"] = true;
  Put("card", {{"streams", {stream}}, {"recording", recording}});
  EXPECT_THAT(OtherProgramsSection(results()).texts, SizeIs(1));
}

}  // namespace
}  // namespace kettle
