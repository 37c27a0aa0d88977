// SPDX-License-Identifier: Apache-2.0
// The search on made-up machines whose clocks lie: every trial is off by a tenth, and in three of ten plans the machine
// is at half speed for 20 s, which only the reference encodes show.
#include <cmath>
#include <functional>
#include <random>

#include "fakes.h"
#include "kettle/quality/frame_rate_loss.h"
#include "kettle/search/candidates.h"
#include "kettle/search/picture_search.h"
#include "kettle/units/statistics.h"

namespace kettle {
namespace {

// How fast an encode truly is, and how it looks.
class Truth {
 public:
  explicit Truth(unsigned seed) {
    std::mt19937 random(seed);
    const auto uniform = [&](double low, double high) { return std::uniform_real_distribution<>(low, high)(random); };
    speed_ = uniform(2e7, 6e7);
    best_lines_ = uniform(400, 1000);
    steep_ = uniform(1, 5);
    per_rate_ = uniform(-0.12, 0);
    moves_ = uniform(0, 30);
    step_ = uniform(1.2, 2.0);
  }

  double fps(const EncodeSettings& s) const {
    return speed_ / std::pow(static_cast<double>(s.size.pixels()) / 1e5, 1.1) * 1e-5 / std::pow(step_, PresetOf(s));
  }
  bool holds(const EncodeSettings& s, double headroom) const { return 1 - s.frame_rate.fps() / fps(s) >= headroom; }
  Quality quality(const EncodeSettings& s) const {
    const double lines = std::log2(s.size.height / best_lines_);
    Quality quality = test::QualityOf(70 - 5 * steep_ * lines * lines + 5 * per_rate_ * (s.frame_rate.fps() - 60) -
                                      25 * std::pow(0.5, PresetOf(s)));
    quality.speeds = {moves_};
    quality.frame_rate_share = FrameRateShare(s.frame_rate, {60, 1}, {moves_});
    return quality;
  }

 private:
  static double PresetOf(const EncodeSettings& s) {
    const auto& presets = FindFamily(s.encoder).presets;
    return static_cast<double>(std::find(presets.begin(), presets.end(), s.preset) - presets.begin());
  }
  double speed_, best_lines_, steep_, per_rate_, moves_, step_;
};

class NoisyRunner final : public TrialRunner {
 public:
  NoisyRunner(const Truth& truth, unsigned seed, double noise, std::function<double(double)> slowness)
      : truth_(truth), random_(seed), off_(0, noise), slowness_(std::move(slowness)) {}

  Trial Run(const TrialRequest& request) override {
    ++runs;
    const double slow = slowness_(now_);
    const double fps = truth_.fps(request.settings) / slow * std::exp(off_(random_));
    Trial trial = test::DoneTrial(request, fps);
    trial.timing.encoding = 2 * std::min(1.3, request.settings.frame_rate.fps() / fps);
    trial.repeats = {{.throughput_fps = fps, .cpu_cores = 1, .began = now_}};
    trial.repeats.front().before = trial.repeats.front().after =
        ReferenceLook{0.12 * slow * std::exp(off_(random_) / 2), 0.2};
    trial.quality = truth_.quality(request.settings);
    now_ += trial.timing.encoding + 1;
    return trial;
  }
  std::optional<TimedLook> Look(double wait_seconds) override {
    now_ += wait_seconds + 0.2;
    return TimedLook{now_, {0.12 * slowness_(now_) * std::exp(off_(random_) / 2), 0.2}};
  }
  int runs = 0;

 private:
  const Truth& truth_;
  std::mt19937 random_;
  std::normal_distribution<double> off_;
  std::function<double(double)> slowness_;
  double now_ = 1e9;
};

constexpr double kHeadroom = 0.2;

SearchSpace Space() {
  return {test::SmallSettings(), CandidateSizes({1280, 720}), CandidateRates({60, 1}, {60, 1}), {"x264"}};
}

double BestThatHolds(const Truth& truth) {
  double best = -100;
  for (const FrameSize size : Space().sizes)
    for (const FrameRate rate : Space().rates)
      for (const std::string& preset : FindFamily("x264").presets) {
        EncodeSettings settings = test::SmallSettings("x264", preset);
        settings.size = size;
        settings.frame_rate = rate;
        if (truth.holds(settings, kHeadroom)) best = std::max(best, truth.quality(settings).score());
      }
  return best;
}

// What is lost by the best that the search found, and that holds for all its noise: a little less headroom than wanted
// is none of its faults.
double Regret(unsigned seed, double noise, bool episode) {
  constexpr double kTolerated = 0.1;
  const Truth truth(seed);
  const double from = 1e9 + seed % 30;
  NoisyRunner runner(truth, seed, noise,
                     [=](double now) { return episode && now > from && now < from + 20 ? 2.0 : 1.0; });
  TrialBook book(
      runner, {}, [](const auto&) {}, kHeadroom);
  OptionBook options(book, {test::FakeFootage("one")}, kHeadroom);
  SearchPicture(Space(), options);
  constexpr double kProofSeconds = 10;  // between looks before and after, as in a plan
  for (const double wait : {0.0, kProofSeconds, 0.0, kProofSeconds}) book.LookAtSpeed(wait);
  for (const TriedPicture& tried : SearchPicture(Space(), options))
    if (tried.best && truth.holds(tried.best->settings, kHeadroom - kTolerated))
      return std::max(0.0, BestThatHolds(truth) - tried.best->score);
  return BestThatHolds(truth) + 100;
}

std::vector<double> Regrets(double noise, bool episodes) {
  std::vector<double> regrets;
  for (unsigned seed = 1; seed <= 60; ++seed) regrets.push_back(Regret(seed, noise, episodes && seed % 10 < 3));
  return regrets;
}

TEST(SteadySearch, WithoutNoiseHardlyAnythingIsLost) {
  const std::vector<double> regrets = Regrets(0, false);
  EXPECT_LE(*Quantile(regrets, 0.5), 0.1);
  EXPECT_LE(*Quantile(regrets, 0.95), 1);
}

TEST(SteadySearch, NoiseAndSlowMomentsCostLittle) {
  const std::vector<double> regrets = Regrets(0.1, true);
  EXPECT_LE(*Quantile(regrets, 0.5), 0.3);
  EXPECT_LE(*Quantile(regrets, 0.95), 2);
}

}  // namespace
}  // namespace kettle
