// SPDX-License-Identifier: Apache-2.0
// The stand-in device gives again what it coded before. A made-up coder counts what it is asked.
#include "replaying_coder.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace {

using standin::CodedBefore;
using standin::CodedUnit;
using standin::Settings;

struct Asked {
  int pictures = 0;
  std::vector<int> keyframes;  // by the order in which it was asked
};

// Each unit tells how many pictures were coded before it.
class CountingCoder final : public standin::Coder {
 public:
  explicit CountingCoder(Asked& asked) : asked_(asked) {}
  const std::vector<std::uint8_t>& header() const override { return header_; }
  int delay() const override { return 0; }
  std::optional<CodedUnit> Code(const std::uint8_t*, const standin::PictureRequest& request) override {
    if (request.force_keyframe) asked_.keyframes.push_back(asked_.pictures);
    unit_ = {static_cast<std::uint8_t>(asked_.pictures++)};
    return CodedUnit{unit_.data(), 1, request.timestamp, request.force_keyframe ? 2u : 0u};
  }
  std::optional<CodedUnit> Flush() override { return std::nullopt; }

 private:
  Asked& asked_;
  const std::vector<std::uint8_t> header_;
  std::vector<std::uint8_t> unit_;
};

class ReplayingCoderTest : public testing::Test {
 protected:
  ReplayingCoderTest() {
    settings_.width = settings_.height = 16;
    settings_.pitch = 64;
    settings_.keyframe_frames = 4;
  }
  // Codes pictures that are one grey each; gives the units' bytes.
  std::vector<int> Play(const std::vector<int>& greys) {
    const auto make = [this] { return std::make_unique<CountingCoder>(asked_); };
    const auto coder = standin::MakeReplayingCoder(settings_, make, before_);
    std::vector<int> units;
    for (const int grey : greys) {
      const std::vector<std::uint8_t> picture(64 * 24, static_cast<std::uint8_t>(grey));
      const auto unit = coder->Code(picture.data(), {.timestamp = units.size()});
      EXPECT_EQ(unit->timestamp, units.size());
      units.push_back(unit->data[0]);
    }
    return units;
  }

  Settings settings_{};
  Asked asked_;
  CodedBefore before_{1000};
};

TEST_F(ReplayingCoderTest, TheSamePicturesAreCodedOnce) {
  const std::vector<int> greys = {1, 2, 3, 4, 5, 6, 7, 8, 9};
  const std::vector<int> first = Play(greys);
  EXPECT_EQ(asked_.pictures, 9);
  EXPECT_THAT(asked_.keyframes, testing::ElementsAre(0, 4, 8));
  EXPECT_EQ(Play(greys), first);
  EXPECT_EQ(asked_.pictures, 9) << "nothing was new";
  settings_.average_kbps = 1000;
  Play(greys);
  EXPECT_EQ(asked_.pictures, 18) << "other settings are another stream";
}

TEST_F(ReplayingCoderTest, WhereAStreamDiffersItIsCodedUntilTheNextKeyframe) {
  const std::vector<int> first = Play({1, 2, 3, 4, 5, 6, 7, 8});
  const std::vector<int> second = Play({1, 2, 9, 4, 5, 6, 7, 8});  // as if another frame had been skipped
  EXPECT_EQ(second[0], first[0]);
  EXPECT_EQ(second[1], first[1]);
  EXPECT_EQ(asked_.pictures, 8 + 2) << "the third and the fourth";
  EXPECT_EQ(asked_.keyframes.back(), 8) << "the coder has not seen what came before";
  EXPECT_EQ(second[4], first[4]);
  EXPECT_EQ(Play({1, 2, 9, 4}), std::vector<int>(second.begin(), second.begin() + 4));
  EXPECT_EQ(asked_.pictures, 10) << "what began between two keyframes is kept too";
}

TEST_F(ReplayingCoderTest, TheOldestGoWhenThereIsNoMoreRoom) {
  std::vector<int> greys;
  for (int i = 0; i < 1100; ++i) greys.push_back(i % 251);
  Play(greys);
  EXPECT_LE(before_.bytes(), 1000u);
  const int asked = asked_.pictures;
  Play({0, 1, 2, 3});
  EXPECT_EQ(asked_.pictures, asked + 4);
}

}  // namespace
