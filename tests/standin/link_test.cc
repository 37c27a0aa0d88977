// SPDX-License-Identifier: Apache-2.0
// The stand-in ingest's shaped link.
#include "link.h"

#include <chrono>

#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using testing::HasSubstr;

class LinkTest : public test::FolderTest {};

TEST_F(LinkTest, IsReadWithTraceAndOutages) {
  Put("evening.csv", "0,3000\n1,4000\n2,5000\n");
  const auto shape = standin::LinkShape::Read(
      Put("link.toml", "trace = \"evening.csv\"\ndelay_ms = 20\noutages = [{from = 1.5, seconds = 1}]\n"));
  EXPECT_EQ(shape.delay_ms, 20);
  EXPECT_EQ(shape.line.PerSecond()[1], 2000) << "half of it is out";
  EXPECT_EQ(shape.line.points().back().kbps, 5000) << "and it comes back";
  EXPECT_THAT(Complaint(Fault::kInput, [&] { standin::LinkShape::Read(Put("bad.toml", "delay_ms = 5\n")); }),
              HasSubstr("rate or trace"));
  EXPECT_THAT(Complaint(Fault::kInput, [&] { standin::LinkShape::Read(Put("bad.toml", "rate = \"3000\"\n")); }),
              HasSubstr("bad.toml:1"));
}

TEST_F(LinkTest, CarriesNoMoreThanItsRate) {
  standin::Link link({LineTrace::Steady(8000, 1), 30, 0});
  const auto first = link.Carry(2'000'000), second = link.Carry(2'000'000);
  const auto ms = [](auto duration) { return std::chrono::duration<double, std::milli>(duration).count(); };
  EXPECT_NEAR(ms(second.through - first.through), 2000, 0.01) << "2 MB at 1 kB a millisecond";
  EXPECT_NEAR(ms(first.arrives - first.through), 30, 0.01);
}

}  // namespace
}  // namespace kettle
