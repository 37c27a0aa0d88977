// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/outlook.h"

#include "fakes.h"
#include "kettle/quality/frame_rate_loss.h"

namespace kettle {
namespace {

class MovingRunner final : public TrialRunner {
 public:
  Trial Run(const TrialRequest& request) override {
    Trial trial = test::DoneTrial(request, 300);
    trial.quality = test::QualityOf(40);
    trial.quality->speeds = {16};
    trial.quality->frame_rate_share = FrameRateShare(request.settings.frame_rate, request.footage.rate, {16});
    return trial;
  }
};

// Where a destination takes no more than half of the source's frames, what that costs counts for all alike.
TEST(Outlook, ALowerFrameRateCostsAsMuchAsItWasMeasuredToWhereNoHigherOneIsAllowed) {
  MovingRunner runner;
  TrialBook book(runner, {}, [](const auto&) {});
  OptionBook options(book, {test::FakeFootage("fast")}, 0.2);
  SearchSpace space{test::SmallSettings(), {{1280, 720}}, {{30, 1}}, {"x264"}};
  space.target.size = {1280, 720};
  space.target.frame_rate = {30, 1};
  const Option measured = options.Measure(space.target);
  ASSERT_LT(measured.score, 35);
  EXPECT_NEAR(Outlook(space, options).Score(space.target).mean, measured.score, 1);
}

}  // namespace
}  // namespace kettle
