// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/output_folder.h"

#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <nlohmann/json.hpp>

#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using OutputFolderTest = test::FolderTest;

TEST_F(OutputFolderTest, RefusesASecondRun) {
  const OutputFolder first(path("out"));
  EXPECT_THAT(Complaint(Fault::kInput, [&] { OutputFolder second(path("out")); }), testing::HasSubstr("another run"));
}

TEST_F(OutputFolderTest, IsFreeAgainAfterwards) {
  { const OutputFolder first(path("out")); }
  const OutputFolder second(path("out"));
  EXPECT_TRUE(std::filesystem::exists(path("out")));
}

TEST_F(OutputFolderTest, ClearsWhatAKilledRunLeft) {
  std::filesystem::create_directories(path("out"));
  std::filesystem::path scratch;
  if (fork() == 0) {  // killed with its temporary folder in use
    const TemporaryFolder left(path("out"));
    std::ofstream(left.path() / "trial.mkv") << "x";
    raise(SIGKILL);
  }
  wait(nullptr);
  for (const auto& entry : std::filesystem::directory_iterator(path("out"))) scratch = entry.path();
  ASSERT_TRUE(std::filesystem::exists(scratch / "trial.mkv"));
  Put("out/.kettle-plan.json.99.part", "x");
  Put("out/.kettle-clip.mkv.99.part.mkv", "x");
  Put("out/plan.json", "kept");
  const OutputFolder folder(path("out"));
  EXPECT_FALSE(std::filesystem::exists(scratch));
  EXPECT_FALSE(std::filesystem::exists(path("out/.kettle-clip.mkv.99.part.mkv")));
  EXPECT_FALSE(std::filesystem::exists(path("out/.kettle-plan.json.99.part")));
  EXPECT_EQ(Get(path("out/plan.json")), "kept");
}

// A run once removed the user's own unfinished downloads from its output folder.
TEST_F(OutputFolderTest, LeavesTheUsersFilesAlone) {
  const std::vector<std::string> users{"holiday.mkv.part", "plan.json.99.part", ".part", ".kettle-notes.txt"};
  for (const std::string& name : users) Put("out/" + name, "mine");
  Put("out/.kettle-my-folder/notes.part", "mine");
  Put("out/.kettle-abcdef/notes.txt", "mine");       // any folder of six letters was taken for ours once
  Put("out/.kettle-1234-abcdef/notes.txt", "mine");  // not marked
  const OutputFolder folder(path("out"));
  for (const std::string& name : users) EXPECT_EQ(Get(path("out/" + name)), "mine") << name;
  EXPECT_EQ(Get(path("out/.kettle-my-folder/notes.part")), "mine");
  EXPECT_EQ(Get(path("out/.kettle-abcdef/notes.txt")), "mine");
  EXPECT_EQ(Get(path("out/.kettle-1234-abcdef/notes.txt")), "mine");
}

TEST_F(OutputFolderTest, InASharedFolderOnlyWhatEndedRunsLeftIsCleared) {
  const pid_t ended = fork();
  if (ended == 0) _exit(0);
  waitpid(ended, nullptr, 0);
  const std::string dead = fmt::format(".kettle-a.y4m.{}.part", ended);
  const std::string alive = fmt::format(".kettle-a.y4m.{}.part", getpid());
  Put(dead, "x");
  Put(alive, "x");
  const TemporaryFolder in_use(path(""));
  RemoveLeftovers(path(""), Leftovers::kOfEndedRuns);
  EXPECT_FALSE(std::filesystem::exists(path(dead)));
  EXPECT_TRUE(std::filesystem::exists(path(alive)));
  EXPECT_TRUE(std::filesystem::exists(in_use.path()));
}

TEST_F(OutputFolderTest, ANameThatIsNotUtf8IsRefused) {
  EXPECT_THAT(Complaint(Fault::kInput, [&] { OutputFolder folder(path("o\xFFut")); }), testing::HasSubstr("UTF-8"));
}

TEST_F(OutputFolderTest, WhatIsNotUtf8InAResultIsReplaced) {
  WriteResult(path(""), "load", {{"name", "ga\xFFme"}}, MakeProvenance("0.1", "abc"));
  EXPECT_EQ(ReadResult(path(""), "load").value()["name"], nlohmann::json("ga\xEF\xBF\xBDme"));
}

TEST_F(OutputFolderTest, ResultsStartWithTheirSchema) {
  WriteResult(path(""), "survey", {{"simulated", false}}, MakeProvenance("0.1", "abc"));
  EXPECT_THAT(Get(path("survey.json")), testing::StartsWith("{\n  \"schema\": \"fast-kettle/survey/1\""));
  const auto read = ReadResult(path(""), "survey");
  ASSERT_TRUE(read);
  EXPECT_EQ((*read)["machine_digest"], "abc");
}

TEST_F(OutputFolderTest, ReadsNothingOfAnotherMake) {
  Put("bench.json", "{\"schema\": \"fast-kettle/bench/9\"}");
  EXPECT_FALSE(ReadResult(path(""), "bench"));
  Put("bench.json", "{\"schema\": ");
  EXPECT_FALSE(ReadResult(path(""), "bench"));
  EXPECT_FALSE(ReadResult(path(""), "plan"));
}

}  // namespace
}  // namespace kettle
