// SPDX-License-Identifier: Apache-2.0
#include "command_line.h"

#include "program.h"

namespace kettle {
namespace {

using app::ParseCommandLine;
using test::Complaint;

TEST(CommandLine, HelpHasAnExampleForEveryCommand) {
  const std::string overview = ParseCommandLine({}).text;
  for (const char* command : {"survey", "bench", "plan", "demo"}) {
    EXPECT_THAT(overview, testing::HasSubstr(command));
    const std::string help = ParseCommandLine({command, "--help"}).text;
    EXPECT_THAT(help, testing::HasSubstr(std::string("Example:\n  fast-kettle ") + command)) << command;
    EXPECT_THAT(help, testing::HasSubstr("--out")) << command;
  }
  EXPECT_THAT(ParseCommandLine({"--version"}).text, testing::HasSubstr(app::kVersion));
}

TEST(CommandLine, EveryKeyOfAShowIsAnOption) {
  const std::string help = ParseCommandLine({"plan", "--help"}).text;
  for (const ShowKey& key : ShowKeys()) EXPECT_THAT(help, testing::HasSubstr("--" + key.option)) << key.key;
}

TEST(CommandLine, FillsARequest) {
  const auto parsed =
      ParseCommandLine({"bench", "--show", "s.toml", "--encoder", "x264", "--preset", "fast", "--preset", "medium",
                        "--json", "--stream-bit-rate", "2 Mbit/s", "--footage", "a", "--footage", "b"});
  ASSERT_TRUE(parsed.request);
  EXPECT_EQ(parsed.request->show, "s.toml");
  EXPECT_TRUE(parsed.request->json);
  EXPECT_THAT(parsed.request->presets, testing::ElementsAre("fast", "medium"));
  EXPECT_THAT(parsed.request->overrides.at("footage"), testing::ElementsAre("a", "b"));
  EXPECT_THAT(parsed.request->overrides.at("stream-bit-rate"), testing::ElementsAre("2 Mbit/s"));
}

TEST(CommandLine, RefusesWithTheNearest) {
  const std::pair<std::vector<std::string>, const char*> cases[] = {
      {{"plann"}, "did you mean \"plan\"?"},
      {{"plan", "--sho", "x"}, "did you mean \"--show\"?"},
      {{"survey", "--o", "x"}, "--out"},
      {{"plan"}, "--show FILE"},
      {{"survey", "extra"}, "options only"},
      {{"plan", "--show", "x", "--footage-seconds", "many"}, "footage-seconds"},
      {{"plan", "--show", "x", "--proof-seconds", "0"}, "2 to 3600"},
      {{"plan", "--show", "x", "--title", "a", "--title", "b"}, "more than once"},
      {{"survey", "--out", ""}, "--out"}};
  for (const auto& [arguments, words] : cases)
    EXPECT_THAT(Complaint(Fault::kInput, [&] { ParseCommandLine(arguments); }), testing::HasSubstr(words))
        << arguments[0];
}

using FrontTest = test::ProgramTest;

TEST_F(FrontTest, ExitCodesAndStreams) {
  EXPECT_EQ(Run("--help").code, 0);
  EXPECT_EQ(Run("--version").out, std::string("fast-kettle ") + app::kVersion + "\n");
  const auto wrong = Run("surve");
  EXPECT_EQ(wrong.code, 2);
  EXPECT_EQ(wrong.out, "");
  EXPECT_EQ(wrong.err, "fast-kettle: there is no command \"surve\"; did you mean \"survey\"?\n");
}

}  // namespace
}  // namespace kettle
