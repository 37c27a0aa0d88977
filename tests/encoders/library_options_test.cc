// SPDX-License-Identifier: Apache-2.0
#include "kettle/encoders/library_options.h"

#include "support.h"

namespace kettle {
namespace {

TEST(OptionsOfLibrary, SpeakTheLibrarysWords) {
  EncodeSettings settings = test::SmallSettings("x264", "veryfast");
  settings.b_frames = 2;
  const LibraryOptions x264 = OptionsOfLibrary(settings);
  EXPECT_EQ(x264.library, "x264");
  EXPECT_THAT(x264.options, testing::IsSupersetOf({std::pair<std::string, std::string>("preset", "veryfast"),
                                                   {"bitrate", "400"},
                                                   {"vbv-maxrate", "400"},
                                                   {"vbv-bufsize", "400"},
                                                   {"keyint", "50"},
                                                   {"bframes", "2"}}));
  EXPECT_EQ(x264.options.front().first, "preset") << "it sets others";
  const LibraryOptions nvenc = OptionsOfLibrary(test::SmallSettings("nvenc-h264", "p4"));
  EXPECT_EQ(nvenc.library, "libavcodec h264_nvenc");
  EXPECT_THAT(nvenc.options,
              testing::IsSupersetOf(
                  {std::pair<std::string, std::string>("preset", "p4"), {"b", "400000"}, {"rc", "cbr"}, {"g", "50"}}));
}

}  // namespace
}  // namespace kettle
