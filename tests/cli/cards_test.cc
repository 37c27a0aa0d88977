// SPDX-License-Identifier: Apache-2.0
// Several cards of one kind, of which not every one encodes.
#include "program.h"

namespace kettle {
namespace {

class CardsTest : public test::ProgramTest {
 protected:
  // The first takes no picture larger than 64x64: nothing works there.
  void PutTwoCards() const {
    std::string profile = "driver_version = \"1 (simulated)\"\n";
    for (const std::string name : {"Shallow", "Deep"})
      profile += "[[device]]\nname = \"" + name + " (simulated)\"\ninterface = \"vaapi\"\n[device.h264]\n" +
                 (name == "Shallow" ? "max_width = 64\nmax_height = 64\n" : "") +
                 "[device.megapixels_per_second]\np1 = 80.0\np2 = 74.0\np3 = 68.0\np4 = 60.0\np5 = 48.0\np6 = 38.0\n"
                 "p7 = 30.0\n";
    Put("two.toml", profile);
  }
};

TEST_F(CardsTest, OneThatDoesNotEncodeHidesNoOther) {
  PutTwoCards();
  SmallShow();
  const auto planned =
      Run("plan --show show.toml --stand-in-gpu two.toml --stream-encoder vaapi-h264 --recording-encoder x264 "
          "--footage-seconds 1 --proof-seconds 2 --out out");
  ASSERT_EQ(planned.code, 0) << planned.err;
  const nlohmann::json stream = Json("out/plan.json")["stream"];
  EXPECT_EQ(stream["device_index"], 1);
  EXPECT_THAT(stream["device_name"], testing::HasSubstr("Deep"));

  const auto measured =
      Run("bench --show show.toml --stand-in-gpu two.toml --encoder vaapi-h264 --preset 4 --repeats 1 "
          "--footage-seconds 1 --out bench");
  ASSERT_EQ(measured.code, 0) << measured.err;
  const nlohmann::json trials = Json("bench/bench.json")["trials"];
  ASSERT_FALSE(trials.empty());
  for (const nlohmann::json& trial : trials) EXPECT_EQ(trial["status"], "done");
}

}  // namespace
}  // namespace kettle
