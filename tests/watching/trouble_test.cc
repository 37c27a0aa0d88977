// SPDX-License-Identifier: Apache-2.0
#include "kettle/watching/trouble.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <functional>
#include <nlohmann/json.hpp>

#include "report/sentence.h"

namespace kettle {
namespace {

using testing::HasSubstr;
using testing::IsEmpty;

WatchFacts Facts() {
  WatchFacts facts;
  facts.program = "streamer";
  facts.game = "regatta";
  facts.cpu_cores = 2;
  return facts;
}

// A broadcast in which nothing is short.
std::vector<WatchSecond> Calm(int count = 30) {
  std::vector<WatchSecond> seconds;
  for (int i = 0; i < count; ++i) {
    WatchSecond second;
    second.start_seconds = i;
    second.cpu_cores = 1;
    second.wait_share = 0.05;
    second.busiest_thread = "encoder";
    second.busiest_thread_cores = 0.5;
    second.idle_cores = 0.8;
    second.sent_kbps = 4500;
    second.recorded_kbps = 16'000;
    seconds.push_back(second);
  }
  return seconds;
}

// Each of `from` to `to` changed so.
std::vector<WatchSecond> With(int from, int to, const std::function<void(WatchSecond&)>& change) {
  std::vector<WatchSecond> seconds = Calm();
  for (int i = from; i < to; ++i) change(seconds[static_cast<std::size_t>(i)]);
  return seconds;
}

void Full(WatchSecond& second) {
  second.idle_cores = 0.02;
  second.wait_share = 0.5;
}

std::vector<Cause> CausesOf(const std::vector<WatchSecond>& seconds, const WatchFacts& facts = Facts()) {
  std::vector<Cause> causes;
  for (const Trouble& trouble : FindTroubles(seconds, facts).troubles) causes.push_back(trouble.cause);
  return causes;
}

TEST(FindTroubles, NothingInACalmBroadcast) {
  const WatchVerdict verdict = FindTroubles(Calm(), Facts());
  EXPECT_THAT(verdict.troubles, IsEmpty());
  EXPECT_THAT(verdict.cures, IsEmpty());
  EXPECT_THAT(verdict.notes, IsEmpty());
}

TEST(FindTroubles, AnotherProgramIsNamedWithItsTime) {
  const WatchVerdict verdict = FindTroubles(With(10, 16,
                                                 [](WatchSecond& s) {
                                                   Full(s);
                                                   s.other_program = "updater";
                                                   s.other_program_cores = 1.1;
                                                 }),
                                            Facts());
  ASSERT_EQ(verdict.troubles.size(), 1u);
  EXPECT_EQ(verdict.troubles[0].cause, Cause::kOtherProgram);
  EXPECT_EQ(verdict.troubles[0].program, "updater");
  EXPECT_EQ(verdict.troubles[0].from_seconds, 10);
  EXPECT_EQ(verdict.troubles[0].to_seconds, 16);
  EXPECT_THAT(Sentence(verdict.troubles[0].why), HasSubstr("updater 1.1"));
  EXPECT_THAT(Sentence(verdict.cures.at(0).action), HasSubstr("close updater"));
}

TEST(FindTroubles, WhoTakesTheProcessors) {
  EXPECT_THAT(CausesOf(With(10, 16,
                            [](WatchSecond& s) {
                              Full(s);
                              s.game_cores = 1.2;
                              s.other_program_cores = 0.1;
                            })),
              testing::ElementsAre(Cause::kGame));
  EXPECT_THAT(CausesOf(With(10, 16,
                            [](WatchSecond& s) {
                              Full(s);
                              s.stolen_cores = 1;
                            })),
              testing::ElementsAre(Cause::kStolen));
  EXPECT_THAT(CausesOf(With(10, 16,
                            [](WatchSecond& s) {
                              Full(s);
                              s.cpu_cores = 1.9;
                            })),
              testing::ElementsAre(Cause::kStreamEncoder));
}

TEST(FindTroubles, FullProcessorsStarveNobodyWhoDoesNotWait) {
  EXPECT_THAT(CausesOf(With(5, 25,
                            [](WatchSecond& s) {
                              s.idle_cores = 0;
                              s.wait_share = 0.1;
                              s.cpu_cores = 1.9;
                            })),
              IsEmpty());
}

TEST(FindTroubles, AMomentIsNoTrouble) {
  EXPECT_THAT(CausesOf(With(10, 12, Full)), IsEmpty());
  EXPECT_THAT(CausesOf(With(10, 11, [](WatchSecond& s) { s.unsent_kbit = 9000; })), IsEmpty());
}

TEST(FindTroubles, ALineThatDoesNotCarryIt) {
  const WatchVerdict verdict = FindTroubles(With(10, 14,
                                                 [](WatchSecond& s) {
                                                   s.unsent_kbit = 9000;
                                                   s.sent_kbps = 1500;
                                                   s.repeated = 12;
                                                 }),
                                            Facts());
  ASSERT_EQ(verdict.troubles.size(), 1u);
  EXPECT_EQ(verdict.troubles[0].cause, Cause::kUplink);
  EXPECT_THAT(Sentence(verdict.troubles[0].why), HasSubstr("2.0 s of the stream waited"));
}

TEST(FindTroubles, AFullLineExplainsWhatItHoldsUp) {
  // The recording stops as well while the program waits for its connection.
  EXPECT_THAT(CausesOf(With(10, 16,
                            [](WatchSecond& s) {
                              s.unsent_kbit = 9000;
                              s.sent_kbps = 100;
                              s.recorded_kbps = 0;
                            })),
              testing::ElementsAre(Cause::kUplink));
}

TEST(FindTroubles, ARecordingThatStops) {
  EXPECT_THAT(CausesOf(With(10, 14, [](WatchSecond& s) { s.recorded_kbps = 0; })), testing::ElementsAre(Cause::kDisk));
  EXPECT_THAT(CausesOf(With(10, 13, [](WatchSecond& s) { s.recorded_kbps = 0; })), IsEmpty());
  std::vector<WatchSecond> none = Calm();
  for (WatchSecond& second : none) second.recorded_kbps = 0;
  EXPECT_THAT(CausesOf(none), IsEmpty()) << "nothing is recorded at all";
}

TEST(FindTroubles, ARecordingThatIsWrittenInBurstsHasNotStopped) {
  std::vector<WatchSecond> bursts = Calm(40);
  for (std::size_t i = 0; i < bursts.size(); ++i) bursts[i].recorded_kbps = i % 5 == 0 ? 80'000 : 0;
  EXPECT_THAT(CausesOf(bursts), IsEmpty());
  for (std::size_t i = 15; i < 30; ++i) bursts[i].recorded_kbps = 0;
  EXPECT_THAT(CausesOf(bursts), testing::ElementsAre(Cause::kDisk));
}

TEST(FindTroubles, AThreadAtItsLimit) {
  EXPECT_THAT(CausesOf(With(10, 17, [](WatchSecond& s) { s.busiest_thread_cores = 0.99; })),
              testing::ElementsAre(Cause::kStreamEncoder));
  EXPECT_THAT(CausesOf(With(10, 14, [](WatchSecond& s) { s.busiest_thread_cores = 0.99; })), IsEmpty());
}

TEST(FindTroubles, ThePlanStandsBesideWhatIsSeen) {
  WatchFacts facts = Facts();
  facts.planned_cores = 0.5;
  facts.planned_kbps = 6000;
  const WatchVerdict verdict = FindTroubles(Calm(), facts);
  ASSERT_EQ(verdict.notes.size(), 2u);
  EXPECT_EQ(Sentence(verdict.notes[0]), "planned: 0.5 cores; it takes 1.0");
  EXPECT_EQ(Sentence(verdict.notes[1]), "planned: 6000 kbit/s; it sends 4500");
}

TEST(NearestLimit, IsTheFullestOfAll) {
  WatchSecond second = Calm().front();
  EXPECT_EQ(NearestLimit(second, Facts(), 4500).what.key, "watch.near-processors");
  second.unsent_kbit = 4000;
  EXPECT_EQ(NearestLimit(second, Facts(), 4500).what.key, "watch.near-line");
  second.gpu_encoder = 0.97;
  EXPECT_EQ(NearestLimit(second, Facts(), 4500).what.key, "watch.near-engine");
}

}  // namespace
}  // namespace kettle
