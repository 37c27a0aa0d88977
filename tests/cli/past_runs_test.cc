// SPDX-License-Identifier: Apache-2.0
// What is kept of runs, and what history, compare, restore, forget and report make of it.
#include "ingest_program.h"

namespace kettle {
namespace {

using testing::HasSubstr;
using testing::Not;

class PastRunsTest : public test::IngestProgramTest {
 protected:
  std::string HistoryPath() const { return path("data/fast-kettle/history.sqlite").string(); }
  test::Ran Bench(const std::string& presets = "--preset ultrafast --preset superfast") {
    return Run("bench --footage open-water --encoder x264 " + presets +
               " --size 192x108 --source-size 192x108 --frame-rate 12 --bit-rate \"300 kbit/s\" --repeats 1 --out out");
  }
};

TEST_F(PastRunsTest, BenchesAreKeptNamedComparedAndForgotten) {
  EXPECT_THAT(Run("history").out, HasSubstr("no run yet"));
  ASSERT_EQ(Bench().code, 0);
  const auto second = Bench();
  EXPECT_THAT(second.err, HasSubstr("Kept in the history as run 2."));
  EXPECT_EQ(Run("history 1 --name before-update").code, 0);
  const auto listed = Run("history");
  EXPECT_THAT(listed.out,
              testing::AllOf(HasSubstr("1 before-update"), HasSubstr("bench"), HasSubstr("2 encodes measured")));
  const auto compared = Run("compare before-update last --json");
  ASSERT_EQ(compared.code, 0) << compared.err;
  const auto json = nlohmann::json::parse(compared.out);
  EXPECT_EQ(json["encodes"]["encodes"].size(), 2u);
  EXPECT_EQ(json["before"]["name"], "before-update");
  EXPECT_TRUE(json["changed"].empty()) << "nothing changed on this machine meanwhile";
  EXPECT_EQ(Run("forget 2").code, 0);
  EXPECT_THAT(Run("compare").complaint(), HasSubstr("one bench only"));
  EXPECT_THAT(Run("compare before-update").complaint(), HasSubstr("compared with itself"));
  EXPECT_EQ(Run("forget all").code, 0);
  EXPECT_THAT(Run("history").out, HasSubstr("no run yet"));
}

TEST_F(PastRunsTest, ABenchIsMeasuredAgainAsItWas) {
  ASSERT_EQ(Bench().code, 0);
  const auto again = Run("bench --like last --repeats 1 --out again");
  ASSERT_EQ(again.code, 0) << again.err;
  EXPECT_THAT(again.out, HasSubstr("fast-kettle compare before-last last"));
  const auto compared = nlohmann::json::parse(Run("compare --json").out);
  EXPECT_EQ(compared["encodes"]["encodes"].size(), 2u);
  EXPECT_EQ(compared["encodes"]["only_before"], 0);
  EXPECT_EQ(compared["encodes"]["only_now"], 0);
  EXPECT_THAT(Run("bench --like 9").complaint(), HasSubstr("1 to 2"));
  EXPECT_THAT(Run("bench --like last --footage harbour").complaint(), HasSubstr("leave --show and --footage out"));
}

TEST_F(PastRunsTest, NoHistoryKeepsNothing) {
  ASSERT_EQ(Run("survey --root nowhere --out out --no-history").code, 0);
  EXPECT_FALSE(std::filesystem::exists(HistoryPath()));
}

TEST_F(PastRunsTest, WhatCannotBeComparedIsSaid) {
  ASSERT_EQ(Bench("--preset ultrafast").code, 0);
  ASSERT_EQ(Bench("--preset superfast").code, 0);
  EXPECT_EQ(Run("compare").code, 2);
  EXPECT_THAT(Run("compare").complaint(), HasSubstr("no encode in common"));
  EXPECT_THAT(Run("compare 1 9").complaint(), HasSubstr("1 to 2"));
  EXPECT_THAT(Run("restore 1").complaint(), HasSubstr("only a plan can be restored"));
  EXPECT_THAT(Run("history --kind benhc").complaint(), HasSubstr("bench"));
}

TEST_F(PastRunsTest, AHistoryThatCannotBeUsedCostsNoResult) {
  Put("data/fast-kettle/history.sqlite", "somebody's letter, which is no history at all" + std::string(5000, 'x'));
  const auto ran = Bench("--preset ultrafast");
  EXPECT_EQ(ran.code, 0);
  EXPECT_THAT(ran.complaint(), HasSubstr("damaged-1"));
  EXPECT_THAT(Get(HistoryPath() + ".damaged-1"), HasSubstr("somebody's letter"));
  std::filesystem::remove_all(path("data"));
  Put("data", "a file where the folder should be");
  const auto again = Bench("--preset ultrafast");
  EXPECT_EQ(again.code, 0);
  EXPECT_THAT(again.complaint(), HasSubstr("this run is not in the history"));
  EXPECT_GT(std::filesystem::file_size(path("out/bench.json")), 1000u);
}

TEST_F(PastRunsTest, APlanIsReportedAndRestoredAndNothingIsLost) {
  const std::string show = SmallShow();
  ASSERT_EQ(Run("plan --show " + show + " --out out --proof-seconds 2").code, 0);
  ExpectValid("card");
  const std::string first = Get(path("out/plan.json")), page = Get(path("out/report.html"));
  EXPECT_THAT(page, testing::AllOf(HasSubstr("HOLDS"), HasSubstr("Why these settings"), HasSubstr("</html>")));
  // Somebody changes the plan by hand: that is in no history yet.
  Put("out/plan.json", first + "\n");
  const auto ran = Run("restore last --out out");
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, testing::AllOf(HasSubstr("Run 1 of"), HasSubstr("is in the history as run 2")));
  EXPECT_TRUE(Get(path("out/plan.json")) == first);
  ASSERT_EQ(Run("restore 2 --out out").code, 0);
  EXPECT_TRUE(Get(path("out/plan.json")) == first + "\n");
  EXPECT_EQ(Run("report out").code, 0);
  EXPECT_THAT(Run("report nowhere").complaint(), HasSubstr("no such folder"));
  std::filesystem::create_directories(path("empty"));
  EXPECT_THAT(Run("report empty").complaint(), HasSubstr("nothing to report"));
}

TEST_F(PastRunsTest, NoKeyIsEverKept) {
  const std::string show = SmallShow();
  ASSERT_EQ(Run("plan --show " + show + " --out out --proof-seconds 2").code, 0);
  Put("key.txt", "salt-and-spray-4711\n");
  const std::string to = StartIngest("--seconds 60");
  EXPECT_LE(Run("rehearse out/plan.json --seconds 2 --to " + to + " --key-file key.txt --out r").code, 1)
      << "whether it holds is the machine's affair";
  EXPECT_EQ(nlohmann::json::parse(Run("history --json").out)["runs"].back()["kind"], "rehearsal");
  for (const auto& entry : std::filesystem::recursive_directory_iterator(path(""))) {
    const bool holds_it = entry.is_regular_file() && Get(entry.path()).find("salt-and-spray") != std::string::npos;
    EXPECT_EQ(holds_it, entry.path().filename() == "key.txt") << entry.path();
  }
  const auto listed = Run("history --json");
  EXPECT_THAT(listed.out, Not(HasSubstr("salt-and-spray")));
}

}  // namespace
}  // namespace kettle
