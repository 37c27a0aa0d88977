// SPDX-License-Identifier: Apache-2.0
#include "kettle/question/answer.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "says.h"
#include "support.h"

namespace kettle {
namespace {

// Trials of a question by formula: quality grows by 30 points for ten times the bits; each second is a little
// different.
class AnswerTest : public testing::Test {
 protected:
  AnswerTest() {
    EncodeSettings base = test::SmallSettings("x264", "veryfast");
    question_ = {"b-frames", Message{"question.b-frames"}, {}, {{"none", base}, {"some", base}}, {}, base.bit_rate,
                 false};
    question_.variants[1].settings.b_frames = 2;
    for (const double kbps : {200, 400, 800}) question_.rates.push_back(BitRate::FromKbps(kbps));
  }

  // `gain` points better in every second, give or take `spread`; overshooting the rate by `overshoot`.
  std::vector<Trial> Trials(double gain, double spread = 0.01, double overshoot = 1, double cores = 1.2) const {
    std::vector<Trial> trials;
    for (std::size_t v = 0; v < 2; ++v)
      for (const BitRate rate : question_.rates)
        for (const char* footage : {"one", "two"}) {
          Trial trial;
          trial.settings = AtRate(question_.variants[v].settings, rate);
          trial.footage = footage;
          trial.device = "cpu";
          trial.status = WorkerStatus::kDone;
          trial.mean_kbps = rate.kbps() * (v ? overshoot : 1);
          trial.throughput_fps = 100;
          for (int i = 0; i < 3; ++i)
            trial.repeats.push_back({.throughput_fps = 100.0 + i, .cpu_cores = (v ? cores : 1) + 0.001 * i});
          Summarise(trial);
          Quality quality;
          double sum = 0;
          for (int second = 0; second < 4; ++second) {
            const double score = 50 + 30 * std::log10(trial.mean_kbps / 200) + 1.5 * second +
                                 (v ? gain + spread * (second % 2 ? 1 : -1) : 0);
            quality.seconds_picture_score.push_back(score);
            sum += score / 4;
          }
          quality.picture_score = sum;
          trial.quality = quality;
          trials.push_back(trial);
        }
    return trials;
  }

  VariantAnswer Second(const std::vector<Trial>& trials) const {
    return MakeAnswer(question_, {"one", "two"}, trials).variants[1];
  }

  Question question_;
};

TEST_F(AnswerTest, AClearGainIsBetterWithItsCost) {
  const VariantAnswer answer = Second(Trials(2.5));
  EXPECT_EQ(answer.verdict, Verdict::kBetter);
  EXPECT_NEAR(answer.gain->value, 2.5, 1e-6);
  EXPECT_LT(*answer.gain->interval, 0.05);
  EXPECT_NEAR(answer.cost_share->value, 0.2, 0.01);
  // 2.5 points at 30 a decade.
  EXPECT_NEAR(*answer.bd_rate, std::pow(10, -0.5 / 6) - 1, 0.01);
  EXPECT_THAT(Sentence(answer.words), testing::HasSubstr("20 % more cores"));
}

TEST_F(AnswerTest, AnEncodeThatSpendsMoreGainsNothingByThat) {
  const VariantAnswer answer = Second(Trials(0, 0.01, 1.2));
  EXPECT_NEAR(answer.gain->value, 0, 0.02);
  EXPECT_EQ(answer.verdict, Verdict::kSame);
}

TEST_F(AnswerTest, ALossIsWorseAndASpreadIsUnclear) {
  EXPECT_EQ(Second(Trials(-2)).verdict, Verdict::kWorse);
  EXPECT_EQ(Second(Trials(1, 7.5)).verdict, Verdict::kUnclear);
  EXPECT_EQ(Second(Trials(0.25, 0.01)).verdict, Verdict::kSame) << "told apart, but not seen";
}

// The same spread over more seconds is a narrower interval; only the asked rate is measured there.
TEST_F(AnswerTest, FurtherFootageMakesItClear) {
  std::vector<Trial> trials = Trials(1, 1.9);
  const Answer before = MakeAnswer(question_, {"one", "two"}, trials);
  ASSERT_TRUE(before.unclear());
  const std::vector<EncodeSettings> wanted = FurtherEncodes(before);
  ASSERT_EQ(wanted.size(), 2u);
  EXPECT_EQ(wanted[1], AtRate(question_.variants[1].settings, question_.asked_rate));
  std::vector<std::string> further;
  for (const Trial& trial : Trials(1, 1.9))
    for (int i = 0; i < 4; ++i)
      if (std::find(wanted.begin(), wanted.end(), trial.settings) != wanted.end()) {
        further.push_back(trial.footage + std::to_string(i));
        trials.push_back(trial);
        trials.back().footage = further.back();
      }
  std::sort(further.begin(), further.end());
  further.erase(std::unique(further.begin(), further.end()), further.end());
  const Answer after = MakeAnswer(question_, {"one", "two"}, trials, further);
  EXPECT_EQ(after.variants[1].seconds, 5 * before.variants[1].seconds);
  EXPECT_EQ(after.variants[1].verdict, Verdict::kBetter);
  EXPECT_NEAR(after.variants[1].gain->value, 1, 1e-6);
  EXPECT_EQ(after.footage.size(), 2u) << "means are those of what every variant was measured on";
  EXPECT_TRUE(FurtherEncodes(after).empty());
}

TEST_F(AnswerTest, MoreBitsOnFurtherFootageGainNothing) {
  std::vector<Trial> trials = Trials(0, 0.01);
  for (Trial trial : Trials(0, 0.01, 1.2))
    if (trial.settings.bit_rate == question_.asked_rate) {
      trial.footage += " later";
      trials.push_back(trial);
    }
  const Answer answer = MakeAnswer(question_, {"one", "two"}, trials, {"one later", "two later"});
  EXPECT_EQ(answer.variants[1].seconds, 16);
  EXPECT_NEAR(answer.variants[1].gain->value, 0, 0.02);
}

TEST_F(AnswerTest, AFailedVariantSaysWhy) {
  std::vector<Trial> trials = Trials(2.5);
  trials.back().status = WorkerStatus::kCrashed;
  trials.back().detail = "signal 11";
  const Answer answer = MakeAnswer(question_, {"one", "two"}, trials);
  EXPECT_EQ(answer.variants[1].verdict, Verdict::kFailed);
  EXPECT_THAT(Sentence(answer.variants[1].words), testing::HasSubstr("signal 11"));
  trials.pop_back();
  EXPECT_THAT(Sentence(MakeAnswer(question_, {"one", "two"}, trials).variants[1].words),
              testing::HasSubstr("no time was left"));
}

TEST_F(AnswerTest, TheAnswerNamesTheBest) {
  EXPECT_THAT(Sentence(MakeAnswer(question_, {"one", "two"}, Trials(2.5)).words),
              testing::StartsWith("some: better by 2.5 points"));
  EXPECT_THAT(Sentence(MakeAnswer(question_, {"one", "two"}, Trials(0)).words),
              testing::HasSubstr("nothing looks better than none; as good: some"));
  EXPECT_EQ(Sentence(MakeAnswer(question_, {"one", "two"}, Trials(-2)).words), "none looks best");
  const nlohmann::json json = MakeAnswer(question_, {"one", "two"}, Trials(2.5));
  EXPECT_EQ(json["variants"][1]["verdict"], "better");
  EXPECT_EQ(json["variants"][1]["curves_by_footage"]["one"].size(), 3u);
}

}  // namespace
}  // namespace kettle
