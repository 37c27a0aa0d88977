// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/plan_file.h"

#include <nlohmann/json.hpp>

#include "fakes.h"
#include "kettle/planner/make_plan.h"

namespace kettle {
namespace {

using test::Complaint;
using testing::HasSubstr;

class PlanFileTest : public test::FolderTest {
 protected:
  // A plan of a made-up machine, as it is written.
  nlohmann::json Written(First first = First::kGame) {
    test::FakeRunner runner([](const std::string&, int preset, bool, const std::string&) {
      return test::Figures{400.0 / (preset + 1), 0.2 * (preset + 1), 0.9 + 0.005 * preset};
    });
    Show show;
    show.title = "made up";
    show.first = first;
    TrialBook book(runner, {}, [](const auto&) {});
    const PlanRequest request{show, test::FakeTargets(), {test::FakeFootage("hard")}, {"x264"}, {2, 0.2}};
    nlohmann::json json = MakePlan(request, book, [](const Pair&) { return test::FakeProof(0, 0); });
    json["schema"] = "fast-kettle/plan/1";
    json["machine_digest"] = "abc";
    json["time"] = "2026-01-01T00:00:00Z";
    json["show"] = {{"source_size", "1280x720"},
                    {"frame_rate", "60"},
                    {"footage", {"start-line"}},
                    {"footage_seconds", 3},
                    {"container", "matroska"},
                    {"audio_kbps", 128},
                    {"cpu_cores", 2}};
    return json;
  }
  std::string Refused(const nlohmann::json& json) {
    return Complaint(Fault::kInput, [&] { ReadPlanFile(Put("plan.json", json.dump())); });
  }
};

TEST_F(PlanFileTest, GivesWhatARehearsalNeeds) {
  const nlohmann::json written = Written();
  const PlanFile plan = ReadPlanFile(Put("plan.json", written.dump()));
  EXPECT_EQ(plan.title, "made up");
  EXPECT_EQ(plan.stream.preset, written["stream"]["preset"].get<std::string>());
  EXPECT_EQ(plan.source_size, (FrameSize{1280, 720}));
  EXPECT_EQ(plan.source_rate, (FrameRate{60, 1}));
  EXPECT_EQ(plan.stream_device, "cpu");
  EXPECT_EQ(plan.cpu_cores, 2);
  EXPECT_EQ(plan.audio_kbps, 128);
}

TEST_F(PlanFileTest, KeepsWhoGoesFirst) {
  nlohmann::json written = Written(First::kStream);
  EXPECT_EQ(written["stream"]["niceness"], StreamNiceness(First::kStream));
  EXPECT_EQ(ReadPlanFile(Put("plan.json", written.dump())).first, First::kStream);
  written.erase("first");
  EXPECT_EQ(ReadPlanFile(Put("plan.json", written.dump())).first, First::kGame) << "an earlier version's";
}

TEST_F(PlanFileTest, OneEncodeHasNoRecordingToMakeLighter) {
  nlohmann::json written = Written();
  written["recording"]["own_encode"] = false;
  const PlanFile plan = ReadPlanFile(Put("plan.json", written.dump()));
  EXPECT_TRUE(plan.one_encode);
  EXPECT_TRUE(plan.recording_encoder.empty());
  EXPECT_TRUE(plan.to_one_encode.empty());
}

TEST_F(PlanFileTest, FasterPresetsCarryTheirGainAndCost) {
  nlohmann::json written = Written();
  for (auto& reason : written["because"])
    if (reason["choice"] == "stream.preset") {
      nlohmann::json other = reason["evidence"];
      const double fps = other["throughput_fps"], score = other["score"];
      for (const auto& [preset, encoder, more] : {std::tuple("ultrafast", "x264", 90),
                                                  {"superfast", "x264", 40},
                                                  {"slow", "x264", -40},
                                                  {"p1", "nvenc-h264", 99}}) {
        other.update({{"encoder", encoder},
                      {"device_index", 0},
                      {"preset", preset},
                      {"throughput_fps", fps + more},
                      {"score", score - 0.01 * more}});
        reason["rejected"].push_back(other);
      }
    }
  const PlanFile plan = ReadPlanFile(Put("plan.json", written.dump()));
  const auto at = [&](const char* preset) {
    const auto step = std::find_if(plan.stream_encoder.begin(), plan.stream_encoder.end(),
                                   [&](const PlanStep& s) { return s.settings.preset == preset; });
    return step == plan.stream_encoder.end() ? PlanStep{} : *step;
  };
  ASSERT_EQ(plan.to_one_encode.size(), 1u) << "the recording's own encode can be given up";
  EXPECT_EQ(plan.to_one_encode.front().settings, plan.stream);
  EXPECT_NEAR(at("superfast").gains_fps, 40, 1e-9);
  EXPECT_NEAR(at("superfast").costs, 0.4, 1e-9);
  EXPECT_THAT(at("ultrafast").what, HasSubstr("x264 ultrafast for the stream"));
  EXPECT_EQ(at("slow").what, "") << "no cure";
  EXPECT_EQ(at("p1").what, "") << "another encoder is another plan";
  for (std::size_t i = 1; i < plan.stream_encoder.size(); ++i)
    EXPECT_GE(plan.stream_encoder[i].gains_fps, plan.stream_encoder[i - 1].gains_fps) << "the smallest step first";
}

TEST_F(PlanFileTest, WhatIsNoPlanIsSaidInOneLine) {
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ReadPlanFile(path("none.json")); }), HasSubstr("no such file"));
  EXPECT_THAT(Refused({{"schema", "fast-kettle/bench/1"}}), HasSubstr("not a plan"));
  nlohmann::json plan = Written();
  plan.erase("show");
  EXPECT_THAT(Refused(plan), HasSubstr("plan again"));
  plan = Written();
  plan["stream"] = nullptr;
  EXPECT_THAT(Refused(plan), HasSubstr("chose nothing"));
  plan = Written();
  plan.erase("ladder");
  EXPECT_THAT(Refused(plan), HasSubstr("an incomplete plan"));
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ReadPlanFile(Put("plan.json", "{\"schema\":")); }), HasSubstr("cut off"));
}

}  // namespace
}  // namespace kettle
