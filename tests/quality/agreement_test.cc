// SPDX-License-Identifier: Apache-2.0
// Our metrics against others' of the same name, on encodes of the three scenes.
#include <cstdio>
#include <sstream>

#include "kettle/footage/scene.h"
#include "kettle/media/reader.h"
#include "kettle/quality/comparison.h"
#include "kettle/quality/pooling.h"
#include "kettle/task/unpaced.h"
#include "quality/filter_pair.h"
#include "quality/python.h"
#include "support.h"

namespace kettle {
namespace {

class AgreementTest : public test::FolderTest, public testing::WithParamInterface<std::pair<const char*, FrameSize>> {
 protected:
  const FrameSize kSize = GetParam().second;
  const int kFrames = kSize.height > 400 ? 4 : 12;

  AgreementTest() {
    Y4mWriter writer(path("source.y4m"), kSize, {30, 1});
    const auto scene = MakeScene(GetParam().first, 1);
    for (int i = 0; i < kFrames; ++i) {
      const FramePtr picture = NewPicture(kSize);
      scene->Draw(0.3 + i / 30.0, *picture);
      writer.Write(*picture);
    }
    writer.Finish();
    EncodeTask task;
    task.settings = test::SmallSettings("x264", "veryfast");
    task.settings.size = kSize;
    task.settings.frame_rate = {30, 1};
    task.settings.bit_rate = task.settings.maximum_bit_rate = BitRate::FromKbps(700);
    task.footage = path("source.y4m").string();
    task.output = path("encoded.mkv").string();
    const LibavLog quiet;
    RunUnpaced(task, SteadyClock(), [](double) {});
    Y4mWriter decoded(path("decoded.y4m"), kSize, {30, 1});
    MediaReader reader(task.output);
    while (auto picture = reader.Next()) decoded.Write(*picture->frame);
    decoded.Finish();
  }

  std::vector<PictureMetrics> Ours(int threads) const {
    const Y4mFile source(path("source.y4m")), decoded(path("decoded.y4m"));
    Comparison comparison(threads, source.size(), source.size());
    for (int i = 0; i < kFrames; ++i) {
      const std::shared_ptr<const AVFrame> a(source.Frame(i).release(), LibavDeleter()),
          b(decoded.Frame(i).release(), LibavDeleter());
      comparison.Add(a, b, true);
    }
    return comparison.Finish();
  }
};

TEST_P(AgreementTest, PsnrAndSsimAreThoseOfTheFilters) {
  const auto ours = Ours(1);
  const auto theirs = test::MeasureWithFilters(path("source.y4m"), path("decoded.y4m"));
  ASSERT_EQ(theirs.size(), ours.size());
  for (std::size_t i = 0; i < ours.size(); ++i) {
    EXPECT_NEAR(PsnrDb(ours[i].mse_y), PsnrDb(theirs[i].mse_y), 1e-3) << i;
    EXPECT_NEAR(PsnrDb(ours[i].mse_u), PsnrDb(theirs[i].mse_u), 1e-3) << i;
    EXPECT_NEAR(PsnrDb(ours[i].mse_v), PsnrDb(theirs[i].mse_v), 1e-3) << i;
    EXPECT_NEAR(ours[i].ssim_y, theirs[i].ssim_y, 1e-4) << i;
  }
}

TEST_P(AgreementTest, MsSsimIsThatOfAnIndependentImplementation) {
  const auto ours = Ours(2);
  std::istringstream theirs(
      test::RunReference("ms-ssim " + path("source.y4m").string() + " " + path("decoded.y4m").string()));
  for (const PictureMetrics& metrics : ours) {
    double expected = 0;
    ASSERT_TRUE(theirs >> expected);
    EXPECT_NEAR(metrics.ms_ssim_y.value(), expected, 1e-4);
  }
}

TEST_P(AgreementTest, ThreadsChangeNothing) {
  const auto one = Ours(1), three = Ours(3);
  ASSERT_EQ(one.size(), three.size());
  for (std::size_t i = 0; i < one.size(); ++i) {
    EXPECT_EQ(one[i].ms_ssim_y, three[i].ms_ssim_y);
    EXPECT_EQ(one[i].blockiness, three[i].blockiness);
  }
}

INSTANTIATE_TEST_SUITE_P(Scenes, AgreementTest,
                         testing::Values(std::pair{"start-line", FrameSize{640, 362}},  // not a multiple of 4
                                         std::pair{"open-water", FrameSize{640, 362}},
                                         std::pair{"harbour", FrameSize{640, 362}},
                                         std::pair{"start-line", FrameSize{1280, 720}},
                                         std::pair{"harbour", FrameSize{1280, 720}}),
                         [](const auto& test) {
                           std::string name = test.param.first + test.param.second.str();
                           std::erase(name, '-');
                           return name;
                         });

}  // namespace
}  // namespace kettle
