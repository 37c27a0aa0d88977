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
  EXPECT_THAT(Names(CandidateSizes({1920, 1080})), testing::ElementsAre("1920x1080", "1728x972", "1600x900", "1536x864",
                                                                        "1344x756", "1280x720", "1152x648", "960x540"));
}

TEST(CandidateSizes, KeepShapeAndEvenSides) {
  for (const FrameSize source : {FrameSize{1280, 720}, {2560, 1080}, {1080, 1920}, {854, 480}, {66, 64}}) {
    const auto sizes = CandidateSizes(source);
    EXPECT_EQ(sizes.front(), source);
    for (const FrameSize size : sizes) {
      EXPECT_EQ(size.width % 2 + size.height % 2, 0) << size.str();
      EXPECT_LE(size.height, source.height);
      EXPECT_GE(size.height * 2 + 2, source.height);
      EXPECT_NEAR(static_cast<double>(size.width) / size.height, static_cast<double>(source.width) / source.height,
                  0.02 * source.width / source.height)
          << size.str();
    }
  }
}

TEST(CandidateRates, AreTheSourcesOwnDividedByWholeNumbers) {
  EXPECT_THAT(Names(CandidateRates({60, 1})), testing::ElementsAre("60", "30", "20"));
  EXPECT_THAT(Names(CandidateRates({50, 1})), testing::ElementsAre("50", "25"));
  EXPECT_THAT(Names(CandidateRates({30, 1})), testing::ElementsAre("30", "15"));
  EXPECT_THAT(Names(CandidateRates({20, 1})), testing::ElementsAre("20"));
  EXPECT_THAT(Names(CandidateRates({12, 1})), testing::ElementsAre("12"));
  EXPECT_THAT(Names(CandidateRates({144, 1})), testing::ElementsAre("144", "72", "48", "24", "16"));
  EXPECT_THAT(Names(CandidateRates({240, 1})), testing::ElementsAre("240", "120", "80", "60", "30", "20"));
  EXPECT_THAT(Names(CandidateRates({165, 1})), testing::ElementsAre("165", "55"));
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
  EXPECT_THAT(Names(CandidateRates({60000, 1001})), testing::ElementsAre("60000/1001", "30000/1001", "20000/1001"));
}

}  // namespace
}  // namespace kettle
