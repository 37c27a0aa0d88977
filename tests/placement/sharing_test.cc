// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/sharing.h"

#include "fakes.h"

namespace kettle {
namespace {

using test::FakeOption;
using test::FakeProof;
using testing::ElementsAre;

const Capacity kFourCores{4, 0.2};
const std::vector<int> kUsable = {0, 4, 1, 5};  // two cores of two threads

Pair OnTheCpu(double stream_cores, double recording_cores) {
  return {
      FakeOption("x264", "fast", 100, stream_cores, 12), FakeOption("x264", "veryfast", 150, recording_cores, 14), {}};
}

TEST(DivideCores, InProportionToWhatEachTakes) {
  const auto even = DivideCores(OnTheCpu(1, 1), kUsable);
  ASSERT_TRUE(even);
  EXPECT_THAT(even->stream, ElementsAre(0, 4));
  EXPECT_THAT(even->recording, ElementsAre(1, 5));
  EXPECT_THAT(DivideCores(OnTheCpu(0.7, 0.3), kUsable)->stream, ElementsAre(0, 4, 1));
  EXPECT_THAT(DivideCores(OnTheCpu(2, 0.01), kUsable)->recording, ElementsAre(5)) << "at least one for each";
  EXPECT_THAT(DivideCores(OnTheCpu(0, 0), kUsable)->stream, ElementsAre(0, 4));
}

TEST(DivideCores, NotWhereThereIsNothingToDivide) {
  EXPECT_FALSE(DivideCores(OnTheCpu(1, 1), {3}));
  Pair pair = OnTheCpu(1, 1);
  pair.recording = FakeOption("nvenc-h264", "p4", 200, 0.1, 12);
  EXPECT_FALSE(DivideCores(pair, kUsable));
}

TEST(FitsDivided, OnlyIfEachPartHasRoomForItsOwnEncode) {
  const auto fits = [](double stream_cores, double recording_cores, double capacity) {
    const Pair pair = OnTheCpu(stream_cores, recording_cores);
    return FitsDivided(pair, *DivideCores(pair, kUsable), {capacity, 0.2});
  };
  EXPECT_TRUE(fits(1.5, 1.5, 4));
  EXPECT_FALSE(fits(1.5, 1.5, 3)) << "a game took one of the four";
  EXPECT_TRUE(fits(1.1, 1.1, 3));
  // Together they leave room, but the stream's two of four processors do not.
  EXPECT_FALSE(fits(1.7, 1.1, 4));
}

Proof NoProof(const Pair&) {
  ADD_FAILURE() << "it was proven";
  return FakeProof(0, 0);
}

TEST(TryDivided, IsNotTriedWhereAPartHasNoRoom) {
  Proving proving;
  proving.attempts = {{OnTheCpu(1.7, 1.1), FakeProof(0, 0)}};
  proving.attempts.back().proof.recording.deepest_queue = 4;
  EXPECT_FALSE(TryDivided(kUsable, kFourCores, NoProof, proving));
  EXPECT_FALSE(proving.attempts.back().pair.cores.divided());
}

TEST(TryDivided, IsNotTriedWhereNoFrameHadToWait) {
  Proving proving;
  proving.attempts = {{OnTheCpu(1, 1), FakeProof(0, 0)}};
  proving.attempts.back().proof.stream.deepest_queue = 2;
  EXPECT_FALSE(TryDivided(kUsable, kFourCores, NoProof, proving));
}

// What is proven with a latency of `shared_ms` is tried with divided processors.
class TryDividedTest : public testing::Test {
 protected:
  std::optional<Attempt> Try(double divided_ms, int skipped) {
    proving_.attempts = {{OnTheCpu(1, 1), Run(100, 0)}};
    return TryDivided(
        kUsable, kFourCores, [&](const Pair&) { return Run(divided_ms, skipped); }, proving_);
  }
  static Proof Run(double p99_ms, int skipped) {
    Proof proof = FakeProof(skipped, 0);
    proof.stream.latency.p99_ms = p99_ms;
    proof.stream.deepest_queue = 4;
    return proof;
  }
  Proving proving_;
};

TEST_F(TryDividedTest, IsTakenWhereTheStreamComesClearlySooner) {
  const auto other = Try(70, 0);
  ASSERT_EQ(proving_.attempts.size(), 2u);
  EXPECT_TRUE(proving_.attempts.back().pair.cores.divided());
  ASSERT_TRUE(other);
  EXPECT_FALSE(other->pair.cores.divided());
}

TEST_F(TryDividedTest, IsNotTakenOtherwise) {
  for (const auto& [ms, skipped] : {std::pair{90.0, 0}, std::pair{70.0, 3}}) {
    const auto other = Try(ms, skipped);
    EXPECT_EQ(proving_.attempts.size(), 1u);
    ASSERT_TRUE(other);
    EXPECT_TRUE(other->pair.cores.divided());
  }
}

}  // namespace
}  // namespace kettle
