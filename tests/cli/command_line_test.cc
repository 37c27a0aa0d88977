// SPDX-License-Identifier: Apache-2.0
#include "command_line.h"

#include "program.h"

namespace kettle {
namespace {

using app::ParseCommandLine;
using test::Complaint;

TEST(CommandLine, HelpHasAnExampleForEveryCommand) {
  const std::string overview = ParseCommandLine({"--help"}).text;
  for (const char* command : {"survey", "bench", "plan", "demo"}) {
    EXPECT_THAT(overview, testing::HasSubstr(command));
    const std::string help = ParseCommandLine({command, "--help"}).text;
    EXPECT_THAT(help, testing::HasSubstr(std::string("Example:\n  fast-kettle ") + command)) << command;
    EXPECT_THAT(help, testing::HasSubstr("--out")) << command;
    EXPECT_THAT(help, testing::HasSubstr(std::string("fast-kettle ") + command + " --help all")) << command;
    EXPECT_LE(std::count(help.begin(), help.end(), '\n'), 24) << command << ": more than a screen";
    EXPECT_THAT(ParseCommandLine({command, "--help", "all"}).text, testing::HasSubstr("--quiet")) << command;
  }
  EXPECT_THAT(ParseCommandLine({"--version"}).text, testing::HasSubstr(app::kVersion));
}

TEST(CommandLine, EveryKeyOfAShowIsAnOption) {
  const std::string help = ParseCommandLine({"--help", "show"}).text;
  for (const ShowKey& key : ShowKeys()) EXPECT_THAT(help, testing::HasSubstr("--" + key.option)) << key.key;
}

TEST(CommandLine, FillsARequest) {
  const auto parsed =
      ParseCommandLine({"bench", "--show", "s.toml", "--encoder", "x264", "--preset", "fast", "--preset", "medium",
                        "--json", "--stream-bit-rate", "2 Mbit/s", "--footage", "a", "--footage", "b"});
  ASSERT_TRUE(parsed.request);
  EXPECT_EQ(parsed.request->show, "s.toml");
  EXPECT_TRUE(parsed.request->json);
  EXPECT_THAT(parsed.request->bench.presets, testing::ElementsAre("fast", "medium"));
  EXPECT_THAT(parsed.request->overrides.at("footage"), testing::ElementsAre("a", "b"));
  EXPECT_THAT(parsed.request->overrides.at("stream-bit-rate"), testing::ElementsAre("2 Mbit/s"));
}

TEST(CommandLine, FillsWhatBenchCombines) {
  const auto parsed =
      ParseCommandLine({"bench",   "--encoder",    "x264", "--encoder",    "x265", "--size",        "640x360", "--size",
                        "320x180", "--frame-rate", "30",   "--device",     "1",    "--time-budget", "5min",    "--soak",
                        "2.5",     "--b-frames",   "0",    "--multi-pass", "on",   "--resume"});
  const app::BenchOptions& bench = parsed.request->bench;
  EXPECT_THAT(bench.encoders, testing::ElementsAre("x264", "x265"));
  EXPECT_THAT(bench.sizes, testing::ElementsAre("640x360", "320x180"));
  EXPECT_THAT(bench.devices, testing::ElementsAre("1"));
  EXPECT_EQ(bench.budget_seconds, 300);
  EXPECT_EQ(bench.soak_minutes, 2.5);
  EXPECT_EQ(bench.b_frames, 0);
  EXPECT_FALSE(bench.look_ahead.has_value());
  EXPECT_EQ(bench.multi_pass, "on");
  EXPECT_TRUE(bench.resume);
  EXPECT_FALSE(bench.dry_run);
}

TEST(CommandLine, RefusesWithTheNearest) {
  const std::pair<std::vector<std::string>, const char*> cases[] = {
      {{"plann"}, "did you mean \"plan\"?"},
      {{"plan", "--sho", "x"}, "did you mean \"--show\"?"},
      {{"survey", "--o", "x"}, "--out"},
      {{"plan"}, "--show FILE"},
      {{"survey", "extra"}, "options only"},
      {{"plan", "--show", "x", "--footage-seconds", "many"}, "--footage-seconds does not take \"many\""},
      {{"rehearse", "x", "--audio-tracks=2.5"}, "--audio-tracks does not take \"2.5\""},
      {{"rehearse", "x", "--seconds"}, "--seconds needs a value"},
      {{"plan", "--out="}, "--out needs a value"},
      {{"rehearse", "x", "--seconds", "5", "--seconds", "6"}, "--seconds is given more than once"},
      {{"plan", "--quiet=5"}, "--quiet takes no value"},
      {{"plan", "--show", "x", "--proof-seconds", "0"}, "2 to 3600"},
      {{"plan", "--show", "x", "--title", "a", "--title", "b"}, "more than once"},
      {{"bench", "--time-budget", "5 parsecs"}, "90s, 5min or 1h"},
      {{"bench", "--time-budget", "-5"}, "90s, 5min or 1h"},
      {{"plan", "--show", "x", "--time-budget", "soon"}, "90s, 5min or 1h"},
      {{"plan", "--show", "x", "--time-budget", "20s"}, "25 to 86400"},
      {{"plan", "--show", "x", "--time-budget", "20s", "--proof-seconds", "8"}, "23 to 86400"},
      {{"bench", "--repeats", "0"}, "1 to 100"},
      {{"bench", "--encodr", "x264"}, "did you mean \"--encoder\"?"},
      {{"survey", "--out", ""}, "--out"}};
  for (const auto& [arguments, words] : cases)
    EXPECT_THAT(Complaint(Fault::kInput, [&] { ParseCommandLine(arguments); }), testing::HasSubstr(words))
        << arguments[0];
}

using FrontTest = test::ProgramTest;

// In a bundle with others, what the front uses once brought the codec libraries in: help took 59 ms in place of 3.
TEST_F(FrontTest, NeedsNoCodecLibrary) {
  const std::string command = std::string("ldd '") + KETTLE_PROGRAM + "' >'" + path("needs.txt").string() + "'";
  ASSERT_EQ(std::system(command.c_str()), 0);
  const std::string needs = Get(path("needs.txt"));
  for (const char* library : {"libav", "libx264", "libcrypto"})
    EXPECT_THAT(needs, testing::Not(testing::HasSubstr(library)));
}

TEST_F(FrontTest, ExitCodesAndStreams) {
  const std::string first = Run("").out;
  EXPECT_EQ(std::count(first.begin(), first.end(), '\n'), 3);
  EXPECT_THAT(first, testing::HasSubstr("plan --footage my-clip.mkv"));
  EXPECT_EQ(Run("--help").code, 0);
  EXPECT_EQ(Run("--version").out, std::string("fast-kettle ") + app::kVersion + "\n");
  const auto wrong = Run("surve");
  EXPECT_EQ(wrong.code, 2);
  EXPECT_EQ(wrong.out, "");
  EXPECT_EQ(wrong.err, "fast-kettle: there is no command \"surve\"; did you mean \"survey\"?\n");
}

}  // namespace
}  // namespace kettle
