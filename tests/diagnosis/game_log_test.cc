// SPDX-License-Identifier: Apache-2.0
#include "kettle/diagnosis/game_log.h"

#include <chrono>

#include "support.h"

namespace kettle {
namespace {

class GameLogTest : public test::FolderTest {
 protected:
  // Frames at `fps` from `from` to `to` seconds, added to the log.
  void Play(double from, double to, double fps) {
    std::ofstream file(path("log.csv"), std::ios::app);
    if (from == 0) file << "seconds,milliseconds\n";
    for (int i = 0; from + i / fps < to; ++i) file << from + i / fps << ',' << 1000 / fps << '\n';
    file.close();
    Written(0);
  }
  // As if the game had written to it so many seconds ago; longer than may be: the file system's clock is another.
  void Written(double seconds_ago) {
    std::filesystem::last_write_time(path("log.csv"),
                                     std::filesystem::file_time_type::clock::now() -
                                         std::chrono::milliseconds(static_cast<int>(seconds_ago * 1000)));
  }
  std::string Refused(const GameLog& log) {
    return test::Complaint(Fault::kInput, [&] { log.Frames(); });
  }
};

TEST_F(GameLogTest, ComparesTheTimeBeforeWithTheTimeBeside) {
  Play(0, 10, 60);
  GameLog log(path("log.csv"));
  log.Begin();
  Play(10, 30, 45);
  log.End();
  const GameFrames game = log.Frames();
  EXPECT_NEAR(game.alone_fps, 60, 0.1);
  EXPECT_NEAR(game.beside_fps, 45, 0.1);
}

// File times were compared with the system's clock over the whole rehearsal: a step of it moved the frames.
TEST_F(GameLogTest, AClockThatIsNotOursMovesNothing) {
  Play(0, 10, 60);
  Written(-3600);
  GameLog log(path("log.csv"));
  log.Begin();
  Play(10, 30, 45);
  Written(7200);
  log.End();
  EXPECT_NEAR(log.Frames().beside_fps, 45, 0.1);
}

TEST_F(GameLogTest, ALogThatIsStartedAnewSaysNothing) {
  Play(0, 10, 60);
  GameLog log(path("log.csv"));
  log.Begin();
  std::filesystem::remove(path("log.csv"));
  Play(0, 30, 45);
  log.End();
  EXPECT_THAT(Refused(log), testing::HasSubstr("started it anew")) << "though it is longer by now";
}

TEST_F(GameLogTest, ALogThatIsEmptiedOrGoneIsNoCrash) {
  Play(0, 10, 60);
  GameLog log(path("log.csv"));
  log.Begin();
  Put("log.csv", "seconds,milliseconds\n");
  log.End();
  EXPECT_THAT(Refused(log), testing::HasSubstr("started it anew"));
  std::filesystem::remove(path("log.csv"));
  log.End();
  EXPECT_THAT(Refused(log), testing::HasSubstr("no such file"));
}

TEST_F(GameLogTest, ALogThatIsNotWrittenToAnyMoreSaysNothing) {
  Play(0, 10, 60);
  GameLog log(path("log.csv"));
  log.Begin();
  log.End();
  EXPECT_THAT(Refused(log), testing::HasSubstr("still written to"));
}

}  // namespace
}  // namespace kettle
