// SPDX-License-Identifier: Apache-2.0
// What the commands write, on small pictures with real encodes.
#include "clip.h"
#include "kettle/media/reader.h"
#include "program.h"

namespace kettle {
namespace {

class ResultsTest : public test::ProgramTest {
 protected:
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
  std::filesystem::remove(path("out/bench.csv"));
  const auto again = Run("redraw out");
  EXPECT_EQ(again.code, 0) << again.err;
  EXPECT_THAT(again.out, testing::StartsWith(ran.out));
  EXPECT_EQ(Get(path("out/bench.csv")), csv);
  // One that somebody emptied is refused in a line.
  nlohmann::json emptied = Json("out/bench.json");
  emptied["bench"]["settings"] = nlohmann::json::array();
  Put("out/bench.json", emptied.dump());
  const auto refused = Run("redraw out");
  EXPECT_EQ(refused.code, 2);
  EXPECT_THAT(refused.err, testing::HasSubstr("a bench of nothing"));
}

TEST_F(ResultsTest, BenchWithoutAShowCombinesItsOptions) {
  const std::string command =
      "bench --footage open-water --footage-seconds 1 --encoder x264 --encoder x265 --preset ultrafast --size 320x180 "
      "--size 160x90 --frame-rate 12 --bit-rate '600 kbit/s' --repeats 2 --out out";
  const auto dry = Run(command + " --dry-run");
  EXPECT_EQ(dry.code, 0) << dry.err;
  EXPECT_THAT(dry.out,
              testing::AllOf(testing::HasSubstr("4 trials, 8 runs"), testing::HasSubstr("Nothing was measured")));
  EXPECT_FALSE(std::filesystem::exists(path("out/bench.json")));
  const auto ran = Run(command);
  EXPECT_EQ(ran.code, 0) << ran.err;
  ExpectValid("bench");
  const nlohmann::json bench = Json("out/bench.json");
  ASSERT_EQ(bench["trials"].size(), 4u);
  EXPECT_EQ(bench["complete"], true);
  for (const auto& trial : bench["trials"]) EXPECT_EQ(trial["repeats"].size(), 2u);
  // What was measured stays in reach when it is measured again.
  EXPECT_EQ(Run(command + " --preset superfast").code, 0);
  EXPECT_EQ(Json("out/bench.previous.json")["trials"], bench["trials"]);
}

// Figures were once drawn by a shell: a space broke every one of them, and a semicolon would have been obeyed.
TEST_F(ResultsTest, AnOutputFolderMayHaveAnyName) {
  SmallShow();
  const std::string folder = "my results; touch obeyed";
  const auto ran = Run("bench --show show.toml --encoder x264 --preset ultrafast --repeats 1 --out '" + folder + "'");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_EQ(ran.complaint(), "");
  for (const char* file : {"bench.json", "speed-quality.png", "speed-quality.svg"})
    EXPECT_GT(std::filesystem::file_size(path(folder) / file), 100u) << file;
  EXPECT_FALSE(std::filesystem::exists(path("obeyed")));
  EXPECT_FALSE(std::filesystem::exists(path(folder) / "obeyed"));
}

TEST_F(ResultsTest, WithoutGnuplotOnlyTheFiguresAreMissing) {
  SmallShow();
  std::filesystem::create_directory(path("programs"));
  const std::string usual = std::getenv("PATH");
  setenv("PATH", path("programs").c_str(), 1);
  const auto without = Run("plan --show show.toml --footage-seconds 1 --proof-seconds 2 --out out");
  Put("programs/gnuplot", "#!/bin/sh\necho it is out of ink >&2\nexit 1\n");
  std::filesystem::permissions(path("programs/gnuplot"), std::filesystem::perms::owner_all);
  const auto failing = Run("bench --show show.toml --encoder x264 --preset ultrafast --repeats 1 --out bench");
  setenv("PATH", usual.c_str(), 1);
  ASSERT_THAT(without.code, testing::AnyOf(0, 1)) << without.err;
  EXPECT_EQ(without.complaint(),
            "fast-kettle: warning: no figures: gnuplot is not installed (sudo apt install gnuplot-nox); all other "
            "results are complete, and fast-kettle redraw out draws the figures later\n");
  ExpectValid("plan");
  ExpectValid("figures");
  const auto later = Run("redraw out");
  EXPECT_EQ(later.code, 0) << later.err;
  EXPECT_THAT(later.out, testing::AllOf(testing::StartsWith(without.out), testing::HasSubstr("Drawn again in out/")));
  for (const char* figure : {"out/speed-quality.svg", "out/proof-times.png"})
    EXPECT_GT(std::filesystem::file_size(path(figure)), 1000u) << figure;
  EXPECT_EQ(Run("redraw nowhere").code, 2);
  EXPECT_FALSE(std::filesystem::exists(path("nowhere"))) << "reading makes no folder";
  for (const char* file : {"out/card.txt", "out/proof.csv", "out/stream.flv", "out/bench.csv"})
    EXPECT_GT(std::filesystem::file_size(path(file)), 50u) << file;
  EXPECT_EQ(failing.code, 0) << failing.err;
  EXPECT_THAT(failing.complaint(), testing::AllOf(testing::HasSubstr("warning: a figure is missing"),
                                                  testing::HasSubstr("it is out of ink")));
}

// A load was once forgotten by --resume, which then refused, and by --soak.
TEST_F(ResultsTest, BenchUnderALoadIsResumedAndSoaked) {
  Put("game.load.json", nlohmann::json{{"schema", "fast-kettle/load/1"},
                                       {"interval_seconds", 0.2},
                                       {"memory_share", 0},
                                       {"programs", nlohmann::json::array()},
                                       {"duty", {{0.1}, {0.1}}},
                                       {"gpu", nlohmann::json::array()}}
                            .dump());
  const std::string command =
      "bench --footage open-water --footage-seconds 1 --encoder x264 --preset ultrafast --size 160x90 --frame-rate 2 "
      "--bit-rate '200 kbit/s' --load game.load.json";
  ASSERT_EQ(Run(command + " --repeats 1 --out out").code, 0);
  const auto resumed = Run(command + " --repeats 1 --resume --out out");
  EXPECT_EQ(resumed.code, 0) << resumed.err;
  const auto other =
      Run("bench --footage open-water --footage-seconds 1 --encoder x264 --preset ultrafast --size 160x90 "
          "--frame-rate 2 --bit-rate '200 kbit/s' --resume --out out");
  EXPECT_EQ(other.code, 2);
  EXPECT_THAT(other.err, testing::HasSubstr("without a load"));
  const auto soaked = Run(command + " --soak 0.1 --out soak");
  EXPECT_EQ(soaked.code, 0) << soaked.err;
  EXPECT_EQ(Json("soak/soak.json")["load"]["profile"], "game.load.json");
  EXPECT_THAT(soaked.out, testing::HasSubstr("under a load"));
}

TEST_F(ResultsTest, APlanKeepsAnEarlierBench) {
  SmallShow();
  ASSERT_EQ(Run("bench --show show.toml --encoder x264 --preset ultrafast --paced --repeats 1 --out out").code, 0);
  const nlohmann::json bench = Json("out/bench.json");
  ASSERT_THAT(Run("plan --show show.toml --footage-seconds 1 --proof-seconds 2 --out out").code, testing::AnyOf(0, 1));
  EXPECT_EQ(Json("out/bench.previous.json"), bench);
  EXPECT_EQ(Json("out/bench.json")["made_by"], "plan");
}

// No machine codes six seconds with x264's slowest presets in one.
TEST_F(ResultsTest, ATimeBudgetEndsABench) {
  const auto ran = Run(
      "bench --footage open-water --footage-seconds 6 --encoder x264 --size 960x540 --frame-rate 30 --bit-rate '2000 "
      "kbit/s' --repeats 1 --time-budget 1s --out out");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, testing::AnyOf(testing::HasSubstr("no time was left"), testing::HasSubstr("time ran out")));
  EXPECT_EQ(Json("out/bench.json")["complete"], false);
}

TEST_F(ResultsTest, WhatWasNotMeasuredIsLeftForResume) {
  const std::string command =
      "bench --footage open-water --footage-seconds 1 --encoder x264 --preset ultrafast --preset superfast --preset "
      "veryfast --size 160x90 --frame-rate 12 --bit-rate '200 kbit/s' --repeats 1 --out out";
  ASSERT_EQ(Run(command).code, 0);
  nlohmann::json first = Json("out/bench.json");
  ASSERT_EQ(first["trials"].size(), 3u);
  first["complete"] = false;  // as a time budget leaves it, or a kill
  first["trials"].erase(2);
  for (auto& trial : first["trials"]) {  // whatever this minute is like: none that would be measured anew
    trial["marks"] = nlohmann::json::array();
    trial["truncated"] = false;
    for (auto& repeat : trial["repeats"])
      for (const char* who : {"other_cores", "stolen_cores", "throttle_events"})
        if (repeat.contains(who)) repeat[who] = 0;
  }
  first["trials"][1]["truncated"] = true;
  Put("out/bench.json", first.dump());
  const auto refused = Run(command);
  EXPECT_EQ(refused.code, 2);
  EXPECT_THAT(refused.err, testing::HasSubstr("unfinished bench: continue it with --resume"));
  const auto resumed = Run(command + " --resume");
  EXPECT_EQ(resumed.code, 0) << resumed.err;
  const auto second = Json("out/bench.json");
  EXPECT_EQ(second["complete"], true);
  ASSERT_EQ(second["trials"].size(), 3u);
  for (const auto& trial : first["trials"]) {
    const auto& kept = *std::find_if(second["trials"].begin(), second["trials"].end(),
                                     [&](const auto& t) { return t["settings"] == trial["settings"]; });
    if (trial["truncated"])
      EXPECT_NE(kept["repeats"][0], trial["repeats"][0]) << "one that was given up as too slow was taken up";
    else
      EXPECT_EQ(kept["repeats"][0], trial["repeats"][0]) << "a finished run was measured again";
  }
}

TEST_F(ResultsTest, SoakTellsTheDrift) {
  const auto ran =
      Run("bench --footage open-water --footage-seconds 1 --encoder x264 --preset ultrafast --size 160x90 --frame-rate "
          "2 --bit-rate '200 kbit/s' --soak 0.1 --out out");
  EXPECT_EQ(ran.code, 0) << ran.err;
  ExpectValid("soak");
  EXPECT_GE(Json("out/soak.json")["windows"].size(), 8u);
  EXPECT_TRUE(std::filesystem::exists(path("out/soak.png")));
}

// Each kind of fault in a driver: the trial it strikes says so, the others are whole.
TEST_F(ResultsTest, AFaultCostsOneTrialAndIsNamed) {
  const std::tuple<const char*, const char*, const char*> faults[] = {
      {"refuse", "failed", "refused a frame"},     {"crash", "crashed", "signal 11"},
      {"hang", "timed out", "no answer for"},      {"slow", "done", "times slower"},
      {"wrong", "wrong output", "does not match"}, {"lost", "failed", "GPU was lost"}};
  for (const auto& [kind, status, words] : faults) {
    SCOPED_TRACE(kind);
    // Sessions: one to open what was asked, then two for each trial.
    Put("faulty.toml", "linger_seconds = 30\n" + Get(KETTLE_SOURCE "/standin/gpu/profiles/modest.toml") +
                           "[[fault]]\nkind = \"" + kind + "\"\nsession = 5\nframe = 20\nfactor = 200\n");
    std::filesystem::remove_all(path("out"));
    const auto ran = Run(
        "bench --footage open-water --footage-seconds 4 --encoder nvenc-h264 --preset p1 --preset p2 --preset p3 "
        "--size 320x180 --frame-rate 12 --bit-rate '600 kbit/s' --repeats 1 --patience 12 --stand-in-gpu faulty.toml "
        "--out out");
    EXPECT_EQ(ran.code, 0) << ran.err;
    ExpectValid("bench");
    const auto trials = Json("out/bench.json")["trials"];
    ASSERT_EQ(trials.size(), 3u);
    EXPECT_EQ(trials[0]["status"], "done");
    EXPECT_EQ(trials[2]["status"], "done");
    EXPECT_EQ(trials[1]["status"], status);
    EXPECT_THAT(trials[1].dump(), testing::HasSubstr(words));
    EXPECT_THAT(ran.out, testing::HasSubstr(words));
  }
}

TEST_F(ResultsTest, BenchOnTheStandIn) {
  SmallShow();
  const auto ran =
      Run("bench --show show.toml --encoder nvenc-h264 --preset p1 --preset p5 --stand-in-gpu modest --out out");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, testing::HasSubstr("SIMULATED"));
  const nlohmann::json bench = Json("out/bench.json");  // kept: the loop refers to it
  ASSERT_EQ(bench["trials"].size(), 2u);
  for (const auto& trial : bench["trials"]) {
    EXPECT_EQ(trial["status"], "done") << trial["detail"];
    EXPECT_EQ(trial["simulated"], true);
    EXPECT_EQ(trial["device"], "gpu");
  }
}

TEST_F(ResultsTest, PlanOnTheCpuAloneAndAsJsonNothingButThePlan) {
  SmallShow();
  const auto ran = Run("plan --show show.toml --footage-seconds 1 --proof-seconds 2 --json --out out");
  EXPECT_EQ(ran.code, 0) << ran.err << ran.out;
  ExpectValid("plan");
  ExpectValid("bench");
  ExpectPlan(false);
  const nlohmann::json printed = nlohmann::json::parse(ran.out), kept = Json("out/plan.json");
  EXPECT_TRUE(printed.contains("because"));
  for (const auto& [key, value] : printed.items()) EXPECT_EQ(value, kept[key]) << key;
  // A second plan uses the trials again.
  const bool disturbed = Json("out/bench.json")["trials"].dump().find("disturbed: ") != std::string::npos;
  const auto again = Run("plan --show show.toml --footage-seconds 1 --proof-seconds 2 --out out");
  // But for those that were measured while the machine was disturbed. By all of them something else may be worth a
  // trial.
  const nlohmann::json used = Json("out/plan.json")["trials"];
  if (!disturbed) {
    EXPECT_GT(used["reused"], used["measured"]) << again.out;
  }
}

TEST_F(ResultsTest, TheStreamsOwnEncodeIsRecordedWhereTheShowSaysSo) {
  SmallShow();
  const auto ran =
      Run("plan --show show.toml --footage-seconds 1 --proof-seconds 2 --recording-size stream --stream-size 320x180 "
          "--stream-frame-rate 12 --out out");
  EXPECT_EQ(ran.code, 0) << ran.err << ran.out;
  EXPECT_THAT(ran.out,
              testing::AllOf(testing::HasSubstr("record the same encode"), testing::HasSubstr("STREAM AND RECORDING")));
  ExpectValid("plan");
  EXPECT_FALSE(Json("out/plan.json")["recording"]["own_encode"]);
  EXPECT_FALSE(std::filesystem::exists(path("out/recording.mkv")));
  EXPECT_THAT(Run("redraw out").out, testing::StartsWith(ran.out.substr(0, 300)));
  const auto rehearsed = Run("rehearse out/plan.json --seconds 3 --out reh --quiet");
  ASSERT_THAT(rehearsed.code, testing::AnyOf(0, 1)) << rehearsed.err;
  EXPECT_EQ(Frames("reh/fast-kettle-rehearsal.mkv") + Json("reh/rehearsal.json")["stream"]["skipped"].get<int>(), 36);
}

// Which way is taken is the machine's business.
TEST_F(ResultsTest, HowToRecordIsWeighedWhereTheShowLeavesItOpen) {
  SmallShow();
  const auto ran = Run("plan --show show.toml --footage-seconds 1 --proof-seconds 2 --recording-size auto --out out");
  EXPECT_THAT(ran.code, testing::AnyOf(0, 1)) << ran.err << ran.out;
  ExpectValid("plan");
  ExpectValid("figures");
  const nlohmann::json plan = Json("out/plan.json");
  ASSERT_GE(plan["trade"].size(), 2u) << ran.out;
  int taken = 0;
  for (const auto& point : plan["trade"]) taken += point["taken"].get<bool>();
  EXPECT_EQ(taken, 1);
  EXPECT_THAT(ran.out, testing::HasSubstr("Ways to record beside the stream"));
}

// With no show file: what is left out is told.
TEST_F(ResultsTest, PlanWithTheStandInOfAClipAlone) {
  test::MakeClip(path("clip.mkv"), {});
  const auto ran =
      Run("plan --footage clip.mkv --recording-size source --recording-frame-rate source --footage-seconds 1 "
          "--proof-seconds 2 --stand-in-gpu modest --out out");
  EXPECT_EQ(ran.code, 0) << ran.err << ran.out;
  ExpectValid("plan");
  EXPECT_THAT(Get(path("out/card.txt")), testing::HasSubstr("nothing says what your uplink carries"));
  EXPECT_EQ(Json("out/plan.json")["title"], "clip");
  ExpectPlan(true);
}

TEST_F(ResultsTest, NothingHoldsIsExitCodeOne) {
  SmallShow();
  // 480 frames a second with 90 % to spare: 4800 a second, which no processor encodes at this size.
  const auto ran =
      Run("plan --show show.toml --source-size 1280x720 --frame-rate 480 --headroom 0.9 --footage-seconds 1 --out out");
  EXPECT_EQ(ran.code, 1) << ran.err << ran.out;
  EXPECT_THAT(ran.out, testing::HasSubstr("Nearest settings that would"));
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
