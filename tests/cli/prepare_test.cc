// SPDX-License-Identifier: Apache-2.0
// prepare and footage capture: what somebody starts with.
#include "program.h"

namespace kettle {
namespace {

using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

class PrepareTest : public test::ProgramTest {
 protected:
  // With a terminal, in which somebody types these lines.
  test::Ran Type(const std::string& lines, const std::string& arguments) {
    Put("typed.txt", lines);
    const std::string command = "cd '" + path("").string() + "' && script -qec \"" KETTLE_PROGRAM " " + arguments +
                                "\" /dev/null <typed.txt >stdout.txt 2>stderr.txt";
    const int status = std::system(command.c_str());
    return {WEXITSTATUS(status), Get(path("stdout.txt")), Get(path("stderr.txt"))};
  }
};

TEST_F(PrepareTest, WithoutATerminalNothingIsAsked) {
  const auto ran = Run("prepare --reading \"9.9 Mbit/s\" --recording-folder none --out mine.toml");
  ASSERT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("mine.toml is written"), HasSubstr("fast-kettle plan --show mine.toml")));
  const std::string show = Get(path("mine.toml"));
  EXPECT_THAT(show,
              AllOf(HasSubstr("readings = [\"9.9 Mbit/s\"]"), HasSubstr("size = \"none\""), HasSubstr("start-line")));
  EXPECT_EQ(Run("bench --show mine.toml --dry-run --out out").code, 0) << "the program reads it as it is";
  const auto again = Run("prepare --out mine.toml");
  EXPECT_EQ(again.code, 2);
  EXPECT_THAT(again.complaint(), HasSubstr("is there already"));
  EXPECT_EQ(Get(path("mine.toml")), show);
  EXPECT_EQ(Run("prepare --out mine.toml --overwrite").code, 0);
  EXPECT_NE(Get(path("mine.toml")), show);
}

TEST_F(PrepareTest, WrongValuesAreRefusedBeforeAnythingIsWritten) {
  EXPECT_THAT(Run("prepare --reading \"9.9 MB\"").complaint(), HasSubstr("9.9 MB"));
  EXPECT_THAT(Run("prepare --footage nowhere.mkv").complaint(), HasSubstr("nowhere.mkv"));
  EXPECT_THAT(Run("prepare --favour game").complaint(), HasSubstr("stream, recording or balance"));
  EXPECT_THAT(Run("prepare --destination quaysied").complaint(), HasSubstr("quayside"));
  EXPECT_FALSE(std::filesystem::exists(path("my-show.toml")));
}

TEST_F(PrepareTest, EnterTakesWhatStandsInBrackets) {
  const auto ran = Type("\n\n\n\n\n\n", "prepare --out mine.toml");
  ASSERT_EQ(ran.code, 0) << ran.out;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("[start-line, open-water]"), HasSubstr("6."), Not(HasSubstr("7."))));
  EXPECT_THAT(Get(path("mine.toml")), HasSubstr("favour = \"stream\""));
}

TEST_F(PrepareTest, AWrongAnswerIsAskedAgain) {
  const auto ran =
      Type("nowhere.mkv\nharbour\n12 MB/s oops\n9 Mbit/s\n5000 kbit/s\n\nnone\nbalance\n", "prepare --out mine.toml");
  ASSERT_EQ(ran.code, 0) << ran.out;
  const std::string show = Get(path("mine.toml"));
  EXPECT_THAT(show, AllOf(HasSubstr("[\"harbour\"]"), HasSubstr("readings = [\"9 Mbit/s\"]"),
                          HasSubstr("bit_rate = \"5000 kbit/s\""), HasSubstr("favour = \"balance\"")));
}

TEST_F(PrepareTest, NoScreenToCaptureIsSaid) {
  EXPECT_THAT(Run("footage capture --display :4711 --seconds 1").complaint(), HasSubstr(":4711 cannot be captured"));
  EXPECT_THAT(Run("footage capture clip.mkv").complaint(), HasSubstr("it takes no name"));
  EXPECT_THAT(Run("footage capture --display :0 --out clip.mp4").complaint(), HasSubstr("name it .mkv"));
  EXPECT_FALSE(std::filesystem::exists(path("clip.mkv")));
}

}  // namespace
}  // namespace kettle
