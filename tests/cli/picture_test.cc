// SPDX-License-Identifier: Apache-2.0
// Footage, questions, and the search over sizes and frame rates, as a user asks for them.
#include "kettle/footage/y4m.h"
#include "program.h"

namespace kettle {
namespace {

using testing::AllOf;
using testing::HasSubstr;

class PictureTest : public test::ProgramTest {
 protected:
  long Lines(const std::string& name) const {
    const std::string text = Get(path(name));
    return std::count(text.begin(), text.end(), '\n');
  }
};

TEST_F(PictureTest, FootageListNamesTheScenes) {
  const auto ran = Run("footage list");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out,
              AllOf(HasSubstr("start-line"), HasSubstr("very fast"), HasSubstr("harbour"), HasSubstr("still")));
  EXPECT_EQ(nlohmann::json::parse(Run("footage list --json").out)["scenes"].size(), 3u);
  EXPECT_FALSE(std::filesystem::exists(path("kettle-out"))) << "it has nothing to write";
}

TEST_F(PictureTest, FootageRenderWritesWhatInspectReads) {
  const auto ran = Run("footage render harbour --size 320x180 --frame-rate 30 --seconds 2 --out scene.y4m");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_EQ(Y4mFile(path("scene.y4m")).frames(), 60);
  const auto inspected = Run("footage inspect scene.y4m");
  EXPECT_EQ(inspected.code, 0) << inspected.err;
  EXPECT_THAT(inspected.out, AllOf(HasSubstr("320x180"), HasSubstr("60 frames, 2.0 s"), HasSubstr("still")));
}

TEST_F(PictureTest, FootageRefusesInOneLine) {
  Put("empty.mkv", "");
  for (const auto& [arguments, words] :
       std::vector<std::pair<std::string, std::string>>{{"footage", "list, inspect, render or capture"},
                                                        {"footage lst", "list"},
                                                        {"footage inspect", "name a clip"},
                                                        {"footage inspect none.mkv", "no such file"},
                                                        {"footage inspect empty.mkv", "empty"},
                                                        {"footage render", "name a scene"},
                                                        {"footage render start-lin", "start-line"},
                                                        {"footage render start-line --size 33", "33"},
                                                        {"footage render start-line --seconds 0", "--seconds"},
                                                        {"footage render start-line --out .", "a folder"},
                                                        {"footage list --siz 3", "--size"}}) {
    const auto ran = Run(arguments);
    EXPECT_EQ(ran.code, 2) << arguments;
    EXPECT_THAT(ran.complaint(), HasSubstr(words)) << arguments;
    const std::string complaint = ran.complaint();
    EXPECT_EQ(std::count(complaint.begin(), complaint.end(), '\n'), 1) << arguments << ": " << ran.err;
  }
}

TEST_F(PictureTest, AQuestionIsAnsweredWithGainCostAndVerdict) {
  const auto ran =
      Run("bench --question b-frames --encoder x264 --preset ultrafast --footage open-water --footage-seconds 2 --size "
          "192x108 --frame-rate 12 --bit-rate '150 kbit/s' --repeats 2 --out out");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out,
              AllOf(HasSubstr("How many B-frames?"), HasSubstr("compared with: preset's own"), HasSubstr("reference")));
  ExpectValid("bench");
  const nlohmann::json bench = Json("out/bench.json");
  EXPECT_EQ(bench["question"]["variants"].size(), 5u);
  const std::size_t trials = bench["trials"].size();
  EXPECT_GE(trials, 15u) << "five variants at three bit rates, and more where that was unclear";
  for (std::size_t i = 1; i < 5; ++i) {
    const auto& variant = bench["question"]["variants"][i];
    EXPECT_FALSE(variant["gain"].is_null());
    EXPECT_GE(variant["seconds"], variant["verdict"] == "unclear" ? 20 : 2) << "all ten stretches of the scene";
  }
  EXPECT_EQ(Lines("out/quality.csv"), 1 + static_cast<int>(trials) * 24) << "a row for every trial and frame";
  EXPECT_GT(std::filesystem::file_size(path("out/rate-quality.png")), 1000u);
  EXPECT_THAT(Run("redraw out").out, testing::StartsWith(ran.out));
}

TEST_F(PictureTest, TheSizeQuestionTellsWhichSizeAtWhichBitRate) {
  const auto ran = Run(
      "bench --question size --encoder x264 --preset ultrafast --footage open-water --footage-seconds 1 --source-size "
      "192x108 --frame-rate 12 --bit-rate '60 kbit/s' --bit-rate '120 kbit/s' --bit-rate '400 kbit/s' --repeats 1 "
      "--out out --json");
  EXPECT_EQ(ran.code, 0) << ran.err;
  const nlohmann::json answer = nlohmann::json::parse(ran.out);
  EXPECT_EQ(answer["asked_kbps"], 120);
  EXPECT_GE(answer["variants"].size(), 4u);
  EXPECT_GE(answer["hull"].size(), 2u);
  EXPECT_FALSE(answer["best"].empty());
  ExpectValid("bench");
}

TEST_F(PictureTest, AQuestionThatMakesNoSenseIsRefused) {
  const std::string rest =
      " --encoder x264 --preset ultrafast --footage open-water --size 192x108 --frame-rate 12 --bit-rate '150 kbit/s' "
      "--out out";
  EXPECT_THAT(Run("bench --question bframes" + rest).complaint(), HasSubstr("b-frames"));
  EXPECT_THAT(Run("bench --question multi-pass" + rest).complaint(), HasSubstr("multi-pass"));
  EXPECT_THAT(Run("bench --question b-frames --scaler nearest" + rest).complaint(), HasSubstr("bicubic"));
}

TEST_F(PictureTest, ThePlanSearchesSizesAndItsSearchCanBeChecked) {
  // Large enough for slower presets to look better: of 12 frames of 160x96 x264's own scores vary by 0.3 dB from run to
  // run, more than its presets lie apart.
  Put("show.toml",
      "title = \"Small\"\n[picture]\nsource_size = \"320x192\"\nframe_rate = \"12\"\nfootage = [\"open-water\"]\n"
      "[stream]\nbit_rate = \"200 kbit/s\"\n[require]\nheadroom = 0.05\n");
  const auto ran = Run("plan --show show.toml --exhaustive --footage-seconds 1 --proof-seconds 2 --out out");
  EXPECT_EQ(ran.code, 0) << ran.err;
  ExpectValid("plan");
  ExpectValid("bench");
  const nlohmann::json plan = Json("out/plan.json");
  ASSERT_GE(plan["pictures"].size(), 2u);
  EXPECT_TRUE(std::any_of(plan["pictures"].begin(), plan["pictures"].end(),
                          [&](const auto& tried) { return tried["size"] == plan["stream"]["size"]; }));
  const nlohmann::json& check = plan["exhaustive"];
  EXPECT_LT(check["search_trials"], check["grid_trials"]);
  EXPECT_LE(check["loss"], 0.5);
  EXPECT_THAT(ran.out, AllOf(HasSubstr("The whole grid"), HasSubstr("Sizes and frame rates measured")));
  for (const char* figure : {"pictures.png", "worst-second.png"})
    EXPECT_GT(std::filesystem::file_size(path(std::string("out/") + figure)), 1000u) << figure;
}

TEST_F(PictureTest, AShortClipIsPlayedForthAndBackAndJudgedAtTheViewingSize) {
  test::MakeY4m(path("short.y4m"), {320, 180}, {12, 1}, 18);
  Put("show.toml",
      "title = \"Short\"\n[picture]\nsource_size = \"320x180\"\nframe_rate = \"12\"\nfootage = [\"short.y4m\"]\n"
      "[stream]\nsize = \"320x180\"\nviewing_size = \"160x90\"\nbit_rate = \"600 kbit/s\"\n[require]\nheadroom = "
      "0.05\n");
  const auto ran =
      Run("bench --show show.toml --encoder x264 --preset ultrafast --repeats 1 --footage-seconds 3 --out out");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("forwards and backwards"), HasSubstr("viewers watch at 160x90")));
  ExpectValid("bench");
  const nlohmann::json bench = Json("out/bench.json");
  EXPECT_EQ(bench["footage"][0]["frames"], 36);
  EXPECT_EQ(bench["trials"][0]["quality"]["viewing_size"], "160x90");
  const auto larger = Run("bench --show show.toml --viewing-size 640x360 --out other");
  EXPECT_EQ(larger.code, 2);
  EXPECT_THAT(larger.complaint(), HasSubstr("larger than the source"));
}

}  // namespace
}  // namespace kettle
