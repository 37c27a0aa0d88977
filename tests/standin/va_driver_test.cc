// SPDX-License-Identifier: Apache-2.0
// libavcodec's own h264_vaapi on the stand-in libva, which this program's library path puts before the real one.
#include <nlohmann/json.hpp>

#include "encoders/bitstream.h"
#include "encoders/prove_settings.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/media/encoder.h"
#include "kettle/task/probe.h"
#include "kettle/task/quality_run.h"
#include "kettle/task/unpaced.h"
#include "kettle/worker/driver_preload.h"
#include "support.h"

namespace kettle {
namespace {

constexpr const char* kProfile = R"toml(driver_version = "9.9 (simulated)"
[[device]]
name = "Test card (simulated)"
interface = "vaapi"
session_limit = 2
[device.h264]
max_width = 1024
max_height = 1024
[device.hevc]
ten_bit = true
[device.av1]
ten_bit = true
[device.megapixels_per_second]
p1 = 400
p2 = 350
p3 = 300
p4 = 250
p5 = 200
p6 = 150
p7 = 100
[[device]]
name = "Low-power card (simulated)"
interface = "vaapi"
low_power = true
packed_headers = false
session_limit = 1
[device.h264]
b_frames = 2
[device.megapixels_per_second]
p1 = 100
p2 = 90
p3 = 80
p4 = 70
p5 = 60
p6 = 50
p7 = 40
[[device]]
name = "Card that is lost (simulated)"
interface = "vaapi"
[device.megapixels_per_second]
p1 = 100
p2 = 90
p3 = 80
p4 = 70
p5 = 60
p6 = 50
p7 = 40
[[fault]]
kind = "lost"
device = 2
session = 1
frame = 5
)toml";

class VaDriverTest : public test::FolderTest {
 protected:
  static void SetUpTestSuite() {
    folder_ = new TemporaryFolder(std::filesystem::temp_directory_path());
    const std::filesystem::path profile = folder_->path() / "card.toml";
    std::ofstream(profile) << kProfile << "# " << getpid() << "\n";  // a device of this run's own
    PreloadStandInGpu({profile, {}, {"0000:01:00.0", "0000:02:00.0", "0000:03:00.0"}, KETTLE_DRIVERS});
  }
  static void TearDownTestSuite() { delete folder_; }

  static EncodeSettings Settings(const std::string& preset) { return test::SmallSettings("vaapi-h264", preset); }

  Quality EncodeAndCompare(const EncodeSettings& settings) {
    EncodeTask task;
    task.settings = settings;
    task.footage = test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 50);
    task.output = path("out.mkv").string();
    outcome_ = RunUnpaced(task, clock_, [](double) {});
    return RunQuality({task.footage, task.output, {25, 1}, 50, {}}, [](double) {}).quality;
  }

  static TemporaryFolder* folder_;
  SteadyClock clock_;
  EncodeOutcome outcome_;
};
TemporaryFolder* VaDriverTest::folder_ = nullptr;

TEST_F(VaDriverTest, MakesRealDecodableH264) {
  for (const char* preset : {"7", "4", "1"}) {
    const Quality quality = EncodeAndCompare(Settings(preset));
    EXPECT_EQ(outcome_.frames, 50);
    EXPECT_EQ(outcome_.b_frames, 0);
    EXPECT_EQ(quality.frames, 50);
    EXPECT_GT(quality.worst_frame_psnr_y_db, 20) << preset;
  }
}

TEST_F(VaDriverTest, SlowerPresetsLookBetter) {
  EncodeSettings fast = Settings("7"), slow = Settings("1");
  for (EncodeSettings* settings : {&fast, &slow})
    settings->bit_rate = settings->maximum_bit_rate = BitRate::FromKbps(100);
  EXPECT_GT(EncodeAndCompare(slow).ssim_y, EncodeAndCompare(fast).ssim_y);
}

// Its slices go with the parameter sets that libavcodec wrote: as CAVLC and CABAC, with and without the 8x8 transform.
TEST_F(VaDriverTest, EveryProfileDecodesToWhatWentIn) {
  for (const Profile& profile : FindFamily("vaapi-h264").profiles) {
    EncodeSettings settings = Settings("4");
    settings.profile = profile.name;
    EXPECT_GT(EncodeAndCompare(settings).worst_frame_psnr_y_db, 20) << profile.name;
  }
}

TEST_F(VaDriverTest, EverySettingOfEachCodecIsInTheBitstream) {
  test::ProveSettings(FindFamily("vaapi-h264"), {.b_frames = false});
  test::ProveSettings(FindFamily("vaapi-hevc"), {.b_frames = false});
  if (test::HasEncoder("av1_vaapi")) test::ProveSettings(FindFamily("vaapi-av1"), {.b_frames = false});
}

TEST_F(VaDriverTest, Av1DecodesToWhatWentInWhereTheLibraryReachesIt) {
  EncodeSettings settings = test::SmallSettings("vaapi-av1", "4");
  if (!test::HasEncoder("av1_vaapi")) {
    EXPECT_THAT(RunProbe({settings}).reason, testing::HasSubstr("too old"));
    return;
  }
  for (const int depth : {8, 10}) {
    settings.bit_depth = depth;
    EXPECT_GT(EncodeAndCompare(settings).worst_frame_psnr_y_db, 20) << depth;
    EXPECT_EQ(outcome_.frames, 50);
  }
  settings.device = 1;
  EXPECT_THAT(RunProbe({settings}).reason, testing::HasSubstr("cannot encode that codec"));
}

TEST_F(VaDriverTest, HevcWithTenBitDecodesToWhatWentIn) {
  EncodeSettings settings = test::SmallSettings("vaapi-hevc", "4");
  EXPECT_GT(EncodeAndCompare(settings).worst_frame_psnr_y_db, 20);
  settings.bit_depth = 10;
  EXPECT_GT(EncodeAndCompare(settings).worst_frame_psnr_y_db, 20);
}

TEST_F(VaDriverTest, ACardIsKnownByWhereItSits) {
  EncodeSettings settings = Settings("7");
  EXPECT_EQ(RunProbe({settings}).bus_address, "0000:01:00.0");
  EXPECT_EQ(RunProbe({settings}).device_name, "Test card (simulated), driver 9.9 (simulated)");
  settings.device = 1;
  EXPECT_EQ(RunProbe({settings}).bus_address, "0000:02:00.0");
}

TEST_F(VaDriverTest, EveryStreamSaysWhatMadeIt) {
  const std::string text = test::EncodeStream(Settings("4"), 30).text();
  EXPECT_TRUE(text.find("simulated GPU: p4") != std::string::npos);
}

TEST_F(VaDriverTest, OneSessionTooManyIsRefusedWithTheReason) {
  const Encoder first(ConfigFor(Settings("7")));
  {
    const Encoder second(ConfigFor(Settings("7")));
    const ProbeOutcome third = RunProbe({Settings("7")});
    EXPECT_FALSE(third.works);
    EXPECT_THAT(third.reason, testing::StartsWith("session limit reached"));
  }
  EXPECT_TRUE(RunProbe({Settings("7")}).works) << "the place was not given back";
}

TEST_F(VaDriverTest, WhatACardLacksIsRefusedInWords) {
  EncodeSettings large = Settings("7");
  large.size = {2048, 1024};
  EXPECT_FALSE(RunProbe({large}).works);
  EncodeSettings second = test::SmallSettings("vaapi-hevc", "7");
  second.device = 1;
  const ProbeOutcome hevc = RunProbe({second});
  EXPECT_THAT(hevc.reason, testing::HasSubstr("cannot encode"));
}

TEST_F(VaDriverTest, ALowPowerCardThatWritesItsOwnHeadersWorks) {
  EncodeSettings settings = Settings("4");
  settings.device = 1;
  EXPECT_GT(EncodeAndCompare(settings).worst_frame_psnr_y_db, 20);
  EXPECT_EQ(test::EncodeStream(settings, 3).First("colour_primaries"), 1) << "written into what the driver left out";
}

TEST_F(VaDriverTest, BFramesAreInTheBitstreamAndDecodeToWhatWentIn) {
  EncodeSettings settings = Settings("4");
  settings.device = 1;
  test::ProveBFrames(settings);
  for (int b_frames = 1; b_frames <= 2; ++b_frames) {
    SCOPED_TRACE(b_frames);
    settings.b_frames = b_frames;
    settings.keyframe_seconds = 0.4;  // every ten frames: a keyframe comes after fewer B-frames than usual
    const Quality quality = EncodeAndCompare(settings);
    EXPECT_EQ(outcome_.b_frames, b_frames);
    EXPECT_EQ(outcome_.frames, 50);
    EXPECT_EQ(quality.frames, 50);
    EXPECT_GT(quality.worst_frame_psnr_y_db, 20);
  }
  settings.b_frames = 3;
  EXPECT_FALSE(RunProbe({settings}).works) << "more than the card has";
}

TEST_F(VaDriverTest, ACardThatIsLostIsSaidSo) {
  EncodeSettings settings = Settings("4");
  settings.device = 2;
  const LibavLog log;  // as in a worker: it has the reason
  try {
    test::EncodeStream(settings, 30);
    FAIL() << "it should be lost at its fifth picture";
  } catch (const Error& error) {
    EXPECT_THAT(Reason(FindFamily("vaapi-h264"), error.what()), testing::HasSubstr("the GPU was lost"));
  }
}

}  // namespace
}  // namespace kettle
