// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/refinement.h"

#include <gmock/gmock.h>

#include <algorithm>
#include <functional>

#include "fakes.h"
#include "kettle/search/picture_search.h"

namespace kettle {
namespace {

// A machine on which an encode's score depends on its preset, and on B-frames and look-ahead by formula.
class ExtrasRunner final : public TrialRunner {
 public:
  using Gain = std::function<double(const EncodeSettings&)>;
  explicit ExtrasRunner(Gain gain) : gain_(std::move(gain)) {}

  Trial Run(const TrialRequest& request) override {
    const EncodeSettings& s = request.settings;
    asked.push_back(s);
    const auto& presets = FindFamily(s.encoder).presets;
    const auto preset = static_cast<double>(std::find(presets.begin(), presets.end(), s.preset) - presets.begin());
    const bool refined = s.b_frames || s.look_ahead_frames;
    Trial trial = test::DoneTrial(request, 450 / std::pow(1.5, preset) / (refined ? 1.05 : 1));
    test::SetCores(trial, 0.5);
    trial.b_frames = s.b_frames.value_or(3);
    trial.quality = test::QualityOf(50 + 2 * preset + gain_(s));
    return trial;
  }

  std::vector<EncodeSettings> asked;

 private:
  Gain gain_;
};

EncodeSettings BestOf(ExtrasRunner& runner, std::optional<int> most_b_frames = {}) {
  TrialBook trials(runner, {}, [](const auto&) {});
  OptionBook book(trials, {test::FakeFootage("one")}, 0.2);
  SearchSpace space{test::SmallSettings(), {{320, 180}}, {{60, 1}}, {"x264"}};
  space.refined = true;
  space.most_b_frames = most_b_frames;
  return SearchPicture(space, book).front().best->settings;
}

TEST(Refinement, IsFoundWhereItPays) {
  ExtrasRunner runner(
      [](const EncodeSettings& s) { return (s.b_frames == 0 ? 3 : 0) + s.look_ahead_frames.value_or(10) / 20.; });
  const EncodeSettings best = BestOf(runner);
  EXPECT_EQ(best.b_frames, 0);
  EXPECT_EQ(best.look_ahead_frames, 40);
  EXPECT_LT(runner.asked.size(), 30u);
}

TEST(Refinement, IsLeftWhereItDoesNotPay) {
  ExtrasRunner runner([](const EncodeSettings&) { return 0; });
  const EncodeSettings best = BestOf(runner);
  EXPECT_EQ(RefinementOf(best), Refinement{});
  EXPECT_LE(std::count_if(runner.asked.begin(), runner.asked.end(),
                          [](const EncodeSettings& s) { return RefinementOf(s) != Refinement{}; }),
            14);
}

TEST(Refinement, HasNoMoreBFramesThanADestinationTakes) {
  ExtrasRunner runner([](const EncodeSettings& s) { return s.b_frames.value_or(0) > 0 ? 5 : 0; });
  EXPECT_EQ(BestOf(runner, 1).b_frames.value_or(0), 0);
  for (const EncodeSettings& asked : runner.asked) EXPECT_LE(asked.b_frames.value_or(0), 1);
}

TEST(NextRefinements, AreWhatTheEncoderHas) {
  Option option;
  option.settings = test::SmallSettings("x264", "veryfast");
  option.b_frames = 3;
  EXPECT_THAT(NextRefinements(option, {}),
              testing::UnorderedElementsAre(Refinement{0, {}, {}}, Refinement{2, {}, {}}, Refinement{{}, 20, {}},
                                            Refinement{{}, 40, {}}));
  EXPECT_THAT(NextRefinements(option, 0), testing::SizeIs(3));
}

}  // namespace
}  // namespace kettle
