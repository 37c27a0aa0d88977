// SPDX-License-Identifier: Apache-2.0
#include "kettle/history/history.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <signal.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <random>
#include <set>
#include <thread>

#include "support.h"

namespace kettle {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

KeptRun MadeUp(const std::string& kind, const std::string& title = "Saltmarsh Regatta") {
  KeptRun run;
  run.utc = "2026-11-29T07:16:00Z";
  run.kind = kind;
  run.title = title;
  run.verdict = Message{"history.bench", {{"count", 7}}};
  run.version = "1.0";
  run.machine_digest = "0123";
  run.folder = "/home/skipper/kettle-out";
  run.circumstances = {{"kernel", {"6.1.0-28"}}, {"library", {"libx264.so.164 build 4d5b8f1c"}}};
  return run;
}

class HistoryTest : public test::FolderTest {
 protected:
  std::filesystem::path File() const { return path("data") / "fast-kettle" / "history.sqlite"; }
};

TEST_F(HistoryTest, GivesBackWhatItKept) {
  const std::string plan(100'000, 'p');
  {
    History history(File());
    EXPECT_TRUE(history.Runs().empty());
    EXPECT_EQ(history.Keep(MadeUp("plan"), {{"plan.json", plan}, {"card.txt", "the card"}}), 1);
    EXPECT_EQ(history.Keep(MadeUp("bench"), {}), 2);
  }
  const History again(File());
  const std::vector<KeptRun> runs = again.Runs();
  ASSERT_EQ(runs.size(), 2u);
  EXPECT_EQ(runs[0].kind, "plan");
  EXPECT_EQ(runs[0].verdict, MadeUp("plan").verdict);
  EXPECT_EQ(runs[0].circumstances, MadeUp("plan").circumstances);
  EXPECT_EQ(runs[0].bytes, 100'008);
  EXPECT_EQ(again.File(1, "plan.json"), plan);
  EXPECT_EQ(again.File(1, "card.txt"), "the card");
  EXPECT_EQ(again.File(2, "card.txt"), std::nullopt);
  EXPECT_TRUE(again.Has({"plan.json", plan}));
  EXPECT_FALSE(again.Has({"plan.json", "another"}));
}

TEST_F(HistoryTest, IsForNobodyButTheUser) {
  const History history(File());
  struct stat file;
  ASSERT_EQ(stat(File().c_str(), &file), 0);
  EXPECT_EQ(file.st_mode & 0777, 0600u);
}

TEST_F(HistoryTest, FindsRunsByWhatPeopleCallThem) {
  History history(File());
  history.Keep(MadeUp("plan"), {});
  history.Keep(MadeUp("bench"), {});
  history.Keep(MadeUp("plan"), {});
  history.Name(1, "before-update");
  EXPECT_EQ(history.Find("before-update").number, 1);
  EXPECT_EQ(history.Find("2").number, 2);
  EXPECT_EQ(history.Find("last").number, 3);
  EXPECT_EQ(history.Find("before-last").number, 2);
  EXPECT_EQ(history.Find("before-last", "plan").number, 1);
  const auto complaint = [&](const std::string& which, const std::string& kind = "") {
    return test::Complaint(Fault::kInput, [&] { history.Find(which, kind); });
  };
  EXPECT_THAT(complaint("12"), HasSubstr("1 to 3"));
  EXPECT_THAT(complaint("befor-update"), HasSubstr("before-update"));
  EXPECT_THAT(complaint("before-last", "bench"), HasSubstr("one bench only"));
  EXPECT_THAT(complaint("last", "watch"), HasSubstr("no watch yet"));
}

TEST_F(HistoryTest, ANameMeansOneRun) {
  History history(File());
  history.Keep(MadeUp("plan"), {});
  history.Keep(MadeUp("plan"), {});
  history.Name(1, "good");
  const auto complaint = [&](std::int64_t number, const std::string& name) {
    return test::Complaint(Fault::kInput, [&] { history.Name(number, name); });
  };
  EXPECT_THAT(complaint(2, "good"), HasSubstr("run 1 has the name"));
  EXPECT_THAT(complaint(2, "7"), HasSubstr("cannot be a name"));
  EXPECT_THAT(complaint(2, "last"), HasSubstr("cannot be a name"));
  EXPECT_THAT(complaint(9, "better"), HasSubstr("no run 9"));
  history.Name(1, "good");  // its own
  history.Name(1, "");
  history.Name(2, "good");
  EXPECT_EQ(history.Find("good").number, 2);
}

TEST_F(HistoryTest, ForgetsAndNeverGivesANumberTwice) {
  History history(File());
  history.Keep(MadeUp("plan"), {{"plan.json", "x"}});
  history.Forget(1);
  EXPECT_EQ(history.File(1, "plan.json"), std::nullopt);
  EXPECT_EQ(history.Keep(MadeUp("plan"), {}), 2);
  EXPECT_EQ(history.ForgetAll(), 1);
  EXPECT_TRUE(history.Runs().empty());
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { history.Forget(1); }), HasSubstr("no run 1"));
}

std::string Noise(std::size_t bytes, unsigned seed) {
  std::mt19937 random(seed);
  std::string text(bytes, '\0');
  for (char& c : text) c = static_cast<char>(random());
  return text;
}

TEST_F(HistoryTest, OldRunsWithoutANameMakeRoom) {
  constexpr std::int64_t kMost = 1'000'000;
  History history(File(), kMost);
  history.Keep(MadeUp("plan"), {{"plan.json", Noise(200'000, 1)}});
  history.Name(1, "good");
  for (unsigned i = 0; i < 10; ++i) history.Keep(MadeUp("bench"), {{"bench.json", Noise(200'000, i)}});
  EXPECT_EQ(history.given_up(), 1);
  EXPECT_LE(history.bytes(), kMost);
  const std::vector<KeptRun> runs = history.Runs();
  EXPECT_EQ(runs.front().name, "good");
  EXPECT_EQ(runs.back().number, 11);
  // One that is larger than all may be is kept all the same: it was just measured.
  history.Keep(MadeUp("bench"), {{"bench.json", Noise(2'000'000, 99)}});
  EXPECT_EQ(history.Runs().size(), 2u);
}

// Two programs that found the same damage: the second put the first's new file aside, with the run in it.
TEST_F(HistoryTest, OfSeveralProgramsThatFindDamageOneRepairs) {
  std::filesystem::create_directories(File().parent_path());
  std::ofstream(File()) << std::string(20'000, 'x');
  constexpr int kPrograms = 8;
  for (int i = 0; i < kPrograms; ++i)
    if (fork() == 0) {
      History(File()).Keep(MadeUp("bench"), {});
      _exit(0);
    }
  for (int i = 0; i < kPrograms; ++i) wait(nullptr);
  EXPECT_EQ(History(File()).Runs().size(), static_cast<std::size_t>(kPrograms));
  EXPECT_TRUE(std::filesystem::exists(File().string() + ".damaged-1"));
  EXPECT_FALSE(std::filesystem::exists(File().string() + ".damaged-2"));
}

TEST_F(HistoryTest, ADamagedFileIsPutAside) {
  Put("data/fast-kettle/history.sqlite", "this is no history at all, but somebody's letter " + Noise(5000, 3));
  History history(File());
  EXPECT_EQ(history.put_aside(), File().string() + ".damaged-1");
  EXPECT_THAT(Get(history.put_aside()), HasSubstr("somebody's letter"));
  EXPECT_EQ(history.Keep(MadeUp("plan"), {}), 1);
  EXPECT_TRUE(History(File()).put_aside().empty());
}

TEST_F(HistoryTest, DamageInTheMiddleIsSeen) {
  {
    History history(File());
    for (unsigned i = 0; i < 20; ++i) history.Keep(MadeUp("bench"), {{"bench.json", Noise(20'000, i)}});
  }
  std::fstream file(File(), std::ios::in | std::ios::out | std::ios::binary);
  file.seekp(4096);
  file << Noise(30'000, 7);
  file.close();
  EXPECT_FALSE(History(File()).put_aside().empty());
}

TEST_F(HistoryTest, OneOfANewerVersionStaysAsItIs) {
  { History history(File()); }
  {
    SQLite::Database database(File().string(), SQLite::OPEN_READWRITE);
    database.exec("PRAGMA user_version = 99");
  }
  const std::string before = Get(File());
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { History history(File()); }), HasSubstr("newer version"));
  EXPECT_TRUE(Get(File()) == before);
}

TEST_F(HistoryTest, SeveralProgramsKeepAtOnce) {
  constexpr int kPrograms = 4, kRuns = 10;
  std::vector<pid_t> programs;
  for (int i = 0; i < kPrograms; ++i) {
    const pid_t pid = fork();
    if (pid == 0) {
      try {
        History history(File());
        for (int n = 0; n < kRuns; ++n) history.Keep(MadeUp("bench"), {{"bench.json", Noise(3000, 1)}});
        _exit(0);
      } catch (...) {
        _exit(1);
      }
    }
    programs.push_back(pid);
  }
  for (const pid_t pid : programs) {
    int status = 0;
    waitpid(pid, &status, 0);
    EXPECT_EQ(status, 0);
  }
  EXPECT_EQ(History(File()).Runs().size(), kPrograms * kRuns);
}

// The writer says each number through a pipe once Keep has returned it.
TEST_F(HistoryTest, NothingThatWasKeptIsLostWhenItsWriterIsKilled) {
  constexpr int kKills = 25;
  std::mt19937 random(11);
  std::set<std::int64_t> said;
  for (int i = 0; i < kKills; ++i) {
    int ends[2];
    ASSERT_EQ(pipe(ends), 0);
    const pid_t pid = fork();
    if (pid == 0) {
      History history(File());
      for (;;) {
        const std::int64_t number = history.Keep(MadeUp("bench"), {{"bench.json", Noise(50'000, 5)}});
        if (write(ends[1], &number, sizeof number) != sizeof number) _exit(1);
      }
    }
    close(ends[1]);
    std::int64_t number = 0;
    ASSERT_EQ(read(ends[0], &number, sizeof number), static_cast<ssize_t>(sizeof number));
    said.insert(number);
    std::this_thread::sleep_for(std::chrono::microseconds(random() % 20'000));
    kill(pid, SIGKILL);
    waitpid(pid, nullptr, 0);
    while (read(ends[0], &number, sizeof number) == static_cast<ssize_t>(sizeof number)) said.insert(number);
    close(ends[0]);
    const History history(File());
    ASSERT_TRUE(history.put_aside().empty()) << "damaged by kill " << i;
    std::set<std::int64_t> kept;
    for (const KeptRun& run : history.Runs()) {
      kept.insert(run.number);
      EXPECT_EQ(run.bytes, 50'000) << "half of run " << run.number;
    }
    EXPECT_TRUE(std::includes(kept.begin(), kept.end(), said.begin(), said.end()));
  }
}

}  // namespace
}  // namespace kettle
