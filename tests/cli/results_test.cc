// SPDX-License-Identifier: Apache-2.0
// What the commands write, on small pictures with real encodes.
#include "kettle/encoders/catalogue.h"
#include "kettle/media/reader.h"
#include "program.h"

namespace kettle {
namespace {

class ResultsTest : public test::ProgramTest {
 protected:
  // Validates a result against its schema with an independent validator.
  void ExpectValid(const std::string& kind) {
    const std::string script =
        "import json,sys,jsonschema; jsonschema.validate(json.load(open(sys.argv[1])), json.load(open(sys.argv[2])))";
    const std::string command = "/usr/bin/python3 -c '" + script + "' '" + path("out/" + kind + ".json").string() +
                                "' '" KETTLE_SOURCE "/docs/schemas/" + kind + ".schema.json' 2>'" +
                                path("invalid.txt").string() + "'";
    EXPECT_EQ(std::system(command.c_str()), 0) << kind << ": " << Get(path("invalid.txt"));
  }

  int Frames(const std::string& file) {
    MediaReader reader(path(file));
    int frames = 0;
    while (reader.Next()) ++frames;
    return frames;
  }

  // A plan that holds: both encodes are there, proven, and their files play.
  void ExpectPlan(bool simulated) {
    const nlohmann::json plan = Json("out/plan.json");
    EXPECT_EQ(plan["simulated"], simulated);
    EXPECT_EQ(plan["proof"]["verdict"], "keeps pace");
    for (const char* output : {"stream", "recording"}) {
      EXPECT_TRUE(plan[output].is_object());
      EXPECT_EQ(plan["proof"][output]["skipped"], 0);
      EXPECT_EQ(plan["proof"][output]["frames"], plan["proof"][output]["packets"]);
    }
    EXPECT_LE(plan["trials"]["used"].get<int>() * 2, plan["trials"]["grid"].get<int>());
    EXPECT_EQ(Frames("out/stream.flv"), plan["proof"]["stream"]["packets"]);
    EXPECT_EQ(Frames("out/recording.mkv"), plan["proof"]["recording"]["packets"]);
    for (const char* file : {"card.txt", "bench.csv", "proof.csv", "speed-quality.svg", "speed-quality.png",
                             "proof-times.svg", "proof-times.png"})
      EXPECT_GT(std::filesystem::file_size(path(std::string("out/") + file)), 100u) << file;
    EXPECT_EQ(Get(path("out/card.txt")).find("SIMULATED") != std::string::npos, simulated);
  }
};

TEST_F(ResultsTest, Survey) {
  const auto ran = Run("survey --out out --stand-in-gpu modest");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, testing::AllOf(testing::HasSubstr("x264"), testing::HasSubstr("Tidewater 20 (simulated)"),
                                      testing::HasSubstr("SIMULATED")));
  ExpectValid("survey");
  const nlohmann::json survey = Json("out/survey.json");
  EXPECT_EQ(survey["encoders"].size(), Catalogue().size());
  EXPECT_EQ(survey["simulated"], true);
}

TEST_F(ResultsTest, SurveyAsJson) {
  const auto ran = Run("survey --out out --json");
  EXPECT_EQ(ran.code, 0);
  EXPECT_EQ(nlohmann::json::parse(ran.out)["encoders"], Json("out/survey.json")["encoders"]);
}

TEST_F(ResultsTest, BenchOfSomePresets) {
  SmallShow();
  const auto ran = Run("bench --show show.toml --encoder x264 --preset ultrafast --preset veryfast --paced --out out");
  EXPECT_EQ(ran.code, 0) << ran.err;
  ExpectValid("bench");
  EXPECT_EQ(Json("out/bench.json")["trials"].size(), 2u);
  EXPECT_THAT(ran.out, testing::HasSubstr("In real time, each alone"));
  const std::string csv = Get(path("out/bench.csv"));
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 3);
  EXPECT_TRUE(std::filesystem::exists(path("out/speed-quality.png")));
}

TEST_F(ResultsTest, BenchOnTheStandIn) {
  SmallShow();
  const auto ran =
      Run("bench --show show.toml --encoder nvenc-h264 --preset p1 --preset p5 --stand-in-gpu modest --out out");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, testing::HasSubstr("SIMULATED"));
  for (const auto& trial : Json("out/bench.json")["trials"]) {
    EXPECT_EQ(trial["status"], "done") << trial["detail"];
    EXPECT_EQ(trial["simulated"], true);
    EXPECT_EQ(trial["device"], "gpu");
  }
}

TEST_F(ResultsTest, PlanOnTheCpuAlone) {
  SmallShow();
  const auto ran = Run("plan --show show.toml --proof-seconds 2 --out out");
  EXPECT_EQ(ran.code, 0) << ran.err << ran.out;
  ExpectValid("plan");
  ExpectValid("bench");
  ExpectPlan(false);
  // A second plan uses the trials again.
  const auto again = Run("plan --show show.toml --proof-seconds 2 --out out");
  EXPECT_THAT(again.out, testing::HasSubstr(" 0 measured now"));
}

TEST_F(ResultsTest, PlanWithTheStandInAndAClip) {
  SmallShow();
  ASSERT_EQ(Run("plan --show show.toml --proof-seconds 3 --out first").code, 0);
  std::filesystem::copy(path("first/recording.mkv"), path("clip.mkv"));  // a real clip, of our own making
  SmallShow("\"clip.mkv\"");
  const auto ran = Run("plan --show show.toml --proof-seconds 2 --stand-in-gpu modest --out out");
  EXPECT_EQ(ran.code, 0) << ran.err << ran.out;
  ExpectValid("plan");
  ExpectPlan(true);
}

TEST_F(ResultsTest, NothingHoldsIsExitCodeOne) {
  SmallShow();
  // 480 frames a second with 90 % to spare: 4800 a second, which no processor encodes at this size.
  const auto ran =
      Run("plan --show show.toml --source-size 1280x720 --frame-rate 480 --headroom 0.9 --footage-seconds 1 --out out");
  EXPECT_EQ(ran.code, 1) << ran.err << ran.out;
  EXPECT_THAT(ran.out, testing::HasSubstr("Nearest thing that would"));
  ExpectValid("plan");
  EXPECT_TRUE(Json("out/plan.json")["stream"].is_null());
}

TEST_F(ResultsTest, FilesArePrivate) {
  Run("survey --out out");
  EXPECT_EQ(std::filesystem::status(path("out/survey.json")).permissions(),
            std::filesystem::perms::owner_read | std::filesystem::perms::owner_write);
}

}  // namespace
}  // namespace kettle
