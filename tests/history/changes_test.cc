// SPDX-License-Identifier: Apache-2.0
#include "kettle/history/changes.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "report/sentence.h"

namespace kettle {
namespace {

using testing::ElementsAre;
using testing::IsEmpty;

std::vector<std::string> Told(const Circumstances& before, const Circumstances& after) {
  std::vector<std::string> told;
  for (const Message& change : WhatChanged(before, after)) told.push_back(Sentence(change));
  return told;
}

TEST(WhatChanged, NothingIfAllIsAsItWas) {
  const Circumstances same{{"kernel", {"6.1.0-28"}},
                           {"library", {"libx264.so.164 build aa", "libx265.so.199 build bb"}}};
  EXPECT_THAT(Told(same, same), IsEmpty());
}

TEST(WhatChanged, ALibraryIsKnownByItsNameWhateverItsVersion) {
  EXPECT_THAT(Told({{"library", {"libavcodec 59.37.100", "libx264.so.164 build aa"}}},
                   {{"library", {"libavcodec 61.3.100", "libx264.so.165 build cc"}}}),
              ElementsAre("libavcodec 59.37.100 became libavcodec 61.3.100", "libx264.so.164 became libx264.so.165"));
  EXPECT_THAT(Told({{"library", {"libx264.so.164 build aa"}}}, {{"library", {"libx264.so.164 build cc"}}}),
              ElementsAre("another build of libx264.so.164"));
}

TEST(WhatChanged, WhatCameAndWhatIsGone) {
  EXPECT_THAT(Told({{"driver", {"nvidia 535.54", "iHD_drv_video.so 4711 133800"}}}, {{"driver", {"nvidia 550.1"}}}),
              ElementsAre("nvidia 535.54 became nvidia 550.1", "gone: iHD_drv_video.so"));
  EXPECT_THAT(Told({{"graphics card", {}}}, {{"graphics card", {"Foghorn 7"}}}), ElementsAre("new: Foghorn 7"));
}

TEST(WhatChanged, ADriversFileIsTheSameFileOnlyWithItsSizeAndTime) {
  EXPECT_THAT(Told({{"driver", {"iHD_drv_video.so 4711 133800"}}}, {{"driver", {"iHD_drv_video.so 4711 133900"}}}),
              ElementsAre("another build of iHD_drv_video.so"));
}

TEST(WhatChanged, OneOfAKindIsComparedWhateverItIsCalled) {
  EXPECT_THAT(Told({{"kernel", {"6.1.0-28-amd64"}}, {"line", {"9900 kbit/s of upload"}}},
                   {{"kernel", {"6.12.9-rt"}}, {"line", {"8100 kbit/s of upload"}}}),
              ElementsAre("6.1.0-28-amd64 became 6.12.9-rt", "9900 kbit/s of upload became 8100 kbit/s of upload"));
}

TEST(WhatChanged, WhatOneRunDoesNotTellIsNoChange) {
  EXPECT_THAT(Told({{"line", {"9900 kbit/s of upload"}}}, {{"kernel", {"6.1"}}}), IsEmpty());
}

TEST(NameWithoutVersion, EndsWhereTheVersionBegins) {
  EXPECT_EQ(NameWithoutVersion("libx264.so.164 build 4d5b8f1c"), "libx264");
  EXPECT_EQ(NameWithoutVersion("libavcodec 59.37.100"), "libavcodec");
  EXPECT_EQ(NameWithoutVersion("nvidia 535.54"), "nvidia");
  EXPECT_EQ(NameWithoutVersion("fast-kettle 0.9"), "fast-kettle");
  EXPECT_EQ(NameWithoutVersion(""), "");
}

}  // namespace
}  // namespace kettle
