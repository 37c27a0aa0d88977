// SPDX-License-Identifier: Apache-2.0
#include "kettle/option/option_book.h"

#include "fakes.h"

namespace kettle {
namespace {

// x264 codes `fps` frames a second with its fastest preset, and a fifth less with each slower one, whatever the size.
class OptionBookTest : public testing::Test {
 protected:
  explicit OptionBookTest(double fps = 40)
      : runner_([fps](const std::string&, int preset, bool, const std::string&) {
          return test::Figures{fps - 0.2 * fps * preset, 1, 0.9};
        }),
        trials_(runner_, {}, [](const auto&) {}) {}

  static EncodeSettings Asked(const std::string& preset, FrameSize size = {1280, 720}) {
    EncodeSettings settings = test::SmallSettings("x264", preset);  // at 25 frames a second
    settings.size = size;
    return settings;
  }

  test::FakeRunner runner_;
  TrialBook trials_;
  OptionBook book_{trials_, {test::FakeFootage("one")}, 0.2};
};

TEST_F(OptionBookTest, ASpeedHasNoScoreUntilItIsAskedFor) {
  const Option speed = book_.MeasureSpeed(Asked("ultrafast"));
  EXPECT_TRUE(speed.keeps_pace(0.2));
  EXPECT_FALSE(speed.scored());
  EXPECT_TRUE(book_.Measure(Asked("ultrafast")).scored());
  EXPECT_TRUE(book_.MeasureSpeed(Asked("ultrafast")).scored());
  EXPECT_EQ(book_.options().size(), 1u);
  EXPECT_EQ(runner_.runs, 2);
}

TEST_F(OptionBookTest, WhatStandsIsScoredAfterItsSpeedWasMeasured) {
  OptionBook book(trials_, {test::FakeFootage("clip")}, 0.2);
  EXPECT_FALSE(book.MeasureSpeed(Asked("ultrafast")).scored());
  EXPECT_TRUE(book.ScoreEverywhere(Asked("ultrafast")).scored());
}

TEST_F(OptionBookTest, EasierFootageIsLeftOutUntilAskedFor) {
  int easy_runs = 0;
  test::FakeRunner runner([&](const std::string&, int preset, bool, const std::string& clip) {
    easy_runs += clip == "easy";
    return clip == "easy" ? test::Figures{300, 1, 0.99} : test::Figures{100.0 - preset, 1, 0.9};
  });
  TrialBook trials(runner, {}, [](const auto&) {});
  OptionBook book(trials, {test::FakeFootage("hard"), test::FakeFootage("easy")}, 0.2);
  EXPECT_EQ(book.Measure(Asked("ultrafast")).clips.size(), 2u) << "nothing was known";
  const Option left_out = book.Measure(Asked("superfast"));
  EXPECT_TRUE(left_out.measured);
  EXPECT_EQ(left_out.clips.size(), 1u);
  EXPECT_EQ(easy_runs, 1);
  EXPECT_EQ(book.MeasureEverywhere(Asked("superfast")).clips.size(), 2u);
  EXPECT_EQ(book.MeasureEverywhere(Asked("superfast")).clips.size(), 2u);
  EXPECT_EQ(easy_runs, 2);
}

TEST_F(OptionBookTest, FootageThatIsAsHardIsNotLeftOut) {
  test::FakeRunner runner([](auto...) { return test::Figures{100, 1, 0.9}; });
  TrialBook trials(runner, {}, [](const auto&) {});
  OptionBook book(trials, {test::FakeFootage("hard"), test::FakeFootage("easy")}, 0.2);
  book.Measure(Asked("ultrafast"));
  EXPECT_EQ(book.Measure(Asked("superfast")).clips.size(), 2u);
}

TEST_F(OptionBookTest, RecallsWhatTheTrialBookKnows) {
  trials_.Get(Asked("veryfast"), test::FakeFootage("one"));  // 24 of the 31.25 that are needed
  trials_.Get(Asked("superfast", {640, 360}), test::FakeFootage("one"));
  book_.Recall(Asked("ultrafast"), [](const std::string&) { return 0; });
  ASSERT_EQ(book_.options().size(), 1u) << "of that picture";
  EXPECT_EQ(book_.options().front().settings.preset, "veryfast");
  const int runs = runner_.runs;
  EXPECT_FALSE(book_.Measure(Asked("veryfast")).keeps_pace(0.2));
  EXPECT_EQ(runner_.runs, runs);
}

TEST_F(OptionBookTest, MeasuresOnlyWhatItMay) {
  int told = 0;
  bool may = true;
  OptionBook book(trials_, {test::FakeFootage("one")}, 0.2,
                  {[&](const EncodeSettings&) { return may; }, [&] { ++told; }});
  EXPECT_TRUE(book.Measure(Asked("ultrafast")).measured);
  may = false;
  EXPECT_TRUE(book.Measure(Asked("ultrafast")).measured) << "it is known";
  EXPECT_THAT(book.Measure(Asked("superfast")).trouble, testing::HasSubstr("time budget"));
  EXPECT_EQ(told, 1);
}

TEST_F(OptionBookTest, WhatIsFarBehindWhenBusyIsMeasuredWhenCalmOnlyIfChosen) {
  int calm_runs = 0;
  test::FakeRunner runner([&](const std::string&, int preset, bool, const std::string& clip) {
    calm_runs += clip == "calm";
    return test::Figures{100, 1, preset == 0 ? 0.5 : preset == 1 ? 0.9 : 0.88};  // 15, 50 and 46 points
  });
  TrialBook trials(runner, {}, [](const auto&) {});
  OptionBook book(trials, {test::FakeFootage("one")}, 0.2, {}, {{"one", test::FakeFootage("calm")}});
  EXPECT_FALSE(book.MeasureWhole(Asked("superfast")).calm.empty());
  EXPECT_FALSE(book.MeasureWhole(Asked("veryfast")).calm.empty());
  EXPECT_TRUE(book.MeasureWhole(Asked("ultrafast")).calm.empty());
  EXPECT_EQ(calm_runs, 2);
  EXPECT_FALSE(book.MeasureEverywhere(Asked("ultrafast")).calm.empty());
  EXPECT_EQ(calm_runs, 3);
}

}  // namespace
}  // namespace kettle
