// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/refine.h"

#include "fakes.h"

namespace kettle {
namespace {

// A machine on which an encode's score depends on B-frames and look-ahead by formula.
class ExtrasRunner final : public TrialRunner {
 public:
  using Score = std::function<double(const EncodeSettings&)>;
  explicit ExtrasRunner(Score score) : score_(std::move(score)) {}

  Trial Run(const TrialRequest& request) override {
    asked.push_back(request.settings);
    Trial trial = test::DoneTrial(request, 200);
    test::SetCores(trial, 0.5);
    trial.b_frames = request.settings.b_frames.value_or(3);
    trial.quality = test::QualityOf(score_(request.settings));
    return trial;
  }

  std::vector<EncodeSettings> asked;

 private:
  Score score_;
};

Pair Refined(ExtrasRunner& runner, std::optional<int> most_b_frames = {}) {
  TrialBook trials(runner, {}, [](const auto&) {});
  OptionBook book(trials, {test::FakeFootage("one")}, 0.2);
  EncodeSettings settings = test::SmallSettings("x264", "veryfast");
  settings.frame_rate = {60, 1};
  const Pair pair{book.Measure(settings), test::FakeOption("x264", "ultrafast", 300, 0.3, 80), {}};
  runner.asked.clear();
  return RefineStream(pair, {4, 0.2}, book, most_b_frames);
}

TEST(RefineStream, GoesOnAlongAWayThatPays) {
  ExtrasRunner runner(
      [](const EncodeSettings& s) { return 50 - s.b_frames.value_or(3) + s.look_ahead_frames.value_or(10) / 10.; });
  const Pair refined = Refined(runner);
  EXPECT_EQ(refined.stream.settings.b_frames, 0);
  EXPECT_EQ(refined.stream.settings.look_ahead_frames, 40);
  EXPECT_EQ(runner.asked.size(), 4u);
}

TEST(RefineStream, LeavesAWayAtTheFirstStepThatDoesNotPay) {
  ExtrasRunner runner([](const EncodeSettings&) { return 50; });
  const Pair refined = Refined(runner);
  EXPECT_FALSE(refined.stream.settings.b_frames);
  EXPECT_FALSE(refined.stream.settings.look_ahead_frames);
  EXPECT_EQ(runner.asked.size(), 2u) << "one B-frame fewer, and more look-ahead";
}

TEST(RefineStream, TriesNoMoreBFramesThanADestinationTakes) {
  ExtrasRunner runner([](const EncodeSettings& s) { return 50 + (s.b_frames ? 5 : 0); });
  EXPECT_FALSE(Refined(runner, 1).stream.settings.b_frames);
}

}  // namespace
}  // namespace kettle
