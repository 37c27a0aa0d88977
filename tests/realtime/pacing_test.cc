// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/pacing.h"

#include <thread>
#include <vector>

#include "support.h"

namespace kettle {
namespace {

TEST(ReleaseFrames, ComesAtTheDueTimes) {
  test::FakeClock clock;
  const std::int64_t start = clock.now_ns() + 1000;
  std::vector<std::int64_t> due;
  ReleaseFrames(clock, {50, 1}, start, 4, [&](std::int64_t, std::int64_t due_ns, bool late) {
    EXPECT_FALSE(late);
    EXPECT_EQ(clock.now_ns(), due_ns);
    due.push_back(due_ns - start);
    return true;
  });
  EXPECT_THAT(due, testing::ElementsAre(0, 20'000'000, 40'000'000, 60'000'000));
}

// A source that slides its due times after a stall hides what the stall cost.
TEST(ReleaseFrames, DueTimesDoNotSlideAfterAStall) {
  test::FakeClock clock;
  const std::int64_t start = clock.now_ns();
  std::vector<bool> late_frames;
  std::vector<std::int64_t> due;
  ReleaseFrames(clock, {50, 1}, start, 6, [&](std::int64_t index, std::int64_t due_ns, bool late) {
    late_frames.push_back(late);
    due.push_back(due_ns - start);
    if (index == 1) clock.Pass(70'000'000);  // until 90 ms: frames 2, 3 and 4 fall due meanwhile
    return true;
  });
  EXPECT_THAT(due, testing::ElementsAre(0, 20'000'000, 40'000'000, 60'000'000, 80'000'000, 100'000'000));
  EXPECT_THAT(late_frames, testing::ElementsAre(false, false, true, true, false, false))
      << "late: by more than an interval";
}

TEST(ReleaseFrames, StopsWhenToldTo) {
  test::FakeClock clock;
  int released = 0;
  ReleaseFrames(clock, {60, 1}, clock.now_ns(), 100, [&](auto...) { return ++released < 3; });
  EXPECT_EQ(released, 3);
}

int Taken(FrameRate source, FrameRate output, int frames) {
  const FrameSelector selector(source, output);
  int taken = 0;
  for (int i = 0; i < frames; ++i) {
    if (const auto number = selector.FrameNumber(i)) {
      EXPECT_EQ(*number, taken++) << "its own count has a gap";
    }
  }
  return taken;
}

TEST(FrameSelector, TakesExactlyTheOutputsRate) {
  EXPECT_EQ(Taken({60, 1}, {60, 1}, 600), 600);
  EXPECT_EQ(Taken({60, 1}, {30, 1}, 600), 300);
  EXPECT_EQ(Taken({60, 1}, {50, 1}, 600), 500);
  EXPECT_EQ(Taken({60000, 1001}, {30000, 1001}, 600), 300);
  EXPECT_EQ(Taken({60, 1}, {60000, 1001}, 60060), 60000);
}

TEST(SkipQueue, RefusesWhatDoesNotFit) {
  SkipQueue<int> queue(2);
  EXPECT_TRUE(queue.Push(1));
  EXPECT_TRUE(queue.Push(2));
  EXPECT_FALSE(queue.Push(3)) << "a full queue skips";
  EXPECT_EQ(queue.Pop(), 1);
  EXPECT_TRUE(queue.Push(4));
  EXPECT_EQ(queue.deepest(), 2u);
  queue.Close();
  EXPECT_EQ(queue.Pop(), 2);
  EXPECT_EQ(queue.Pop(), 4);
  EXPECT_EQ(queue.Pop(), std::nullopt);
}

TEST(SkipQueue, ExtraRoomIsForThatItemOnly) {
  SkipQueue<int> queue(1);
  EXPECT_TRUE(queue.Push(1));
  EXPECT_TRUE(queue.Push(2, 1));
  EXPECT_FALSE(queue.Push(3));
  EXPECT_FALSE(queue.Push(3, 1));
  EXPECT_EQ(queue.deepest(), 1u);
}

TEST(SkipQueue, HandsOverBetweenThreads) {
  SkipQueue<int> queue(1000);
  int sum = 0;
  std::thread reader([&] {
    while (auto item = queue.Pop()) sum += *item;
  });
  for (int i = 1; i <= 100; ++i) queue.Push(i);
  queue.Close();
  reader.join();
  EXPECT_EQ(sum, 5050);
}

}  // namespace
}  // namespace kettle
