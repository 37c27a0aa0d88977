// SPDX-License-Identifier: Apache-2.0
// How many trials a plan needs as there is more to choose from: on made-up machines, whole plans. Printed as a table,
// and held to what is promised: at most linear in each, and never more than half of the grid.
#include <fmt/format.h>

#include <cmath>
#include <random>

#include "fakes.h"
#include "kettle/planner/make_plan.h"
#include "kettle/quality/frame_rate_loss.h"
#include "kettle/search/candidates.h"

namespace kettle {
namespace {

constexpr FrameSize kGrownSource{1280, 720};
constexpr FrameRate kGrownRate{60, 1};

// Speed falls with pixels and presets; quality has a peak over size and grows with bits and presets. Families differ in
// speed and in what they make of a bit, clips in how hard they are.
class GrowthRunner final : public TrialRunner {
 public:
  explicit GrowthRunner(unsigned seed) : seed_(seed) {}

  Trial Run(const TrialRequest& request) override {
    const EncodeSettings& s = request.settings;
    const EncoderFamily& family = FindFamily(s.encoder);
    const bool gpu = family.device == DeviceKind::kGpu;
    const auto preset =
        static_cast<double>(std::find(family.presets.begin(), family.presets.end(), s.preset) - family.presets.begin());
    const double hard = Of(request.footage.label, 0, 1), pixels = static_cast<double>(s.size.pixels());
    const double fps = Of(s.encoder, 40e6, 400e6) * (1.2 - 0.4 * hard) / pixels / std::pow(gpu ? 1.2 : 1.6, preset);
    Trial trial = test::DoneTrial(request, fps);
    test::SetCores(trial, gpu ? 0.05 : 2 * s.frame_rate.fps() / fps);
    trial.mean_kbps = s.quality_level ? 20'000 * Of(s.encoder, 0.5, 1) : s.bit_rate.kbps();
    const double lines = std::log2(s.size.height / 600.0);
    double score = 55 - 12 * hard - 9 * lines * lines + preset + Of(s.encoder, 0, 6);
    if (s.quality_level) score = 80 + 2 * (family.quality.usual - *s.quality_level) - 4 * hard;
    trial.quality = test::QualityOf(score);
    trial.quality->speeds = {1, 8};
    trial.quality->frame_rate_share = FrameRateShare(s.frame_rate, kGrownRate, {1, 8});
    return trial;
  }

 private:
  // The same for the same machine and name.
  double Of(const std::string& name, double low, double high) const {
    std::seed_seq seed{seed_, static_cast<unsigned>(std::hash<std::string>()(name)), static_cast<unsigned>(high)};
    std::mt19937 random(seed);
    return std::uniform_real_distribution<>(low, high)(random);
  }
  unsigned seed_;
};

struct Case {
  std::vector<std::string> families = {"x264", "nvenc-h264"};
  int cards = 1, clips = 1, destinations = 0;
  double cores = 2;
};

constexpr double kForEncodesEach = 12;  // processors: with fewer, one encode for all is soon all that fits

Proof ProofOf(const Pair& pair, double cores) {
  Proof proof = test::ProofAsPredicted(pair, cores);
  proof.further.assign(pair.further.size(), proof.stream);
  return proof;
}

// Mean trials of the plans of many machines, levels and what is looked at besides included.
double TrialsOf(const Case& asked) {
  constexpr unsigned kMachines = 10;
  double all = 0;
  for (unsigned seed = 1; seed <= kMachines; ++seed) {
    GrowthRunner runner(seed);
    TrialBook book(runner, {}, [](const auto&) {});
    Show show;
    show.source_size = kGrownSource;
    show.source_rate = kGrownRate;
    show.recording_score = 80;
    show.recording_plays = Plays::kModern;
    Targets targets = test::FakeTargets();
    targets.stream.size = targets.recording.size = kGrownSource;
    targets.sizes = CandidateSizes(kGrownSource);
    targets.rates = CandidateRates(kGrownRate, kGrownRate);
    targets.recording_sizes = RecordingSizes(kGrownSource);
    targets.recording_rates = RecordingRates(kGrownRate);
    targets.stream_codecs = {"h264", "hevc", "av1"};
    for (int i = 0; i < asked.destinations; ++i) {
      Destination place;
      place.name = fmt::format("place {}", i);
      place.codecs = targets.stream_codecs;
      place.video_bit_rate_max = BitRate::FromKbps(1000 + 500 * i);
      show.destinations.push_back(place);
    }
    if (asked.destinations > 0) {
      show.line.readings = {BitRate::FromKbps(20'000)};
      targets.budget = MakeBudget(show.line, {}, Recipients(show), 60);
      targets.stream.bit_rate = targets.stream.maximum_bit_rate = BitRate::FromKbps(targets.budget->one_encode_kbps());
    }
    std::vector<Footage> footage;
    for (int i = 0; i < asked.clips; ++i) footage.push_back(test::FakeFootage(fmt::format("clip {}", i)));
    PlanRequest request{show, targets, footage, asked.families, {asked.cores, 0.2}};
    request.own_streams = OwnStreams(show, targets);
    for (OwnStream& own : request.own_streams) own.families = asked.families;
    for (const std::string& family : asked.families)
      if (FindFamily(family).device == DeviceKind::kGpu)
        for (int card = 0; card < asked.cards; ++card) request.devices[family].push_back(card);
    const Plan plan = MakePlan(request, book, [&](const Pair& pair) { return ProofOf(pair, asked.cores); });
    EXPECT_LE(plan.trials * 2, plan.grid) << "seed " << seed;
    all += book.measured();
  }
  return all / kMachines;
}

// `counts` of one thing, with the trials of each.
void ExpectAtMostLinear(const char* what, const std::vector<int>& counts, const std::vector<double>& trials) {
  std::string row = fmt::format("{:<13}", what);
  for (std::size_t i = 0; i < counts.size(); ++i) {
    row += fmt::format("  {:>2}: {:5.1f}", counts[i], trials[i]);
    EXPECT_LE(trials[i], trials[0] * counts[i] / counts[0]) << what << ' ' << counts[i];
  }
  fmt::print("{}\n", row);
}

TEST(SearchGrowth, IsAtMostLinearInWhatThereIsToChooseFrom) {
  std::vector<std::string> all;
  for (const EncoderFamily& family : Catalogue())
    if (family.codec != "vp9") all.push_back(family.name);  // no stream is
  ASSERT_GE(all.size(), 12u);
  std::vector<double> trials;
  for (const int families : {1, 2, 4, 8, 12}) {
    Case asked;
    asked.families.assign(all.begin(), all.begin() + families);
    trials.push_back(TrialsOf(asked));
  }
  ExpectAtMostLinear("families", {1, 2, 4, 8, 12}, trials);
  const auto along = [](const std::vector<int>& counts, int Case::*what, double cores = 2) {
    std::vector<double> found;
    for (const int count : counts) {
      Case asked;
      asked.cores = cores;
      asked.*what = count;
      found.push_back(TrialsOf(asked));
    }
    return found;
  };
  ExpectAtMostLinear("cards", {1, 2, 3, 4}, along({1, 2, 3, 4}, &Case::cards));
  ExpectAtMostLinear("clips", {1, 2, 4, 8}, along({1, 2, 4, 8}, &Case::clips));
  ExpectAtMostLinear("destinations", {1, 2, 3, 4}, along({1, 2, 3, 4}, &Case::destinations, kForEncodesEach));
}

}  // namespace
}  // namespace kettle
