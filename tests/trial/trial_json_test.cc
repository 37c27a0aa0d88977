// SPDX-License-Identifier: Apache-2.0
#include <nlohmann/json.hpp>

#include "kettle/trial/trial.h"
#include "support.h"

namespace kettle {
namespace {

TEST(TrialJson, SurvivesTheRoundTrip) {
  Trial trial;
  trial.settings = test::SmallSettings();
  trial.footage = "open-water";
  trial.footage_key = "open-water-1";
  trial.device = "gpu";
  trial.device_name = "Tidewater";
  trial.simulated = true;
  trial.status = WorkerStatus::kDone;
  trial.frames = 120;
  trial.throughput_fps = 123.5;
  trial.headroom = 0.5;
  trial.latency = {1, 2, 3};
  trial.quality =
      Quality{.viewing_size = {640, 360}, .frames = 120, .psnr_y_db = 40, .ssim_y = 0.98, .ms_ssim_y = 0.97};
  trial.repeats = {{123.5, 1.5, 0.1, 0.2, 0, "wake"}};
  trial.interval = 0.02;
  trial.slow_down = SlowDown{40, 9.5};
  trial.driver_words = "mind the tide";
  const nlohmann::json once = trial;
  const nlohmann::json twice = once.get<Trial>();
  EXPECT_EQ(once, twice);
  EXPECT_EQ(once["simulated"], true);
}

TEST(TrialJson, AFailedTrialHasNoFigures) {
  Trial trial;
  trial.settings = test::SmallSettings();
  trial.status = WorkerStatus::kTimedOut;
  trial.detail = "no answer for 15 s";
  const nlohmann::json json = trial;
  EXPECT_FALSE(json.contains("throughput_fps"));
  EXPECT_EQ(json.get<Trial>().status, WorkerStatus::kTimedOut);
  EXPECT_EQ(json.get<Trial>().detail, "no answer for 15 s");
}

TEST(TrialJson, ReferenceEncodesComeBackAndThoseOfNoMachineAreRefused) {
  Trial trial;
  trial.settings = test::SmallSettings();
  trial.status = WorkerStatus::kDone;
  trial.repeats = {{.throughput_fps = 100, .began = 1e9, .before = ReferenceLook{0.1, 0.2}}};
  nlohmann::json json = trial;
  const Repeat read = json.get<Trial>().repeats.front();
  ASSERT_TRUE(read.before);
  EXPECT_EQ(read.before->cpu_seconds, 0.2);
  EXPECT_FALSE(read.after);
  for (const double seconds : {0.0, -1.0, 1e300}) {
    json["repeats"][0]["before"]["wall_seconds"] = seconds;
    EXPECT_THROW(json.get<Trial>(), nlohmann::json::exception) << seconds;
  }
  for (const char* key : {"began", "before", "after"}) json["repeats"][0].erase(key);
  EXPECT_FALSE(json.get<Trial>().repeats.front().before) << "a file from before there were any";
}

}  // namespace
}  // namespace kettle
