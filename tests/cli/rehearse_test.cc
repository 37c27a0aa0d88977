// SPDX-License-Identifier: Apache-2.0
// A plan rehearsed and diagnosed, as a user does it. Whether this machine holds is not a test's business.
#include <atomic>
#include <chrono>
#include <fstream>
#include <thread>

#include "certificate.h"
#include "kettle/realtime/turns.h"
#include "rehearsing.h"

namespace kettle {
namespace {

using testing::AllOf;
using testing::AnyOf;
using testing::HasSubstr;

using RehearseTest = test::RehearsingTest;

TEST_F(RehearseTest, TellsAndKeepsEveryFrame) {
  const auto ran = Run("rehearse plan.json --seconds 4 --audio-tracks 2 --out out --quiet");
  ASSERT_THAT(ran.code, AnyOf(0, 1)) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("SIMULATED: the ingest"), HasSubstr("4 s in real time"), HasSubstr("skipped"),
                             HasSubstr("dropped"), HasSubstr("stalled")));
  ExpectValid("rehearsal");
  const nlohmann::json rehearsal = Json("out/rehearsal.json");
  EXPECT_EQ(rehearsal["verdict"], ran.code == 0 ? "holds" : "does not hold");
  EXPECT_EQ(rehearsal["stream"]["frames"], 48);
  EXPECT_TRUE(rehearsal["simulated"]);
  for (const char* file : {"frames.csv", "seconds.csv", "fast-kettle-rehearsal.mkv", "rehearsal.png", "rehearsal.svg",
                           "plan.json", "arrived.csv"})
    EXPECT_GT(std::filesystem::file_size(path(std::string("out/") + file)), 50u) << file;
  // Again, from its files alone.
  EXPECT_THAT(Run("redraw out").out, testing::StartsWith(ran.out));
  const auto diagnosed = Run("diagnose out");
  EXPECT_EQ(diagnosed.code, ran.code) << diagnosed.err;
  EXPECT_THAT(diagnosed.out, AnyOf(HasSubstr("nothing to fix"), HasSubstr("What to do")));
}

TEST_F(RehearseTest, TheStreamGoesBeforeTheGameIfThePlanSaysSo) {
  ASSERT_EQ(Run("rehearse plan.json --seconds 2 --out usual --quiet").code & ~1, 0);
  EXPECT_EQ(Json("usual/rehearsal.json")["stream"]["niceness"], StreamNiceness(First::kGame));
  nlohmann::json plan = Json("plan.json");
  EXPECT_EQ(plan["first"], "game");
  plan["first"] = "stream";
  Put("other.json", plan.dump());
  const auto ran = Run("rehearse other.json --seconds 2 --out out --quiet");
  ASSERT_THAT(ran.code, AnyOf(0, 1)) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("The stream has priority over the game"));
  EXPECT_THAT(Json("out/rehearsal.json")["stream"]["niceness"].get<int>(), AnyOf(StreamNiceness(First::kStream), 0))
      << "0 where this user may not";
}

TEST_F(RehearseTest, AnOutageOfTheLineIsNamed) {
  Put("link.toml", "rate = \"20 Mbit/s\"\noutages = [{from = 2, seconds = 4}]\n");
  const auto ran = Run("rehearse plan.json --seconds 8 --link link.toml --out out --quiet");
  EXPECT_EQ(ran.code, 1) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("does not hold"), HasSubstr("the uplink"), HasSubstr("outage")));
  const auto diagnosed = Run("diagnose out --json");
  EXPECT_EQ(diagnosed.code, 1);
  // On a machine that is busy with others an encoder may have skipped frames before.
  std::vector<std::string> losses;
  const nlohmann::json diagnosis = nlohmann::json::parse(diagnosed.out);
  for (const auto& stretch : diagnosis["stretches"]) losses.push_back(stretch["loss"]);
  EXPECT_THAT(losses, testing::Contains("dropped"));
}

TEST_F(RehearseTest, EachDestinationHasItsIngestAndTheLastSecondsAreSaved) {
  nlohmann::json plan = Json("plan.json");
  plan["show"]["destinations"] = {"Near Quay", "Far Quay"};
  plan["show"]["keep_last_seconds"] = 2;
  Put("two.json", plan.dump());
  Put("link.toml", "rate = \"20 Mbit/s\"\n[[ingest]]\nname = \"far-quay\"\noutages = [{from = 2, seconds = 4}]\n");
  const auto ran = Run("rehearse two.json --seconds 8 --link link.toml --save-at 6 --out out --quiet");
  EXPECT_EQ(ran.code, 1) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("to Near Quay (simulated): 0 of"), HasSubstr("the way to Far Quay"),
                             HasSubstr("last seconds saved: ")));
  ExpectValid("rehearsal");
  const nlohmann::json outcome = Json("out/rehearsal.json")["outcome"];
  EXPECT_TRUE(outcome["ingests"][0]["dropped"].empty());
  EXPECT_FALSE(outcome["ingests"][1]["dropped"].empty());
  EXPECT_GE(outcome["saved"]["seconds"], 1.9);
  EXPECT_GT(Frames("out/fast-kettle-last-seconds.mkv"), 20);
  EXPECT_THAT(Run("redraw out").out, testing::StartsWith(ran.out));
}

TEST_F(RehearseTest, ACardThatIsLostCostsItsOwnEncodeOnly) {
  nlohmann::json plan = Json("plan.json");
  plan["recording"] = plan["stream"];
  plan["recording"].update({{"encoder", "vaapi-h264"}, {"preset", "7"}, {"device", "gpu"}, {"simulated", true}});
  plan["measured"]["recording"] = {plan["pair"]["recording"]};  // what was measured on the CPU
  plan["stand_in_gpu"] = "faulty.toml";
  Put("moved.json", plan.dump());
  EXPECT_THAT(Run("rehearse moved.json --out out").complaint(), HasSubstr("add --stand-in-gpu faulty.toml"));
  // In whichever session gets that far: how many are opened before is a matter of the machine's speed.
  Put("faulty.toml", Get(KETTLE_SOURCE "/standin/gpu/profiles/integrated.toml") +
                         "[[fault]]\nkind = \"lost\"\nsession = 0\nframe = 24\n");
  const auto ran = Run("rehearse moved.json --seconds 6 --stand-in-gpu faulty.toml --out out --quiet");
  EXPECT_EQ(ran.code, 1) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("the recording's encoder failed"), HasSubstr("the GPU was lost"),
                             HasSubstr("move the recording to the CPU (x264")));
  ExpectValid("rehearsal");
  const nlohmann::json outcome = Json("out/rehearsal.json")["outcome"];
  EXPECT_EQ(outcome["stream"]["packets"].get<int>() + outcome["stream"]["skipped"].get<int>(), 72);
  EXPECT_THAT(outcome["recording"]["failed"].get<std::string>(), HasSubstr("simulated")) << "the card's name";
  EXPECT_GT(outcome["recording"]["skipped"], 20);
  EXPECT_THAT(Run("redraw out").out, testing::StartsWith(ran.out));
}

// One takes H.264 only, the other HEVC only: there is no other way.
TEST_F(RehearseTest, DestinationsWithoutACommonCodecGetAnEncodeEach) {
  Put("near.toml", "name = \"Near Quay\"\ncodecs = [\"h264\"]\n");
  Put("far.toml", "name = \"Far Quay\"\ncodecs = [\"hevc\"]\n");
  SmallShow();
  const std::string plan =
      "plan --show show.toml --destination near.toml --destination far.toml --stream-size 160x90 --stream-frame-rate "
      "12 ";
  EXPECT_THAT(Run(plan + "--encodes one --out out").err,
              HasSubstr("no codec suits all: Near Quay h264; Far Quay hevc"));
  EXPECT_THAT(Run(plan + "--encodes two --out out").err, HasSubstr("say \"auto\" or \"one\""));
  const auto ran = Run(plan + "--footage-seconds 1 --proof-seconds 2 --out out --quiet");
  ASSERT_EQ(ran.code, 0) << ran.err << ran.out;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("to Near Quay with x264"), HasSubstr("to Far Quay with x265"),
                             HasSubstr("Taken: no codec suits all destinations")));
  // The better looking one comes first; they look alike.
  const bool near_first = ran.out.find("stream to Near Quay with x264") != ran.out.npos;
  const std::string first = near_first ? "Near Quay" : "Far Quay", second = near_first ? "Far Quay" : "Near Quay";
  EXPECT_THAT(Get(path("out/card.txt")), AllOf(HasSubstr("The stream above goes to " + first),
                                               HasSubstr("STREAM TO " + second), HasSubstr("FLV (Enhanced RTMP)")));
  ExpectValid("plan");
  EXPECT_GT(Frames(near_first ? "out/stream.flv" : "out/stream.mkv"), 12);
  EXPECT_GT(Frames(near_first ? "out/stream-2.mkv" : "out/stream-2.flv"), 12);
  EXPECT_THAT(Run("redraw out").out, testing::StartsWith(ran.out));
  std::filesystem::rename(path("out"), path("planned"));

  const auto rehearsed = Run("rehearse planned/plan.json --seconds 4 --out out --quiet");
  ASSERT_THAT(rehearsed.code, AnyOf(0, 1)) << rehearsed.err;
  EXPECT_THAT(rehearsed.out, AllOf(HasSubstr(near_first ? "stream 2: x265" : "stream 2: x264"),
                                   HasSubstr("stream to " + first + " (simulated)"),
                                   HasSubstr("stream 2 to " + second + " (simulated)")));
  ExpectValid("rehearsal");
  EXPECT_THAT(Get(path("out/frames.csv")), HasSubstr("\nstream-2,0,"));
  EXPECT_THAT(Run("redraw out").out, testing::StartsWith(rehearsed.out));
  EXPECT_THAT(Run("rehearse planned/plan.json --to rtmp://127.0.0.1/live --out other").err,
              HasSubstr("give --to 2 times, in this order: Near Quay, Far Quay"));
}

TEST_F(RehearseTest, WhereNothingIsRecordedThereIsNoFile) {
  nlohmann::json plan = Json("plan.json");
  plan["show"]["container"] = "none";
  plan["recording"] = plan["stream"];
  plan["recording"]["own_encode"] = false;
  Put("none.json", plan.dump());
  const auto ran = Run("rehearse none.json --seconds 2 --out out --quiet");
  ASSERT_THAT(ran.code, AnyOf(0, 1)) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("2 s of the stream in real time"), testing::Not(HasSubstr("recording:"))));
  EXPECT_FALSE(std::filesystem::exists(path("out/fast-kettle-rehearsal.mkv")));
}

TEST_F(RehearseTest, APowerCutLeavesWhatEachContainerKeeps) {
  const auto ran = Run("rehearse plan.json --seconds 30 --power-cut 12 --out out --quiet");
  EXPECT_EQ(ran.code, 0) << ran.err << ran.out;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Killed after 12 s"), HasSubstr("matroska"), HasSubstr("its index is written")));
  ExpectValid("power-cut");
  const nlohmann::json cut = Json("out/power-cut.json");  // kept: the loop refers to it
  ASSERT_EQ(cut["files"].size(), 3u);
  for (const auto& file : cut["files"])
    if (file["container"] == "mp4") {
      EXPECT_EQ(file["playable_seconds"], 0);
    }
}

TEST_F(RehearseTest, BadInputIsOneLine) {
  const auto complaint = [&](const std::string& arguments) {
    const auto ran = Run("rehearse " + arguments + " --out out --quiet");
    EXPECT_EQ(ran.code, 2) << arguments;
    EXPECT_EQ(std::count(ran.err.begin(), ran.err.end(), '\n'), 1) << ran.err;
    return ran.err;
  };
  EXPECT_THAT(complaint(""), HasSubstr("name a plan"));
  EXPECT_THAT(complaint("none.json"), HasSubstr("no such file"));
  EXPECT_THAT(complaint("plan.json --container avi"), HasSubstr("matroska"));
  EXPECT_THAT(complaint("plan.json --load none.json"), HasSubstr("no such file"));
  std::filesystem::create_directory(path("planless"));
  EXPECT_THAT(complaint("planless"), HasSubstr("planless/plan.json: no such file"));
  Put("cut.json", Get(path("plan.json")).substr(0, 3000));
  EXPECT_THAT(complaint("cut.json"), AllOf(HasSubstr("cut off"), testing::Not(HasSubstr("json.exception"))));
  EXPECT_THAT(complaint("plan.json --save-at 5"), HasSubstr("keep_last = \"30 s\""));
  Put("key", "secret\n");
  EXPECT_THAT(complaint("plan.json --to rtmp://127.0.0.1:1/live --key-file key --key-file key"),
              HasSubstr("one for each"));
  nlohmann::json av1 = Json("plan.json");
  av1["stream"]["encoder"] = "svt-av1";
  av1["stream"]["preset"] = "12";
  Put("av1.json", av1.dump());
  EXPECT_THAT(complaint("av1.json --to srt://127.0.0.1:9000"), HasSubstr("carries H.264 or HEVC"));
  EXPECT_THAT(complaint("plan.json --to rtmp://127.0.0.1:1/live --link a.toml"), HasSubstr("cannot shape"));
  EXPECT_THAT(complaint("plan.json --link none.toml"), HasSubstr("none.toml"));
  EXPECT_THAT(complaint("plan.json --recording-folder none"), HasSubstr("none"));
  nlohmann::json plan = Json("plan.json");
  plan["machine_digest"] = "another";
  Put("other.json", plan.dump());
  EXPECT_THAT(complaint("other.json"), HasSubstr("--anyway"));
  plan["stream"] = nullptr;
  Put("nothing.json", plan.dump());
  EXPECT_THAT(complaint("nothing.json"), HasSubstr("chose nothing"));
  EXPECT_EQ(Run("diagnose out").code, 2);
  EXPECT_EQ(Run("diagnose").code, 2);
}

// It answered "basic_filebuf::underflow error reading the file: Is a directory".
TEST_F(RehearseTest, APlansFolderIsAsGoodAsItsFile) {
  std::filesystem::create_directory(path("planned"));
  std::filesystem::rename(path("plan.json"), path("planned/plan.json"));
  const auto ran = Run("rehearse planned --seconds 2 --out out --quiet");
  EXPECT_THAT(ran.code, AnyOf(0, 1)) << ran.err;
  EXPECT_EQ(Get(path("out/plan.json")), Get(path("planned/plan.json")));
}

TEST_F(RehearseTest, WritesOverNothingOfThePlansOrTheUsers) {
  std::filesystem::create_directory(path("mine"));
  for (const char* name : {"recording.mkv", "rehearsal.mkv", "plan.json"}) Put(std::string("mine/") + name, "mine");
  std::filesystem::copy_file(path("plan.json"), path("mine/plan.json"),
                             std::filesystem::copy_options::overwrite_existing);
  const std::string plan = Get(path("mine/plan.json"));
  const auto ran = Run("rehearse mine/plan.json --seconds 2 --recording-folder mine --out mine --quiet");
  ASSERT_THAT(ran.code, AnyOf(0, 1)) << ran.err;
  EXPECT_EQ(Get(path("mine/plan.json")), plan);
  for (const char* name : {"recording.mkv", "rehearsal.mkv"}) EXPECT_EQ(Get(path(std::string("mine/") + name)), "mine");
  EXPECT_GT(std::filesystem::file_size(path("mine/fast-kettle-rehearsal.mkv")), 1000u);
}

TEST_F(RehearseTest, ALoadThatEndsByItselfIsNotPassedOff) {
  ASSERT_EQ(Run("load capture --seconds 2 --out game.load.json --quiet").code, 0);
  // The replay is ended from outside while the rehearsal runs.
  const pid_t pid =
      Start({"rehearse", "plan.json", "--seconds", "8", "--load", "game.load.json", "--out", "out", "--quiet"});
  const std::vector<pid_t> replays = AwaitChildrenOf(pid, "game-load");
  ASSERT_EQ(replays.size(), 1u);
  ASSERT_EQ(AwaitChildrenOf(pid, "kettle-engine").size(), 1u) << "the rehearsal's worker";
  kill(replays.front(), SIGKILL);
  const auto ran = Wait(pid);
  EXPECT_EQ(ran.code, 3) << ran.out;
  EXPECT_THAT(ran.err, HasSubstr("replay stopped by itself"));
}

// A limit on the size of each file stands for a disk that is full.
TEST_F(RehearseTest, WithoutRoomForTheResultsNothingIsBegun) {
  const std::string command =
      "cd '" + path("").string() + "' && ulimit -f 256 && trap '' XFSZ && XDG_CACHE_HOME='" + CacheFolder() +
      "' " KETTLE_PROGRAM " rehearse plan.json --seconds 6 --no-history --out out >stdout.txt 2>stderr.txt";
  EXPECT_EQ(WEXITSTATUS(std::system(command.c_str())), 3);
  EXPECT_THAT(Get(path("stderr.txt")), testing::ContainsRegex("no room for the results, which need [0-9]+ MB"));
  EXPECT_FALSE(std::filesystem::exists(path("out/rehearsal.json")));
}

TEST_F(RehearseTest, AnIngestThatIsNotThereFailsInOneLine) {
  Put("key.txt", "s3cret-key\n");
  const auto ran = Run("rehearse plan.json --to rtmp://127.0.0.1:1/live --key-file key.txt --out out --quiet");
  EXPECT_EQ(ran.code, 2) << ran.err;
  EXPECT_THAT(ran.err, HasSubstr("no connection"));
  EXPECT_EQ(std::system(("! grep -rq s3cret-key '" + path("out").string() + "'").c_str()), 0) << "the key is nowhere";
}

TEST_F(RehearseTest, AnIngestOfTheUsersGetsTheStreamOverTls) {
  test::MakeCertificate(path(""));
  Put("key.txt", "s3cret-key\n");
  const std::string url = StartIngest("--certificate certificate.pem --private-key key.pem --key-file key.txt");
  EXPECT_THAT(url, testing::StartsWith("rtmps://"));
  const std::string command = "rehearse plan.json --seconds 3 --key-file key.txt --out out --quiet --to " + url;
  EXPECT_THAT(Run(command).err, HasSubstr("certificate does not verify"));
  setenv("SSL_CERT_FILE", path("certificate.pem").c_str(), 1);
  const auto ran = Run(command);
  unsetenv("SSL_CERT_FILE");
  ASSERT_THAT(ran.code, AnyOf(0, 1)) << ran.err;
  const nlohmann::json rehearsal = Json("out/rehearsal.json");
  EXPECT_EQ(rehearsal["stream"]["frames"], 36);
  EXPECT_LT(rehearsal["stream"]["dropped"], 36) << "some of it arrived";
  EXPECT_EQ(rehearsal["connection_losses"], 0);
  EXPECT_TRUE(rehearsal["simulated"]) << "it says so itself";
  EXPECT_EQ(std::system(("! grep -rq s3cret-key '" + path("out").string() + "'").c_str()), 0) << "the key is nowhere";
}

TEST_F(RehearseTest, ACardThatIsLostWithAllEncodesIsSaidInOneLine) {
  nlohmann::json plan = Json("plan.json");
  for (const char* encode : {"stream", "recording"})
    plan[encode].update({{"encoder", "nvenc-h264"}, {"preset", "p4"}, {"device", "gpu"}, {"b_frames", 0}});
  Put("gpu-plan.json", plan.dump());
  Put("lost.toml", Get(KETTLE_SOURCE "/standin/gpu/profiles/modest.toml") +
                       "\n[[fault]]\nkind = \"lost\"\nsession = 0\nframe = 20\n");
  const auto ran = Run("rehearse gpu-plan.json --stand-in-gpu lost.toml --seconds 8 --out out --quiet");
  EXPECT_EQ(ran.code, 3) << ran.out;
  EXPECT_THAT(ran.err, HasSubstr("broke off: the GPU was lost"));
  EXPECT_EQ(std::count(ran.err.begin(), ran.err.end(), '\n'), 1) << ran.err;
  EXPECT_GT(std::filesystem::file_size(path("out/fast-kettle-rehearsal.mkv")), 0u) << "what was recorded is left";
}

TEST_F(RehearseTest, TheGameTellsWhatItLosesUnderALoad) {
  ASSERT_EQ(Run("load capture --seconds 2 --out game.load.json --quiet").code, 0);
  const auto ran = Run("rehearse plan.json --seconds 4 --stand-in-game 0.1 --load game.load.json --out out --quiet");
  ASSERT_THAT(ran.code, AnyOf(0, 1)) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("What the encodes take from the game (SIMULATED)"),
                             HasSubstr("Under load: game.load.json")));
  ExpectValid("rehearsal");
  EXPECT_EQ(Json("out/rehearsal.json")["facts"]["game"]["wanted_fps"], 12);
  EXPECT_THAT(Get(path("out/card.txt")),
              AllOf(HasSubstr("settings card"), HasSubstr("REHEARSED"), HasSubstr("The game (SIMULATED): ")));
}

// Its log holds 20 ms a frame before the rehearsal, and 50 ms while it runs.
TEST_F(RehearseTest, AGameThatLosesFramesIsNoPlanThatHolds) {
  std::ofstream log(path("game-frames.csv"));
  log << "seconds,milliseconds\n";
  double at = 0;
  const auto frame = [&](double milliseconds) {
    log << at << ',' << milliseconds << '\n' << std::flush;
    at += milliseconds / 1000;
  };
  while (at < 8) frame(20);
  std::atomic<bool> playing = true;
  std::thread game([&] {
    const auto start = std::chrono::steady_clock::now();
    for (int made = 1; playing; ++made) {
      std::this_thread::sleep_until(start + made * std::chrono::milliseconds(50));
      frame(50);
    }
  });
  const auto ran = Run("rehearse plan.json --seconds 3 --game-frames game-frames.csv --out out --quiet");
  playing = false;
  game.join();
  EXPECT_EQ(ran.code, 1) << ran.err;
  EXPECT_THAT(ran.out,
              AllOf(HasSubstr("What the encodes take from the game"), HasSubstr("1 % low"),
                    HasSubstr("the game loses frames to the encodes"), testing::Not(HasSubstr("the game is"))));
  ExpectValid("rehearsal");
  ExpectValid("figures");
  const nlohmann::json facts = Json("out/rehearsal.json")["facts"];
  EXPECT_NEAR(facts["game"]["beside_fps"].get<double>(), 20, 4);
  EXPECT_GT(facts["game"]["alone_fps"].get<double>(), 30);
  EXPECT_FALSE(facts["game"]["simulated"]);
  EXPECT_EQ(Run("diagnose out").code, 1);
}

TEST_F(RehearseTest, ALogOfNoGameIsRefused) {
  Put("short.csv", "seconds,milliseconds\n0,20\n0.02,20\n");
  Put("other.csv", "frame;time\n");
  for (const auto& [file, words] : {std::pair{"none.csv", "no such file"},
                                    {"short.csv", "holds less than 5 s"},
                                    {"other.csv", "begins with the line"}}) {
    const auto ran = Run(std::string("rehearse plan.json --seconds 2 --out out --quiet --game-frames ") + file);
    EXPECT_EQ(ran.code, 2);
    EXPECT_THAT(ran.err, HasSubstr(words));
  }
  EXPECT_EQ(Run("rehearse plan.json --stand-in-game 0.1 --game-frames short.csv --out out").code, 2);
}

}  // namespace
}  // namespace kettle
