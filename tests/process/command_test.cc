// SPDX-License-Identifier: Apache-2.0
#include "kettle/process/command.h"

#include <signal.h>

#include <thread>

#include "support.h"

namespace kettle {
namespace {

using Status = CommandOutcome::Status;
using CommandTest = test::FolderTest;

TEST_F(CommandTest, ArgumentsReachItAsTheyAre) {
  const CommandOutcome outcome = RunCommand({"printf", "%s|", "two words", "; touch no-file", "$HOME", ""}, 10);
  EXPECT_TRUE(outcome.ok());
  EXPECT_EQ(outcome.output, "two words|; touch no-file|$HOME||");
}

TEST_F(CommandTest, ExitCodeAndWordsAreTold) {
  const CommandOutcome outcome = RunCommand({"sh", "-c", "echo oh no >&2; exit 7"}, 10);
  EXPECT_EQ(outcome.status, Status::kEnded);
  EXPECT_EQ(outcome.code, 7);
  EXPECT_EQ(outcome.output, "oh no ");
  EXPECT_EQ(RunCommand({"sh", "-c", "kill -TERM $$"}, 10).status, Status::kSignalled);
}

TEST_F(CommandTest, OneThatIsNotThereIsNotFound) {
  EXPECT_EQ(RunCommand({"kettle-no-such-program"}, 10).status, Status::kNotFound);
}

TEST_F(CommandTest, OneThatHangsIsKilledWithWhatItStarted) {
  const std::string id_file = path("child id").string();
  const CommandOutcome outcome = RunCommand({"sh", "-c", "sleep 600 & echo $! >\"$0\"; sleep 600", id_file}, 0.5);
  EXPECT_EQ(outcome.status, Status::kTimedOut);
  const int child = std::stoi(Get(id_file));
  // Killed with the group; whoever inherits it takes a moment to reap it.
  for (int i = 0; i < 500 && kill(child, 0) == 0; ++i) std::this_thread::sleep_for(std::chrono::milliseconds(10));
  std::ifstream stat("/proc/" + std::to_string(child) + "/stat");
  std::string id, name, state;
  EXPECT_TRUE(!(stat >> id >> name >> state) || state == "Z") << "it still runs";
}

TEST_F(CommandTest, OneThatSaysMuchIsReadToItsEnd) {
  const CommandOutcome outcome = RunCommand({"sh", "-c", "yes | head -c 1000000"}, 30);
  EXPECT_TRUE(outcome.ok());
  EXPECT_EQ(outcome.output.size(), 4096u);
}

}  // namespace
}  // namespace kettle
