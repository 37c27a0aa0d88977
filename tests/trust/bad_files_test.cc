// SPDX-License-Identifier: Apache-2.0
// A folder, a pipe, a device, an empty file and one of 4 GiB in place of each file that an option takes: one line, exit
// code 2, and nothing waits.
#include <sys/stat.h>
#include <unistd.h>

#include <chrono>

#include "rehearsing.h"

namespace kettle {
namespace {

class BadFilesTest : public test::RehearsingTest, public testing::WithParamInterface<const char*> {
 protected:
  void SetUp() override {
    RehearsingTest::SetUp();
    std::filesystem::create_directory(path("folder"));
    ASSERT_EQ(mkfifo(path("pipe").c_str(), 0600), 0);
    Put("empty", "");
    Put("huge", "");
    ASSERT_EQ(truncate(path("huge").c_str(), 4LL << 30), 0);
    std::filesystem::create_symlink("/dev/zero", path("device"));
    // Where the name must end so.
    std::filesystem::create_symlink(GetParam(), path("bad.toml"));
    std::filesystem::create_symlink(GetParam(), path("bad"));
  }
};

TEST_P(BadFilesTest, AreRefusedAtOnceInOneLine) {
  for (const std::string arguments :
       {"plan --show bad.toml", "plan --footage bad", "plan --footage start-line --load bad", "uplink --trace bad",
        "uplink --reading 9Mbit/s --destination ./bad.toml", "uplink --to rtmp://127.0.0.1:1/live --key-file bad",
        "rehearse bad", "rehearse plan.json --link bad.toml", "rehearse plan.json --load bad",
        "rehearse plan.json --game-frames bad", "load replay bad", "footage inspect bad", "watch --plan bad",
        "redraw bad", "report bad", "diagnose bad", "survey --stand-in-gpu ./bad.toml"}) {
    const auto start = std::chrono::steady_clock::now();
    const auto ran = Run(arguments + " --quiet");
    EXPECT_EQ(ran.code, 2) << arguments << ": " << ran.err;
    EXPECT_EQ(std::count(ran.err.begin(), ran.err.end(), '\n'), 1) << arguments << ": " << ran.err;
    for (const char* words : {"json.exception", "basic_", "std::", "filesystem error"})
      EXPECT_THAT(ran.err, testing::Not(testing::HasSubstr(words))) << arguments;
    // It waits for nothing: a pipe would be waited for without an end, and 4 GiB be read for minutes.
    EXPECT_LT(std::chrono::steady_clock::now() - start, std::chrono::seconds(60)) << arguments;
  }
}

INSTANTIATE_TEST_SUITE_P(Kinds, BadFilesTest, testing::Values("folder", "pipe", "empty", "huge", "device"),
                         [](const auto& instance) { return std::string(instance.param); });

}  // namespace
}  // namespace kettle
