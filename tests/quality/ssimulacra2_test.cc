// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/ssimulacra2/ssimulacra2.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <fstream>
#include <map>

#include "quality/ruined.h"

namespace kettle {
namespace {

using test::RgbPicture;

const std::string kFolder = KETTLE_SOURCE "/tests/quality/";

LinearPicture Linear(const RgbPicture& picture) {
  return LinearFromRgb(picture.samples.data(), picture.width, picture.height);
}

struct Pair {
  std::string name;
  RgbPicture reference, distorted;
};

// Three scenes, ruined in twenty ways, and as x264 coded them; and parts of them that have room for fewer scales.
std::vector<Pair> Pairs() {
  std::vector<Pair> pairs;
  for (const std::string scene : {"start-line", "open-water", "harbour"}) {
    const RgbPicture whole = test::ReadPng(kFolder + "pictures/" + scene + ".png");
    if (whole.samples.empty()) return {};
    for (const auto& [name, ruin] : test::Ruins()) pairs.push_back({scene + ", " + name, whole, ruin(whole)});
    for (const std::string coded : {"x264-qp26", "x264-qp38"}) {
      const RgbPicture picture = test::ReadPng(kFolder + "pictures/" + scene + "-" + coded + ".png");
      pairs.push_back({scene + ", " + coded, whole, picture});
      pairs.push_back({scene + ", " + coded + ", part", test::Crop(whole, 202, 130), test::Crop(picture, 202, 130)});
      pairs.push_back({scene + ", " + coded + ", corner", test::Crop(whole, 40, 26), test::Crop(picture, 40, 26)});
    }
  }
  return pairs;
}

// ssimulacra2_answers.csv: what the reference says of each pair; ssimulacra2_answers.sh made it.
std::map<std::string, double> Answers() {
  std::map<std::string, double> answers;
  std::ifstream file(kFolder + "ssimulacra2_answers.csv");
  std::string line;
  while (std::getline(file, line))
    answers[line.substr(0, line.find(';'))] = std::atof(line.c_str() + line.find(';') + 1);
  return answers;
}

// The reference blurs by a recursive filter in single precision, whose rounding it takes for errors: up to half a point
// of pictures that are nearly perfect.
TEST(Ssimulacra2, AgreesWithTheReference) {
  constexpr double kNearlyPerfect = 82, kRounding = 0.6, kTolerance = 0.1;
  const auto answers = Answers();
  const std::vector<Pair> pairs = Pairs();
  int agreeing = 0;
  for (const Pair& pair : pairs) {
    ASSERT_TRUE(answers.contains(pair.name)) << pair.name;
    const double answer = answers.at(pair.name);
    const double apart = Ssimulacra2(Linear(pair.reference), Linear(pair.distorted)) - answer;
    EXPECT_LE(std::abs(apart), answer > kNearlyPerfect ? kRounding : kTolerance) << pair.name;
    agreeing += std::abs(apart) <= kTolerance;
  }
  EXPECT_GE(agreeing, 70);
}

// Not a check: writes the pairs for ssimulacra2_answers.sh.
TEST(Ssimulacra2, WritesItsPicturesWhereAsked) {
  const char* folder = std::getenv("KETTLE_PICTURES_TO");
  if (!folder) GTEST_SKIP() << "KETTLE_PICTURES_TO names no folder";
  std::ofstream names(std::string(folder) + "/names.txt");
  int number = 0;
  for (const Pair& pair : Pairs()) {
    const std::string file = std::string(folder) + "/" + std::to_string(number++);
    WritePpm(file + "a.ppm", pair.reference);
    WritePpm(file + "b.ppm", pair.distorted);
    names << pair.name << '\n';
  }
}

TEST(Ssimulacra2, TheSamePictureIsAHundred) {
  const LinearPicture picture = Linear(test::ReadPng(kFolder + "pictures/harbour.png"));
  EXPECT_EQ(Ssimulacra2(picture, picture), 100);
}

// A picture of one colour has the light that the standards' own formulas give.
TEST(LinearFromYcbcr, GoesByMatrixAndRange) {
  const std::vector<std::uint8_t> luma(16 * 16, 81), cb(8 * 8, 90), cr(8 * 8, 240);
  const PictureView picture = {PlaneView{luma.data(), 16, 16, 16}, PlaneView{cb.data(), 8, 8, 8},
                               PlaneView{cr.data(), 8, 8, 8}};
  const auto sample = [&](ColourCoding coding, std::size_t c) {
    return LinearFromYcbcr(picture, coding).planes[c][100];
  };
  const ColourCoding bt601{ColourCoding::Matrix::kBt601, false};  // pure red, but for rounding
  EXPECT_NEAR(sample(bt601, 0), 1, 0.01);
  EXPECT_NEAR(sample(bt601, 1), 0, 0.001);
  EXPECT_NEAR(sample(bt601, 2), 0, 0.001);
  // BT.709: R' = (81 - 16) / 219 + 1.5748 * 112 / 224 = 1.084, clipped; G' = 0.2968 - 0.4681 * 0.5 + 0.1873 * 0.1696.
  EXPECT_NEAR(sample({ColourCoding::Matrix::kBt709, false}, 0), 1, 1e-6);
  EXPECT_NEAR(sample({ColourCoding::Matrix::kBt709, false}, 1), std::pow((0.0945 + 0.055) / 1.055, 2.4), 0.0005);
  // Full range: Y' = 81 / 255, and chroma spans 255: G' = 0.3176 - 0.4681 * 112 / 255 + 0.1873 * 38 / 255.
  EXPECT_NEAR(sample({ColourCoding::Matrix::kBt709, true}, 1), std::pow((0.1399 + 0.055) / 1.055, 2.4), 0.0005);
}

TEST(LinearFromYcbcr, ChromaLiesBesideEvenSamplesAndBetweenRows) {
  const std::vector<std::uint8_t> luma(8 * 8, 128);
  std::vector<std::uint8_t> cb(4 * 4, 128), cr(4 * 4, 128);
  for (int y = 0; y < 4; ++y) cr[static_cast<std::size_t>(4 * y + 2)] = 160;  // a column beside luma column 4
  const PictureView picture = {PlaneView{luma.data(), 8, 8, 8}, PlaneView{cb.data(), 4, 4, 4},
                               PlaneView{cr.data(), 4, 4, 4}};
  const LinearPicture linear = LinearFromYcbcr(picture, {});
  const float* row = linear.planes[0].data() + 3 * 8;
  EXPECT_GT(row[4], row[3]);
  EXPECT_FLOAT_EQ(row[3], row[5]) << "halfway on both sides";
  EXPECT_FLOAT_EQ(row[2], row[6]);
}

}  // namespace
}  // namespace kettle
