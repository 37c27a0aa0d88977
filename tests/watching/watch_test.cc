// SPDX-License-Identifier: Apache-2.0
#include "kettle/watching/watch.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <nlohmann/json.hpp>

namespace kettle {
namespace {

// Two readings two seconds apart.
struct Readings {
  WatchReading before, after;
  Readings() {
    before.seconds = 100;
    after.seconds = 102;
  }
};

WatchFacts OnFour() {
  WatchFacts facts;
  facts.pid = 7;
  facts.game = "regatta";
  facts.cpu_cores = 4;
  return facts;
}

TEST(SecondBetween, AddsUpThreadsAndTheirWaiting) {
  Readings r;
  r.before.program.threads = {{1, {"main", 10, 1}}, {2, {"encoder", 20, 2}}};
  r.after.program.threads = {{1, {"main", 10.2, 1}}, {2, {"encoder", 21.4, 2.4}}, {3, {"new", 0.4, 0}}};
  const WatchSecond second = SecondBetween(r.before, r.after, OnFour(), 90);
  EXPECT_DOUBLE_EQ(second.start_seconds, 10);
  EXPECT_NEAR(second.cpu_cores, 1.0, 1e-9);
  EXPECT_NEAR(second.wait_share, 0.4 / 2.4, 1e-9);
  EXPECT_EQ(second.busiest_thread, "encoder");
  EXPECT_NEAR(second.busiest_thread_cores, 0.7, 1e-9);
}

// The kernel keeps 15 characters of a program's name.
TEST(SecondBetween, KnowsAGameByItsWholeName) {
  Readings r;
  r.after.machine.processes = {{8, {"saltmarsh-regat", 2}}, {9, {"updater", 1}}};
  WatchFacts facts = OnFour();
  facts.game = "saltmarsh-regatta.bin";
  const WatchSecond second = SecondBetween(r.before, r.after, facts, 100);
  EXPECT_NEAR(second.game_cores, 1, 1e-9) << "two seconds lie between the readings";
  EXPECT_NEAR(second.other_cores, 0.5, 1e-9);
}

TEST(SecondBetween, TellsTheGameFromOthers) {
  Readings r;
  r.before.machine.processes = {{7, {"streamer", 50}}, {8, {"regatta", 10}}, {9, {"updater", 5}}};
  r.after.machine.processes = {{7, {"streamer", 52}}, {8, {"regatta", 12}}, {9, {"updater", 6}}, {10, {"updater", 1}}};
  r.after.machine.cpu = {7, 0.5};
  const WatchSecond second = SecondBetween(r.before, r.after, OnFour(), 100);
  EXPECT_NEAR(second.game_cores, 1, 1e-9);
  EXPECT_NEAR(second.other_cores, 1, 1e-9) << "the program itself is none of them";
  EXPECT_EQ(second.other_program, "updater");
  EXPECT_NEAR(second.stolen_cores, 0.25, 1e-9);
  EXPECT_NEAR(second.idle_cores, 4 - 3.5 - 0.25, 1e-9);
}

TEST(SecondBetween, TheFastestConnectionIsTheStream) {
  Readings r;
  r.before.sockets = {{1, true, "203.0.113.7:1935", 1000, 0, 3, 0}, {2, true, "203.0.113.9:443", 0, 0, 0, 0}};
  r.after.sockets = {{1, true, "203.0.113.7:1935", 1'001'000, 50'000, 5, 23.5},
                     {2, true, "203.0.113.9:443", 9000, 0, 0, 80}};
  const WatchSecond second = SecondBetween(r.before, r.after, OnFour(), 100);
  EXPECT_NEAR(second.sent_kbps, 4000, 1e-9);
  EXPECT_NEAR(second.unsent_kbit, 400, 1e-9);
  EXPECT_EQ(second.repeated, 2);
  EXPECT_EQ(second.round_trip_ms, 23.5);
}

TEST(SecondBetween, OfDatagramsTheKernelTellsTheNumber) {
  Readings r;
  r.before.sockets = r.after.sockets = {{1, false, "203.0.113.7:9000", 0, 0, 0, 0}};
  r.before.udp_datagrams = 1000;
  r.after.udp_datagrams = 2000;
  EXPECT_NEAR(SecondBetween(r.before, r.after, OnFour(), 100).sent_kbps, 500 * 1316 * 8 / 1000.0, 1e-9);
}

TEST(SecondBetween, FilesThatGrowAreTheRecording) {
  Readings r;
  r.before.program.files = {{"/videos/a.mkv", 1'000'000}, {"/tmp/log", 5000}};
  r.after.program.files = {{"/videos/a.mkv", 5'000'000}, {"/tmp/log", 5000}};
  EXPECT_NEAR(SecondBetween(r.before, r.after, OnFour(), 100).recorded_kbps, 16'000, 1e-9);
}

TEST(Watch, SeesThisProgram) {
  WatchFacts facts;
  facts.pid = getpid();
  facts.cpu_cores = 2;
  Watch watch(facts);
  volatile double sum = 0;
  for (int i = 0; i < 30'000'000; ++i) sum = sum + i;
  const auto second = watch.Next();
  ASSERT_TRUE(second);
  EXPECT_GT(second->cpu_cores, 0.01);
  EXPECT_FALSE(watch.facts().program.empty());
}

}  // namespace
}  // namespace kettle
