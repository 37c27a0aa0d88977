// SPDX-License-Identifier: Apache-2.0
// libavcodec's own h264_nvenc on the stand-in driver. One process, one driver: the tests share a profile.
#include <chrono>
#include <nlohmann/json.hpp>
#include <thread>

#include "channel.h"
#include "encoders/bitstream.h"
#include "encoders/prove_settings.h"
#include "kettle/device/nvidia.h"
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
session_limit = 2
[device.h264]
b_frames = 4
max_width = 1024
max_height = 1024
[device.hevc]
b_frames = 3
ten_bit = true
[device.av1]
ten_bit = true
[device.compute]
look_ahead = 50
[device.megapixels_per_second]
p1 = 400
p2 = 350
p3 = 300
p4 = 250
p5 = 200
p6 = 150
p7 = 100
[[device]]
name = "Old card (simulated)"
session_limit = 1
[device.hevc]
[device.megapixels_per_second]
p1 = 100
p2 = 90
p3 = 80
p4 = 70
p5 = 60
p6 = 50
p7 = 40
)toml";

class DriverTest : public test::FolderTest {
 protected:
  static void SetUpTestSuite() {
    folder_ = new TemporaryFolder(std::filesystem::temp_directory_path());
    profile_ = folder_->path() / "card.toml";
    std::ofstream(profile_) << kProfile << "# " << getpid() << "\n";  // a device of this run's own
    PreloadStandInGpu({profile_, {"0000:01:00.0", "0000:02:00.0"}, {}, KETTLE_DRIVERS});
  }
  static void TearDownTestSuite() { delete folder_; }

  static EncodeSettings Settings(const std::string& preset) { return test::SmallSettings("nvenc-h264", preset); }

  Quality EncodeAndCompare(const std::string& preset, double kbps = 400) {
    EncodeTask task;
    task.settings = Settings(preset);
    task.settings.bit_rate = task.settings.maximum_bit_rate = BitRate::FromKbps(kbps);
    task.footage = test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 50);
    task.output = path("out.mkv").string();
    outcome_ = RunUnpaced(task, clock_, [](double) {});
    return RunQuality({task.footage, task.output, {25, 1}, 50, {}}, [](double) {}).quality;
  }

  static TemporaryFolder* folder_;
  static std::filesystem::path profile_;
  SteadyClock clock_;
  EncodeOutcome outcome_;
};
TemporaryFolder* DriverTest::folder_ = nullptr;
std::filesystem::path DriverTest::profile_;

TEST_F(DriverTest, MakesRealDecodableH264) {
  const Quality quality = EncodeAndCompare("p4");
  EXPECT_EQ(outcome_.frames, 50);
  EXPECT_EQ(outcome_.b_frames, 0);
  EXPECT_EQ(outcome_.device_name, "Test card (simulated)");
  EXPECT_EQ(quality.frames, 50);
  EXPECT_GT(quality.psnr_y_db, 20);
}

TEST_F(DriverTest, SlowerPresetsLookBetter) {
  EXPECT_GT(EncodeAndCompare("p7", 100).ssim_y, EncodeAndCompare("p1", 100).ssim_y);
}

TEST_F(DriverTest, TheEngineTakesTheProfilesTime) {
  EncodeAndCompare("p7");
  // 50 pictures of 192x128 at 100 megapixels a second: no faster than that, however fast the machine.
  EXPECT_GE(outcome_.seconds, 50 * 192 * 128 / 100e6);
}

TEST_F(DriverTest, OneSessionTooManyIsRefusedWithTheReason) {
  const Encoder first(ConfigFor(Settings("p1")));
  {
    const Encoder second(ConfigFor(Settings("p1")));
    const ProbeOutcome third = RunProbe({Settings("p1")});
    EXPECT_FALSE(third.works);
    EXPECT_THAT(third.reason, testing::StartsWith("session limit reached"));
  }
  EXPECT_TRUE(RunProbe({Settings("p1")}).works) << "the place was not given back";
}

TEST_F(DriverTest, APictureAboveTheLimitIsRefused) {
  EncodeSettings large = Settings("p1");
  large.size = {2048, 1024};
  EXPECT_FALSE(RunProbe({large}).works);
}

TEST_F(DriverTest, EverySettingOfEachCodecIsInTheBitstream) {
  test::ProveSettings(FindFamily("nvenc-h264"));
  test::ProveSettings(FindFamily("nvenc-hevc"));
  if (test::HasEncoder("av1_nvenc")) test::ProveSettings(FindFamily("nvenc-av1"), {.b_frames = false});
}

TEST_F(DriverTest, Av1DecodesToWhatWentInWhereTheLibraryReachesIt) {
  EncodeTask task;
  task.settings = test::SmallSettings("nvenc-av1", "p4");
  const ProbeOutcome probe = RunProbe({task.settings});
  if (!test::HasEncoder("av1_nvenc")) {
    EXPECT_THAT(probe.reason, testing::HasSubstr("too old"));
    return;
  }
  EXPECT_TRUE(probe.works) << probe.reason;
  for (const int depth : {8, 10}) {
    task.settings.bit_depth = depth;
    task.footage = test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 50);
    task.output = path("out.mkv").string();
    EXPECT_EQ(RunUnpaced(task, clock_, [](double) {}).frames, 50);
    const Quality quality = RunQuality({task.footage, task.output, {25, 1}, 50, {}}, [](double) {}).quality;
    EXPECT_EQ(quality.frames, 50) << depth;
    EXPECT_GT(quality.worst_frame_psnr_y_db, 20) << depth;
  }
  EXPECT_TRUE(test::EncodeStream(task.settings, 30).text().find("simulated GPU: p4") != std::string::npos);
  task.settings.device = 1;
  EXPECT_THAT(RunProbe({task.settings}).reason, testing::HasSubstr("cannot encode that codec"));
}

TEST_F(DriverTest, EveryStreamSaysWhatMadeItAndWhatWasAsked) {
  EncodeSettings settings = Settings("p4");
  settings.look_ahead_frames = 8;
  settings.adaptive_quantisation = true;
  settings.multi_pass = true;
  settings.b_frames = 2;
  for (const char* encoder : {"nvenc-h264", "nvenc-hevc"}) {
    settings.encoder = encoder;
    const std::string text = test::EncodeStream(settings, 30).text();
    EXPECT_TRUE(text.find("simulated GPU: p4 b-frames=2 look-ahead=8 aq=1 multi-pass=1") != std::string::npos)
        << encoder;
  }
}

TEST_F(DriverTest, HevcWithBFramesAndTenBitDecodesToWhatWentIn) {
  EncodeTask task;
  task.settings = test::SmallSettings("nvenc-hevc", "p5");
  task.settings.b_frames = 2;
  task.settings.bit_depth = 10;
  task.footage = test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 50);
  task.output = path("out.mkv").string();
  EXPECT_EQ(RunUnpaced(task, clock_, [](double) {}).b_frames, 2);
  const Quality quality = RunQuality({task.footage, task.output, {25, 1}, 50, {}}, [](double) {}).quality;
  EXPECT_EQ(quality.frames, 50);
  EXPECT_GT(quality.worst_frame_psnr_y_db, 20);
}

TEST_F(DriverTest, AnOlderGenerationRefusesWhatItLacksInWords) {
  EncodeSettings settings = test::SmallSettings("nvenc-hevc", "p1");
  settings.device = 1;
  const ProbeOutcome plain = RunProbe({settings});
  EXPECT_TRUE(plain.works) << plain.reason;
  EXPECT_EQ(plain.device_name, "Old card (simulated)");
  settings.b_frames = 2;
  EXPECT_THAT(RunProbe({settings}).reason, testing::HasSubstr("B-frames"));
  settings.b_frames.reset();
  settings.bit_depth = 10;
  EXPECT_THAT(RunProbe({settings}).reason, testing::HasSubstr("no 10-bit"));
  settings.bit_depth = 8;
  settings.chroma = Chroma::k444;
  EXPECT_THAT(RunProbe({settings}).reason, testing::HasSubstr("no 4:4:4"));
}

TEST_F(DriverTest, LimitsAreFoundByTrying) {
  const LimitsOutcome first = RunLimits({Settings("p1")});
  EXPECT_EQ(first.at_once, 2);
  EXPECT_FALSE(first.more_at_once);
  EXPECT_TRUE(first.b_frames);
  EXPECT_FALSE(first.ten_bit);
  EXPECT_LE(first.largest.width, 1024);
  EncodeSettings old = test::SmallSettings("nvenc-hevc", "p1");
  old.device = 1;
  const LimitsOutcome second = RunLimits({old});
  EXPECT_EQ(second.at_once, 1);
  EXPECT_FALSE(second.b_frames);
  EXPECT_EQ(second.largest, (FrameSize{4096, 4096}));
}

TEST_F(DriverTest, TheManagementLibraryNamesTheCardsAndTheirSessions) {
  const Encoder open(ConfigFor(Settings("p1")));
  const std::vector<NvidiaDevice> devices = ReadNvidia();
  ASSERT_EQ(devices.size(), 2u);
  EXPECT_EQ(devices[0].name, "Test card (simulated)");
  EXPECT_EQ(devices[1].name, "Old card (simulated)");
  EXPECT_EQ(devices[0].driver_version, "9.9 (simulated)");
  EXPECT_EQ(devices[0].encode_sessions, 1);
  EXPECT_EQ(devices[1].encode_sessions, 0);
}

TEST_F(DriverTest, TheDeviceGoesWhenNobodyUsesIt) {
  EXPECT_TRUE(RunProbe({Settings("p1")}).works);
  const std::string address = standin::DeviceAddress(profile_);
  bool gone = false;
  for (int i = 0; i < 600 && !gone; ++i) {
    // Asking is using: leave it alone for longer than it lingers.
    std::this_thread::sleep_for(std::chrono::milliseconds(2500));
    gone = !standin::Connect(address);
  }
  EXPECT_TRUE(gone);
}

}  // namespace
}  // namespace kettle
