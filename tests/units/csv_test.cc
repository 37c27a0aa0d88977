// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/csv.h"

#include <gtest/gtest.h>

namespace kettle {
namespace {

struct Berth {
  int number = 0;
  double depth_m = 0;
  bool free = false;
  std::string boat;
};

const std::vector<CsvColumn<Berth>> kColumns = {CsvField("number", &Berth::number),
                                                CsvField("depth_m", &Berth::depth_m, 2),
                                                CsvField("free", &Berth::free),
                                                {"boat", [](const Berth& berth) { return CsvText(berth.boat); }}};

TEST(Csv, AHeaderThenALineEach) {
  EXPECT_EQ(Csv(kColumns, {{4, 2.456, false, "Wake"}, {5, 3, true, ""}}),
            "number,depth_m,free,boat\n4,2.46,false,Wake\n5,3.00,true,\n");
  EXPECT_EQ(Csv(kColumns, {}), "number,depth_m,free,boat\n");
}

TEST(Csv, TextIsQuotedWhereItMustBe) {
  EXPECT_EQ(CsvText("low tide"), "low tide");
  EXPECT_EQ(CsvText("low, then high"), "\"low, then high\"");
  EXPECT_EQ(CsvText("the \"Wake\""), "\"the \"\"Wake\"\"\"");
  EXPECT_EQ(CsvText("two\nlines"), "\"two\nlines\"");
}

}  // namespace
}  // namespace kettle
