// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/strip.h"

#include <nlohmann/json.hpp>

#include "kettle/task/unpaced.h"
#include "support.h"

namespace kettle {
namespace {

class StripTest : public test::FolderTest {
 protected:
  std::string Encode(const std::string& name, double kbps, FrameSize size) {
    EncodeTask task;
    task.settings = test::SmallSettings("x264", "medium");
    task.settings.size = size;
    task.settings.bit_rate = task.settings.maximum_bit_rate = BitRate::FromKbps(kbps);
    task.footage = path("source.y4m").string();
    task.output = path(name).string();
    RunUnpaced(task, SteadyClock(), [](double) {});
    return task.output;
  }
};

TEST_F(StripTest, ShowsTheWorstMomentWholeAndEnlarged) {
  const LibavLog quiet;
  test::MakeY4m(path("source.y4m"), {640, 360}, {25, 1}, 50);
  const StripTask task{path("source.y4m").string(),
                       {Encode("a.mkv", 150, {320, 180}), Encode("b.mkv", 4000, {640, 360})},
                       {{25, 1}, {25, 1}},
                       {640, 360},
                       25,
                       25,
                       path("").string()};
  const StripOutcome strip = RunStrip(nlohmann::json(task).get<StripTask>(), [](double) {});
  ASSERT_EQ(strip.rows.size(), 3u);
  EXPECT_FALSE(strip.rows[0].enlarged);
  EXPECT_TRUE(strip.rows[1].enlarged);
  EXPECT_EQ(strip.rows[0].frame, strip.rows[1].frame);
  EXPECT_NE(strip.rows[2].frame, strip.rows[1].frame);
  EXPECT_LE(strip.crop_left + strip.crop.width, 640);
  EXPECT_LE(strip.crop_top + strip.crop.height, 360);
  for (const StripRow& row : strip.rows) {
    EXPECT_GE(row.frame, 25);
    ASSERT_EQ(row.cells.size(), 3u);
    EXPECT_GT(row.cells[2].psnr_y_db, row.cells[1].psnr_y_db) << "more bits look better";
    for (const StripCell& cell : row.cells)
      EXPECT_EQ(Get(cell.file).size(), static_cast<std::size_t>(cell.size.pixels() * 3));
  }
}

}  // namespace
}  // namespace kettle
