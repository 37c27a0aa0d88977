// SPDX-License-Identifier: Apache-2.0
#include "kettle/line/line.h"

#include "says.h"
#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using testing::HasSubstr;

class LineTest : public test::FolderTest {
 protected:
  LineTrace Read(const std::string& text) { return LineTrace::Read(Put("line.csv", text)); }
  std::string Refused(const std::string& text) {
    return Complaint(Fault::kInput, [&] { Read(text); });
  }
};

TEST_F(LineTest, ReadsATraceWithOrWithoutAHeader) {
  for (const char* header : {"", "seconds,kbps\n", "# of an evening\n"}) {
    const LineTrace trace = Read(std::string(header) + "100,8000\n101,9000\n102,7000,more\n");
    ASSERT_EQ(trace.points().size(), 3u) << header;
    EXPECT_EQ(trace.points()[0].seconds, 0) << "times begin with the trace";
    EXPECT_EQ(trace.seconds(), 3) << "the last one lasts as long as the others";
    EXPECT_EQ(trace.PerSecond(), (std::vector<double>{8000, 9000, 7000}));
    EXPECT_TRUE(trace.notes().empty());
  }
}

TEST_F(LineTest, AGapIsBridgedWithTheLowerSideAndTold) {
  const LineTrace trace = Read("0,8000\n1,8000\n2,9000\n12,5000\n13,5000\n");
  EXPECT_THAT(trace.notes(), testing::ElementsAre(test::Says("from 3 to 12 s")));
  EXPECT_EQ(trace.PerSecond()[5], 5000);
  EXPECT_EQ(trace.PerSecond()[2], 9000) << "what was measured stays";
}

TEST_F(LineTest, AverageOverPartsOfASecond) {
  const LineTrace trace({{0, 1000}, {0.25, 5000}, {1.5, 3000}}, 2);
  EXPECT_EQ(trace.PerSecond(), (std::vector<double>{0.25 * 1000 + 0.75 * 5000, 4000}));
}

TEST_F(LineTest, WhatIsWrongIsToldWithItsLine) {
  EXPECT_THAT(Refused("0,8000\n1,-5\n"), HasSubstr("line.csv:2: a rate of -5"));
  EXPECT_THAT(Refused("0,8000\n-1,5\n"), HasSubstr(":2: the time -1 is negative"));
  EXPECT_THAT(Refused("0,8000\n1e47,5\n"), HasSubstr(":2: the time 1e+47 is more than a week"));
  EXPECT_THAT(Refused("0,8000\n2,8000\n1,8000\n"), HasSubstr(":3: the time 1 does not come after 2 on line 2"));
  EXPECT_THAT(Refused("seconds,kbps\n0,8000\n1,fast\n"), HasSubstr(":3: \"1,fast\" is not two numbers"));
  EXPECT_THAT(Refused("0,8000\n"), HasSubstr("two rows"));
  EXPECT_THAT(Refused("0,0\n1,0\n"), HasSubstr("never carried anything"));
  EXPECT_THAT(Refused("0,11.8\n1,9.9\n"), HasSubstr("11.8 Mbit/s is 11800"));
  EXPECT_THAT(Refused("0,118000000\n1,99000000\n"), HasSubstr("not bit/s"));
  EXPECT_THAT(Complaint(Fault::kInput, [&] { LineTrace::Read(path("none.csv")); }), HasSubstr("no such file"));
}

TEST(Readings, ThoseThatCanHardlyBeMeantAreQuestioned) {
  const auto kbps = [](double rate) { return BitRate::FromKbps(rate); };
  EXPECT_TRUE(QuestionReadings({kbps(11800), kbps(9900)}).empty());
  EXPECT_THAT(QuestionReadings({kbps(300)}), testing::ElementsAre(test::Says("kB/s")));
  EXPECT_THAT(QuestionReadings({kbps(11800), kbps(1400)}), testing::ElementsAre(test::Says("MB/s")));
  EXPECT_THAT(QuestionReadings({kbps(5e6)}), testing::ElementsAre(test::Says("is it upload")));
}

TEST(Readings, AReserveHasANameAndARate) {
  EXPECT_EQ(ParseReserve("voice call 0.2 Mbit/s"), std::pair(std::string("voice call"), BitRate::FromKbps(200)));
  EXPECT_THAT(Complaint(Fault::kInput, [] { ParseReserve("0.2 Mbit/s"); }), HasSubstr("game 0.3 Mbit/s"));
  EXPECT_THAT(Complaint(Fault::kInput, [] { ParseLink("wirless"); }), HasSubstr("wireless"));
}

}  // namespace
}  // namespace kettle
