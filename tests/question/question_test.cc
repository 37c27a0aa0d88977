// SPDX-License-Identifier: Apache-2.0
#include "kettle/question/question.h"

#include "kettle/encoders/catalogue.h"
#include "support.h"

namespace kettle {
namespace {

SearchSpace Space() {
  return {test::SmallSettings(), {{640, 360}, {512, 288}, {320, 180}}, {{60, 1}, {30, 1}}, {"x264"}};
}

EncodeSettings Base(const std::string& encoder = "x264") {
  EncodeSettings settings = test::SmallSettings(encoder, FindFamily(encoder).presets[2]);
  settings.size = {640, 360};
  settings.frame_rate = {60, 1};
  return settings;
}

TEST(MakeQuestion, EveryQuestionCanBePutToX264) {
  for (const std::string& name : QuestionNames()) {
    if (name == "multi-pass") continue;  // it has none
    const Question question = MakeQuestion(name, {Base(), test::SmallSettings("x265", "fast")}, Space(), {});
    EXPECT_GE(question.variants.size(), 2u) << name;
    EXPECT_EQ(question.asked_rate, Base().bit_rate) << name;
    for (const EncodeSettings& settings : EncodesOf(question)) EXPECT_NO_THROW(ConfigFor(settings)) << name;
    for (std::size_t i = 1; i < question.variants.size(); ++i)
      EXPECT_FALSE(question.variants[i].settings == question.variants[0].settings) << name;
  }
}

TEST(MakeQuestion, AsksForBFramesFromNoneToThree) {
  const Question question = MakeQuestion("b-frames", {Base()}, Space(), {});
  ASSERT_EQ(question.variants.size(), 5u);
  EXPECT_FALSE(question.variants[0].settings.b_frames);
  for (int i = 0; i < 4; ++i) EXPECT_EQ(question.variants[static_cast<std::size_t>(i + 1)].settings.b_frames, i);
}

TEST(MakeQuestion, TheScalerIsAskedWhereSomethingIsScaled) {
  const Question question = MakeQuestion("scaler", {Base()}, Space(), {});
  EXPECT_EQ(question.variants.front().settings.size, (FrameSize{512, 288}));
  EXPECT_EQ(question.variants.size(), 3u);
}

TEST(MakeQuestion, TakesTheGivenRates) {
  const Question question =
      MakeQuestion("size", {Base()}, Space(), {BitRate::FromKbps(900), BitRate::FromKbps(300), BitRate::FromKbps(420)});
  EXPECT_EQ(question.rates.front().kbps(), 300);
  EXPECT_EQ(question.asked_rate.kbps(), 420) << "the nearest to the encode's own 400";
  EXPECT_TRUE(question.of_picture);
  EXPECT_EQ(EncodesOf(question).size(), 9u);
  EXPECT_EQ(EncodesOf(question).front().bit_rate.kbps(), 420);
}

TEST(MakeQuestion, RefusesWhatMakesNoSense) {
  const auto ask = [](const std::string& name, const EncodeSettings& settings) {
    return test::Complaint(Fault::kInput, [&] { MakeQuestion(name, {settings}, Space(), {}); });
  };
  EXPECT_THAT(ask("b-frame", Base()), testing::HasSubstr("b-frames"));
  EXPECT_THAT(ask("multi-pass", Base()), testing::HasSubstr("multi-pass"));
  EXPECT_THAT(ask("encoder", Base()), testing::HasSubstr("more than one"));
  EncodeSettings constant = Base();
  constant.rate_control = RateControl::kConstantQuality;
  EXPECT_THAT(ask("b-frames", constant), testing::HasSubstr("same bit rate"));
}

TEST(AtRate, KeepsTheMaximumInProportion) {
  EncodeSettings settings = Base();
  settings.maximum_bit_rate = BitRate::FromKbps(600);
  const EncodeSettings doubled = AtRate(settings, BitRate::FromKbps(800));
  EXPECT_EQ(doubled.bit_rate.kbps(), 800);
  EXPECT_EQ(doubled.maximum_bit_rate.kbps(), 1200);
}

}  // namespace
}  // namespace kettle
