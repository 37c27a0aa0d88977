// SPDX-License-Identifier: Apache-2.0
#include "report/trial_csv.h"

#include "support.h"

namespace kettle {
namespace {

Trial DoneTrial() {
  Trial trial;
  trial.settings = test::SmallSettings();
  trial.footage = "a \"quick\" turn, twice";
  trial.device = "gpu";
  trial.simulated = true;
  trial.status = WorkerStatus::kDone;
  trial.frames = 60;
  trial.throughput_fps = 120.256;
  trial.quality = Quality{.frames = 60, .psnr_y_db = 40.1234, .ssim_y = 0.987654};
  return trial;
}

std::vector<std::string> Lines(const std::string& text) {
  std::vector<std::string> lines;
  std::istringstream stream(text);
  for (std::string line; std::getline(stream, line);) lines.push_back(line);
  return lines;
}

TEST(TrialCsv, OneRowATrialUnderTheHeader) {
  const auto lines = Lines(TrialCsv({DoneTrial(), DoneTrial()}));
  ASSERT_EQ(lines.size(), 3u);
  EXPECT_THAT(lines[0], testing::StartsWith("trial,encoder,preset,device,device_index,simulated,footage,"));
  EXPECT_THAT(lines[1], testing::StartsWith(DoneTrial().id() +
                                            ",x264,ultrafast,gpu,0,true,\"a \"\"quick\"\" turn, twice\",192x128,25,"));
  EXPECT_THAT(lines[1], testing::HasSubstr(",120.26,"));
  EXPECT_THAT(lines[1], testing::HasSubstr(",0.98765,"));
  EXPECT_THAT(lines[1], testing::HasSubstr(",40.123,"));
}

TEST(TrialCsv, AFailedTrialHasEmptyFigures) {
  Trial failed = DoneTrial();
  failed.status = WorkerStatus::kCrashed;
  failed.detail = "signal 11";
  failed.footage = "x";
  const auto lines = Lines(TrialCsv({failed}));
  EXPECT_EQ(std::count(lines[1].begin(), lines[1].end(), ','), std::count(lines[0].begin(), lines[0].end(), ','));
  EXPECT_THAT(lines[1], testing::HasSubstr(",crashed,signal 11,,,"));
}

TEST(TrialCsv, NoTrialsIsAHeader) { EXPECT_EQ(Lines(TrialCsv({})).size(), 1u); }

}  // namespace
}  // namespace kettle
