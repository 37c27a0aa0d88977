// SPDX-License-Identifier: Apache-2.0
// libavcodec's own h264_nvenc on the stand-in driver. One process, one driver: the tests share a profile.
#include <chrono>
#include <nlohmann/json.hpp>
#include <thread>

#include "channel.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/encoders/driver_preload.h"
#include "kettle/media/encoder.h"
#include "kettle/trial/quality_run.h"
#include "kettle/trial/unpaced.h"
#include "support.h"

namespace kettle {
namespace {

constexpr const char* kProfile = R"toml(name = "Test card (simulated)"
session_limit = 2
max_width = 1024
max_height = 1024
[megapixels_per_second]
p1 = 400
p2 = 350
p3 = 300
p4 = 250
p5 = 200
p6 = 150
p7 = 100
)toml";

class DriverTest : public test::FolderTest {
 protected:
  static void SetUpTestSuite() {
    folder_ = new TemporaryFolder(std::filesystem::temp_directory_path());
    profile_ = folder_->path() / "card.toml";
    std::ofstream(profile_) << kProfile << "# " << getpid() << "\n";  // a device of this run's own
    PreloadStandInGpu(KETTLE_DRIVERS, profile_);
  }
  static void TearDownTestSuite() { delete folder_; }

  static EncodeSettings Settings(const std::string& preset) { return test::SmallSettings("nvenc-h264", preset); }

  Quality EncodeAndCompare(const std::string& preset) {
    EncodeTask task;
    task.settings = Settings(preset);
    task.footage = test::MakeY4m(path("source.y4m"), {192, 128}, {25, 1}, 50);
    task.output = path("out.mkv").string();
    outcome_ = RunUnpaced(task, clock_, [](double) {});
    return RunQuality({task.footage, task.output, {25, 1}, 50}, [](double) {});
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

TEST_F(DriverTest, SlowerPresetsLookBetter) { EXPECT_GT(EncodeAndCompare("p7").ssim_y, EncodeAndCompare("p1").ssim_y); }

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
