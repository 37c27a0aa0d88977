// SPDX-License-Identifier: Apache-2.0
// What the program tells of a machine: this one, and made-up ones.
#include "kettle/encoders/catalogue.h"
#include "machine/made_up.h"
#include "program.h"

namespace kettle {
namespace {

using SurveyTest = test::ProgramTest;

TEST_F(SurveyTest, OfThisMachineWithTwoSimulatedCards) {
  std::filesystem::create_directory(path("pair"));  // a folder of that name is no profile
  const auto ran = Run("survey --out out --stand-in-gpu pair");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, testing::AllOf(testing::HasSubstr("x264"), testing::HasSubstr("Tidewater 30 (simulated)"),
                                      testing::HasSubstr("Mudflat 6 (simulated)"),
                                      testing::HasSubstr("2 GPUs: plan weighs"), testing::HasSubstr("SIMULATED")));
  ExpectValid("survey");
  const nlohmann::json survey = Json("out/survey.json");
  EXPECT_EQ(survey["encoders"].size(), Catalogue().size()) << "one GPU for each interface: each family once";
  std::map<std::string, std::string> cards;
  for (const nlohmann::json& encoder : survey["encoders"])
    if (encoder["works"].get<bool>() && encoder["device"] == "gpu") {
      EXPECT_TRUE(encoder["simulated"].get<bool>()) << encoder["name"];
      cards[encoder["name"]] = encoder["bus_address"];
    }
  EXPECT_EQ(cards["nvenc-h264"], "0000:01:00.0");
  EXPECT_EQ(cards["vaapi-h264"], "0000:00:02.0");
  EXPECT_GT(survey["disk"]["write_rate"]["bytes"], 0);
  EXPECT_EQ(survey["nvidia"][0]["name"], "Tidewater 30 (simulated)");
  EXPECT_EQ(survey["simulated"], true);
}

TEST_F(SurveyTest, ACardThatOnlyVaapiTellsOfIsAGpu) {
  const auto ran = Run("survey --out out --stand-in-gpu integrated");
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, testing::AllOf(testing::HasSubstr("vaapi-h264"), testing::HasSubstr("Mudflat"),
                                      testing::Not(testing::HasSubstr("no GPU found")),
                                      testing::Not(testing::HasSubstr("GPUs: "))));
}

TEST_F(SurveyTest, OfAnotherTree) {
  test::MakeLaptop(test::Tree(path("laptop")));
  const auto ran = Run("survey --root laptop --out out");
  EXPECT_EQ(ran.code, 0) << ran.err;
  ExpectValid("survey");
  EXPECT_THAT(ran.out, testing::AllOf(testing::HasSubstr("6 performance, 8 efficiency cores"),
                                      testing::HasSubstr("Estuary Panel"), testing::HasSubstr("no encoder was opened"),
                                      testing::HasSubstr("on battery")));
  EXPECT_TRUE(Json("out/survey.json")["encoders"].empty());
}

// Made-up machines: what the survey says of their graphics cards, line by line.
TEST_F(SurveyTest, TellsCardsApart) {
  const test::MadeUpCard integrated{"0000:00:02.0", "0x8086", "0xf001", "i915", 128};
  const test::MadeUpCard fast{"0000:01:00.0", "0x10de", "0xf002", "nvidia", 129};
  const test::MadeUpCard third{"0000:41:00.0", "0x1002", "0xf003", "", 0};
  const auto swapped = [](test::MadeUpCard card, const std::string& address, int node) {
    card.address = address;
    card.node = node;
    return card;
  };
  struct Case {
    std::string name;
    std::vector<test::MadeUpCard> cards;
    std::vector<std::string> lines;
  };
  const std::vector<Case> cases = {
      {"two",
       {integrated, fast},
       {"i915, /dev/dri/renderD128, at 0000:00:02.0", "nvidia, /dev/dri/renderD129, at 0000:01:00.0"}},
      {"other-order",
       {swapped(fast, "0000:00:02.0", 128), swapped(integrated, "0000:01:00.0", 129)},
       {"nvidia, /dev/dri/renderD128, at 0000:00:02.0", "i915, /dev/dri/renderD129, at 0000:01:00.0"}},
      {"three",
       {integrated, fast, third},
       {"i915, /dev/dri/renderD128, at 0000:00:02.0", "nvidia, /dev/dri/renderD129, at 0000:01:00.0",
        "none, at 0000:41:00.0"}},
      {"integrated", {integrated}, {"i915, /dev/dri/renderD128, at 0000:00:02.0"}}};
  for (const Case& one : cases) {
    SCOPED_TRACE(one.name);
    test::MakeWithCards(test::Tree(path(one.name)), one.cards);
    const auto ran = Run("survey --root " + one.name + " --out out-" + one.name);
    EXPECT_EQ(ran.code, 0) << ran.err;
    std::vector<std::string> lines;
    std::istringstream text(ran.out);
    for (std::string line; std::getline(text, line);)
      if (line.starts_with("  GPU")) lines.push_back(line.substr(line.find(", driver ") + 9));
    EXPECT_EQ(lines, one.lines);
    EXPECT_EQ(ran.out.find("GPUs") != ran.out.npos, one.cards.size() > 1) << ran.out;
    EXPECT_EQ(ran.out.find("has no kernel driver") != ran.out.npos, one.name == "three");
  }
}

TEST_F(SurveyTest, AsJson) {
  const auto ran = Run("survey --out out --json");
  EXPECT_EQ(ran.code, 0);
  EXPECT_EQ(nlohmann::json::parse(ran.out)["encoders"], Json("out/survey.json")["encoders"]);
}

}  // namespace
}  // namespace kettle
