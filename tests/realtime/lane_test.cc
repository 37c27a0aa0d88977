// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/lane.h"

#include <pthread.h>
#include <sys/resource.h>
#include <unistd.h>

#include "support.h"

namespace kettle {
namespace {

class LaneTest : public test::FolderTest {
 protected:
  std::unique_ptr<Y4mFile> source_ = std::make_unique<Y4mFile>(test::MakeY4m(path("a.y4m"), {192, 128}, {25, 1}, 10));
  test::FakeClock clock_;
  LaneRequest Request(int depth = 6) { return {test::SmallSettings(), {25, 1}, depth}; }
  static constexpr std::int64_t kSecond = 1'000'000'000;
  void Offer(Lane& lane, int frames, std::int64_t after_start_ns = 2 * kSecond) {
    lane.Start(clock_.now_ns() - after_start_ns);
    for (int i = 0; i < frames; ++i) lane.Offer(i, clock_.now_ns(), *source_->Frame(i % source_->frames()));
  }
};

TEST_F(LaneTest, HandsOverWhatItEncodes) {
  std::vector<std::string> calls;
  int packets = 0;
  Lane lane(Request(100), clock_,
            {[&](const AVCodecContext& encoder) { calls.push_back(fmt::format("open {}", encoder.width)); },
             [&](const AVPacket& packet) { packets += packet.size > 0; }, [&] { calls.push_back("end"); }});
  lane.WaitUntilOpen();
  Offer(lane, 10);
  const PacedOutputOutcome outcome = lane.Finish();
  EXPECT_THAT(calls, testing::ElementsAre("open 192", "end"));
  EXPECT_EQ(packets, 10);
  EXPECT_EQ(outcome.packets, 10);
  EXPECT_EQ(outcome.skipped, 0);
  EXPECT_EQ(outcome.frame_times.size(), 10u);
  EXPECT_GT(outcome.mean_kbps, 0);
}

TEST_F(LaneTest, WhatFindsItsQueueFullIsSkipped) {
  std::promise<void> go;
  const std::shared_future<void> gate = go.get_future().share();
  // The encoder's thread is held at its first packet.
  Lane lane(Request(2), clock_, {{}, [gate](const AVPacket&) { gate.wait(); }, {}});
  lane.WaitUntilOpen();
  Offer(lane, 200);
  EXPECT_GT(lane.skipped(), 0);
  EXPECT_EQ(lane.frames(), 200);
  EXPECT_LE(lane.waiting(), 2u);
  go.set_value();
  const PacedOutputOutcome outcome = lane.Finish();
  EXPECT_EQ(outcome.packets + outcome.skipped, 200);
  EXPECT_EQ(outcome.deepest_queue, 2);
}

TEST_F(LaneTest, AColdEncoderHasMoreRoomInItsFirstSecond) {
  std::promise<void> go;
  const std::shared_future<void> gate = go.get_future().share();
  Lane lane(Request(2), clock_, {{}, [gate](const AVPacket&) { gate.wait(); }, {}});
  lane.WaitUntilOpen();
  Offer(lane, 8, kSecond - 1);
  EXPECT_EQ(lane.skipped(), 0);
  Offer(lane, 200, kSecond - 1);
  EXPECT_LE(lane.waiting(), 8u) << "more room, not endless room";
  EXPECT_GT(lane.skipped(), 0);
  go.set_value();
  EXPECT_EQ(lane.Finish().deepest_queue, 0) << "of the time after it";
}

TEST_F(LaneTest, WhatDoesNotOpenIsToldAtOnce) {
  LaneRequest request = Request();
  request.settings.encoder = "nvenc-h264";
  request.settings.preset = "p1";
  Lane lane(request, clock_, {});
  EXPECT_THROW(lane.WaitUntilOpen(), Error);
}

TEST_F(LaneTest, ASinkThatFailsEndsTheLane) {
  Lane lane(Request(100), clock_, {{}, [](const AVPacket&) { FailMachine("the disk is gone"); }, {}});
  lane.WaitUntilOpen();
  Offer(lane, 60);
  const PacedOutputOutcome outcome = lane.Finish();
  EXPECT_EQ(outcome.failed, "the disk is gone");
  EXPECT_LT(outcome.packets, outcome.frames);
  EXPECT_THAT(test::Complaint(Fault::kMachine, [&] { lane.RethrowFailure(); }), testing::HasSubstr("the disk is gone"));
  EXPECT_TRUE(lane.failed());
}

TEST_F(LaneTest, ItsThreadHasANameAndANiceness) {
  std::string name;
  int niceness = 0;
  LaneRequest request = Request();
  request.thread_name = "stream";
  request.niceness = 4;
  Lane lane(request, clock_,
            {[&](const AVCodecContext&) {
               char buffer[16] = {};
               pthread_getname_np(pthread_self(), buffer, sizeof buffer);
               name = buffer;
               niceness = getpriority(PRIO_PROCESS, static_cast<id_t>(gettid()));
             },
             {},
             {}});
  lane.WaitUntilOpen();
  EXPECT_EQ(name, "stream");
  const int own = getpriority(PRIO_PROCESS, 0);
  EXPECT_EQ(niceness, std::min(19, own + 4));
  EXPECT_EQ(lane.Finish().niceness, niceness - own);
}

TEST_F(LaneTest, ASourceOfSeveralFilesHasNoEnd) {
  const EndlessSource source(
      {test::MakeY4m(path("b.y4m"), {32, 32}, {25, 1}, 3), test::MakeY4m(path("c.y4m"), {32, 32}, {25, 1}, 2, 100)});
  const auto pixel = [&](std::int64_t index) { return source.Frame(index)->data[0][40]; };
  EXPECT_EQ(pixel(0), pixel(5));
  EXPECT_EQ(pixel(3), pixel(8));
  EXPECT_NE(pixel(0), pixel(1));
  EXPECT_THAT(test::Complaint(Fault::kInput, [] { EndlessSource({}); }), testing::HasSubstr("footage"));
}

}  // namespace
}  // namespace kettle
