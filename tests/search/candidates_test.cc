// SPDX-License-Identifier: Apache-2.0
#include "kettle/search/candidates.h"

#include "support.h"

namespace kettle {
namespace {

std::vector<std::string> Names(const auto& values) {
  std::vector<std::string> names;
  for (const auto& value : values) names.push_back(value.str());
  return names;
}

TEST(CandidateSizes, GoDownInEvenStepsWithTheUsualOnesBetween) {
  EXPECT_THAT(Names(CandidateSizes({1920, 1080})),
              testing::ElementsAre("1920x1080", "1728x972", "1600x900", "1536x864", "1344x756", "1280x720", "1152x648",
                                   "960x540", "854x480", "640x360"));
  EXPECT_THAT(Names(CandidateSizes({3840, 2160})), testing::Contains("1280x720")) << "for little bit rate";
}

TEST(CandidateSizes, KeepShapeAndEvenSides) {
  for (const FrameSize source : {FrameSize{1280, 720}, {2560, 1080}, {1080, 1920}, {854, 480}, {66, 64}}) {
    const auto sizes = CandidateSizes(source);
    EXPECT_EQ(sizes.front(), source);
    for (const FrameSize size : sizes) {
      EXPECT_EQ(size.width % 2 + size.height % 2, 0) << size.str();
      EXPECT_LE(size.height, source.height);
      EXPECT_NEAR(static_cast<double>(size.width) / size.height, static_cast<double>(source.width) / source.height,
                  0.02 * source.width / source.height)
          << size.str();
    }
  }
}

std::vector<std::string> RatesOf(FrameRate source) { return Names(CandidateRates(source, source)); }

TEST(CandidateRates, AreTheSourcesOwnDividedByWholeNumbersButNoneAtWhichGamesStutter) {
  EXPECT_THAT(RatesOf({60, 1}), testing::ElementsAre("60", "30"));
  EXPECT_THAT(RatesOf({50, 1}), testing::ElementsAre("50", "25"));
  EXPECT_THAT(RatesOf({48, 1}), testing::ElementsAre("48", "24"));
  EXPECT_THAT(RatesOf({30, 1}), testing::ElementsAre("30"));
  EXPECT_THAT(RatesOf({12, 1}), testing::ElementsAre("12"));
  EXPECT_THAT(RatesOf({75, 1}), testing::ElementsAre("75", "75/2"));
  EXPECT_THAT(RatesOf({120, 1}), testing::ElementsAre("120", "60", "30"));
  EXPECT_THAT(RatesOf({144, 1}), testing::ElementsAre("144", "72", "48"));
  EXPECT_THAT(RatesOf({165, 1}), testing::ElementsAre("165", "165/2", "55"));
  EXPECT_THAT(RatesOf({240, 1}), testing::ElementsAre("240", "120", "80", "60", "30"));
}

TEST(CandidateRates, WithinALimitAreStillThoseOfTheSource) {
  EXPECT_THAT(Names(CandidateRates({144, 1}, {60, 1})), testing::ElementsAre("48"));
  EXPECT_THAT(Names(CandidateRates({240, 1}, {60, 1})), testing::ElementsAre("60", "30"));
  EXPECT_THAT(Names(CandidateRates({60, 1}, {30, 1})), testing::ElementsAre("30"));
  EXPECT_THAT(Names(CandidateRates({144, 1}, {30, 1})), testing::ElementsAre("144/5")) << "the only way";
}

TEST(RecordingSizes, AreTheSourcesTwoThirdsAndHalfOfIt) {
  EXPECT_THAT(Names(RecordingSizes({1920, 1080})), testing::ElementsAre("1920x1080", "1280x720", "960x540"));
  EXPECT_THAT(Names(RecordingSizes({854, 480})), testing::ElementsAre("854x480", "570x320", "428x240"));
}

TEST(RecordingRates, AreAllOfTheSourcesPicturesOrEverySecondOne) {
  EXPECT_THAT(Names(RecordingRates({60, 1})), testing::ElementsAre("60", "30"));
  EXPECT_THAT(Names(RecordingRates({60000, 1001})), testing::ElementsAre("60000/1001", "30000/1001"));
  EXPECT_THAT(Names(RecordingRates({50, 1})), testing::ElementsAre("50", "25"));
  EXPECT_THAT(Names(RecordingRates({30, 1})), testing::ElementsAre("30")) << "15 are none to keep";
}

TEST(CandidateRates, OfNtscAreItsKin) {
  EXPECT_THAT(RatesOf({60000, 1001}), testing::ElementsAre("60000/1001", "30000/1001"));
}

}  // namespace
}  // namespace kettle
