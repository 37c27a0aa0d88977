// SPDX-License-Identifier: Apache-2.0
// Whatever is wrong: one clear line, exit code 2 or 3, nothing half written.
#include "kettle/encoders/catalogue.h"
#include "kettle/media/writer.h"
#include "program.h"

namespace kettle {
namespace {

class BadInputTest : public test::ProgramTest {
 protected:
  void ExpectRefused(const std::string& arguments, int code, const std::string& words) {
    const test::Ran ran = Run(arguments);
    EXPECT_EQ(ran.code, code) << arguments << "\n" << ran.err;
    const std::string complaint = ran.complaint();
    EXPECT_THAT(complaint, testing::HasSubstr(words)) << arguments;
    EXPECT_EQ(std::count(complaint.begin(), complaint.end(), '\n'), 1) << ran.err;
    EXPECT_FALSE(std::filesystem::exists(path("out/plan.json"))) << arguments;
  }
  void ExpectClipRefused(const std::string& clip, const std::string& words) {
    Put("clip.toml", "[picture]\nfootage = [\"" + clip + "\"]\n[stream]\nbit_rate = \"1 Mbit/s\"\n");
    ExpectRefused("plan --show clip.toml --out out", 2, words);
  }
};

TEST_F(BadInputTest, Shows) {
  ExpectRefused("plan --show none.toml --out out", 2, "none.toml: no such file");
  ExpectRefused("plan --show . --out out", 2, "a folder, not a file");
  SmallShow();
  ExpectRefused("plan --show show.toml --stream-bit-rate 4500 --out out", 2, "no unit");
  ExpectRefused("plan --show show.toml --source-size 321x180 --out out", 2, "both sides must be even");
  ExpectRefused("plan --show show.toml --frame-rate 0 --out out", 2, "makes no sense");
  ExpectRefused("plan --show show.toml --source-size 99999x99999 --out out", 2, "each side must be");
  ExpectRefused("bench --show show.toml --destination quayside --stream-bit-rate '9 Mbit/s' --out out", 2,
                "more than Quayside takes");
  ExpectRefused("bench --show show.toml --encoder x263 --out out", 2, "did you mean \"x264\"?");
  ExpectRefused("bench --show show.toml --encoder discard --out out", 2, "name a real one");
  ExpectRefused("bench --show show.toml --preset fats --encoder x264 --out out", 2, "did you mean \"fast\"?");
}

TEST_F(BadInputTest, Clips) {
  Put("empty.mkv", "");
  Put("noise.mkv", std::string(9000, 'q'));
  ExpectClipRefused("empty.mkv", "the file is empty");
  ExpectClipRefused("noise.mkv", "not a clip");
  ExpectClipRefused("none.mkv", "no such file");
}

TEST_F(BadInputTest, OutputFolders) {
  Put("file", "x");
  ExpectRefused("survey --out file", 3, "file");
  ExpectRefused("survey --out /proc/none", 3, "/proc/none");
}

TEST_F(BadInputTest, StandInProfiles) {
  ExpectRefused("survey --stand-in-gpu modets --out out", 2, "did you mean \"modest\"?");
  Put("bad.toml", "name = \"X\"\nspeed = 9\n");
  ExpectRefused("survey --stand-in-gpu bad.toml --out out", 2, "unknown key \"speed\"");
}

}  // namespace
}  // namespace kettle
