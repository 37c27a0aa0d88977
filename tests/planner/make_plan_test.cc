// SPDX-License-Identifier: Apache-2.0
#include "kettle/planner/make_plan.h"

#include <cmath>
#include <nlohmann/json.hpp>
#include <random>

#include "fakes.h"
#include "kettle/quality/picture_metrics.h"
#include "kettle/search/candidates.h"
#include "says.h"

namespace kettle {
namespace {

using test::FakeFootage;
using test::FakeProof;
using test::FakeRunner;
using test::Figures;

// A random machine: speed falls and quality grows along each family's presets, the second footage is easier.
FakeRunner::Machine RandomMachine(unsigned seed) {
  std::mt19937 random(seed);
  const auto uniform = [&](double low, double high) { return std::uniform_real_distribution<>(low, high)(random); };
  const double cpu_fastest = uniform(60, 900), cpu_fall = uniform(1.3, 2.2), gpu_fastest = uniform(60, 500),
               gpu_fall = uniform(1.1, 1.5);
  const double cpu_ssim = uniform(0.80, 0.90), gpu_ssim = uniform(0.80, 0.93), heavier = uniform(1.0, 1.5),
               easier = uniform(1.0, 1.4);
  return [=](const std::string& encoder, int preset, bool recording, const std::string& footage) {
    const bool cpu = encoder == "x264";
    double fps = cpu ? cpu_fastest / std::pow(cpu_fall, preset) : gpu_fastest / std::pow(gpu_fall, preset);
    if (recording) fps /= heavier;
    if (footage == "easy") fps *= easier;
    // As with real encoders, a processor's first presets differ much and its last ones hardly; a card's all differ
    // alike.
    const double gained = cpu ? 0.1 * (1 - std::pow(0.55, preset)) - 0.06 : 0.01 * preset;
    const double ssim = (cpu ? cpu_ssim : gpu_ssim) + gained + (footage == "easy" ? 0.02 : 0);
    return Figures{fps, cpu ? 2 * 60 / fps : 0.03, ssim};
  };
}

Plan PlanFor(const FakeRunner::Machine& machine, const std::vector<std::string>& families,
             const std::function<Proof(const Pair&)>& prove) {
  FakeRunner runner(machine);
  Show show;
  show.title = "made up";
  TrialBook book(runner, {}, [](const auto&) {});
  const PlanRequest request{show, test::FakeTargets(), {FakeFootage("easy"), FakeFootage("hard")}, families, {2, 0.2}};
  return MakePlan(request, book, prove);
}

// The best stream score that any pair reaches in the whole grid.
double BestByExhaustion(const FakeRunner::Machine& machine) {
  double best = 0;
  const auto option = [&](const std::string& encoder, int preset, bool recording) {
    const Figures figures = machine(encoder, preset, recording, "hard");
    return test::FakeOption(encoder, FindFamily(encoder).presets[static_cast<std::size_t>(preset)],
                            figures.throughput_fps, figures.cpu_cores, test::ScoreOf(figures.similarity));
  };
  for (const char* s : {"x264", "nvenc-h264"})
    for (const char* r : {"x264", "nvenc-h264"})
      for (int i = 0; i < static_cast<int>(FindFamily(s).presets.size()); ++i)
        for (int j = 0; j < static_cast<int>(FindFamily(r).presets.size()); ++j) {
          const Option stream = option(s, i, false), recording = option(r, j, true);
          if (stream.keeps_pace(0.2) && recording.keeps_pace(0.2) && PredictDemand(stream, recording, {2, 0.2}).fits)
            best = std::max(best, stream.score);
        }
  return best;
}

// The easy clip is left out once a middle preset showed it to be easier; of the slowest presets it is the one that is
// too slow.
TEST(MakePlan, WhatIsChosenKeepsPaceOnFootageThatWasLeftOutToo) {
  FakeRunner runner([](const std::string&, int preset, bool, const std::string& footage) {
    const double fps = footage == "hard" ? 300.0 - 20 * preset : preset < 6 ? 400.0 : 61.0;
    return Figures{fps, 0.3, 0.85 + 0.01 * preset + (footage == "easy" ? 0.05 : 0)};
  });
  Show show;
  TrialBook book(runner, {}, [](const auto&) {});
  const PlanRequest request{show, test::FakeTargets(), {FakeFootage("hard"), FakeFootage("easy")}, {"x264"}, {2, 0.2}};
  const Plan plan = MakePlan(request, book, [](const Pair&) { return FakeProof(0, 0); });
  ASSERT_TRUE(plan.chosen);
  for (const Option& option : {plan.chosen->stream, plan.chosen->recording}) {
    EXPECT_EQ(option.clips.size(), 2u) << option.title();
    EXPECT_GE(option.headroom, 0.2) << option.title();
  }
}

TEST(MakePlan, FindsTheBestStreamWithFewerTrialsThanTheGrid) {
  int found = 0, behind = 0;
  for (unsigned seed = 1; seed <= 300; ++seed) {
    const auto machine = RandomMachine(seed);
    const Plan plan =
        PlanFor(machine, {"x264", "nvenc-h264"}, [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); });
    EXPECT_LE(plan.trials, plan.grid) << "seed " << seed;
    const double best = BestByExhaustion(machine);
    EXPECT_EQ(plan.verdict() == PlanVerdict::kHolds, best > 0) << "seed " << seed;
    if (best == 0) continue;
    ++found;
    EXPECT_TRUE(plan.chosen->demand.fits) << "seed " << seed;
    behind += plan.chosen->stream.score <= best - 1;
    EXPECT_GT(plan.chosen->stream.score, best - 2.5) << "seed " << seed;
    EXPECT_LE(plan.chosen->stream.score, best) << "seed " << seed;
  }
  EXPECT_GT(found, 100);
  EXPECT_LE(behind, found / 50) << "by a point, within which the game comes first";
}

TEST(MakePlan, OneFamilyKeepsToTheGridToo) {
  for (unsigned seed = 1; seed <= 300; ++seed) {
    const Plan plan = PlanFor(RandomMachine(seed), {"x264"}, [](const Pair&) { return FakeProof(0, 0); });
    EXPECT_LE(plan.trials, plan.grid) << "seed " << seed;
  }
}

// A run that leaves too little headroom may end early while others are left. What stands in the end ran to its end.
TEST(MakePlan, NoPlanRestsOnAProofRunThatEndedEarly) {
  for (const bool lighter_ones_have_room : {true, false}) {
    FakeRunner runner(RandomMachine(7));
    Show show;
    TrialBook book(runner, {}, [](const auto&) {});
    PlanRequest request{show, test::FakeTargets(), {FakeFootage("hard")}, {"x264"}, {2, 0.2}};
    int early = 0, whole = 0;
    const auto run = [&](const Pair& pair) {
      Proof proof = FakeProof(0, 0);
      proof.cpu_cores = early > 0 && lighter_ones_have_room ? pair.demand.cpu_cores / 2 : 1.9;
      return proof;
    };
    request.prove_until_too_much = [&](const Pair& pair) {
      Proof proof = run(pair);
      proof.ended_early = proof.cpu_cores > 1.6;
      ++early;
      return proof;
    };
    const Plan plan = MakePlan(request, book, [&](const Pair& pair) {
      ++whole;
      return run(pair);
    });
    ASSERT_TRUE(plan.chosen) << plan.proving.attempts.size();
    EXPECT_GT(early, 1);
    EXPECT_FALSE(plan.proving.attempts.back().proof.ended_early);
    EXPECT_EQ(plan.verdict(), lighter_ones_have_room ? PlanVerdict::kHolds : PlanVerdict::kTight);
    EXPECT_EQ(whole > 0, !lighter_ones_have_room) << "once more, for want of anything with more room";
  }
}

const FakeRunner::Machine kSlow = [](const std::string&, int preset, bool, const std::string&) {
  return Figures{40.0 - preset, 2, 0.9};
};

TEST(MakePlan, NothingHoldsNamesTheNearestThingThatWould) {
  const Plan plan = PlanFor(kSlow, {"x264"}, [](const Pair&) { return FakeProof(0, 0); });
  EXPECT_FALSE(plan.chosen);
  EXPECT_TRUE(plan.proving.attempts.empty()) << "there was nothing to prove";
  // Both together need 4 cores of 1.6: two fifths of 60 frames a second, and the source divided by whole numbers.
  EXPECT_THAT(plan.nearest, test::Says("with 20 frames a second"));
  EXPECT_THAT(plan.nearest, test::Says("predicted"));
}

TEST(MakePlan, AFailedProofIsNoPlan) {
  const auto fast = [](const std::string&, int preset, bool, const std::string&) {
    return Figures{900.0 - preset, 0.1, 0.9};
  };
  const Plan plan = PlanFor(fast, {"x264"}, [](const Pair&) { return FakeProof(1, 0); });
  EXPECT_FALSE(plan.chosen);
  EXPECT_FALSE(plan.nearest.empty());
  EXPECT_EQ(nlohmann::json(plan)["proof"]["verdict"], "does not keep pace");
}

TEST(MakePlan, AnEncoderThatCrashesIsEvidence) {
  const auto machine = [](const std::string& encoder, int preset, bool, const std::string&) {
    return encoder == "x264" ? Figures{400.0 - 30 * preset, 0.3, 0.9} : Figures{0, 0, 0};
  };
  const Plan plan = PlanFor(machine, {"x264", "nvenc-h264"}, [](const Pair&) { return FakeProof(0, 0); });
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->stream.device, "cpu");
  EXPECT_THAT(nlohmann::json(plan).dump(), testing::HasSubstr("signal 11"));
}

// A card makes 90 frames a second whatever the preset, the processor is too slow: one card cannot do both encodes.
TEST(MakePlan, TheRecordingMayGoToASecondCard) {
  FakeRunner runner([](const std::string& encoder, int preset, bool, const std::string&) {
    return encoder == "x264" ? Figures{40, 2, 0.9} : Figures{90, 0.1, 0.9 + 0.001 * preset};
  });
  const Show show;
  const auto plan_with = [&](const std::map<std::string, std::vector<int>>& devices) {
    TrialBook book(runner, {}, [](const auto&) {});
    const PlanRequest request{show,   test::FakeTargets(), {FakeFootage("hard")}, {"x264", "nvenc-h264"}, {2, 0.2}, 5,
                              devices};
    return MakePlan(request, book, [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); });
  };
  EXPECT_FALSE(plan_with({}).chosen) << "each takes two thirds of the engine";
  const Plan two = plan_with({{"x264", {0}}, {"nvenc-h264", {0, 1}}});
  ASSERT_TRUE(two.chosen);
  EXPECT_NE(two.chosen->stream.settings.device, two.chosen->recording.settings.device);
  EXPECT_NEAR(two.chosen->demand.engine_share, 60.0 / 90, 1e-9) << "of the card that has most to do";
  EXPECT_THAT(nlohmann::json(two)["because"].dump(), testing::HasSubstr("GPU 1"));
}

// The first card does not encode: all is searched, placed and refined on the second.
TEST(MakePlan, NothingIsAskedOfACardThatDoesNotWork) {
  FakeRunner runner([](const std::string& encoder, int preset, bool, const std::string&) {
    return encoder == "x264" ? Figures{40, 2, 0.9} : Figures{400, 0.1, 0.9 + 0.001 * preset};
  });
  TrialBook book(runner, {}, [](const auto&) {});
  Targets targets = test::FakeTargets();
  targets.sizes = {targets.stream.size, {128, 72}};
  const Show show;
  const PlanRequest request{
      show, targets, {FakeFootage("hard")}, {"x264", "nvenc-h264"}, {2, 0.2}, 5, {{"x264", {0}}, {"nvenc-h264", {1}}}};
  const Plan plan = MakePlan(request, book, [](const Pair& pair) { return test::ProofAsPredicted(pair, 2); });
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.chosen->stream.settings.encoder, "nvenc-h264");
  for (const Trial& trial : book.trials()) EXPECT_EQ(trial.settings.device, trial.device == "gpu" ? 1 : 0);
}

// Two encodes of 1.1 processors each, alone, on a machine of two.
const FakeRunner::Machine kNearly = [](const std::string&, int preset, bool, const std::string&) {
  return Figures{120.0 - 10 * preset, 1.1 + preset, 0.9};
};
Plan PlanNearly(double measured_cores, int skipped) {
  return PlanFor(kNearly, {"x264"}, [=](const Pair&) {
    Proof proof = FakeProof(0, skipped);
    proof.cpu_cores = measured_cores;
    return proof;
  });
}

TEST(MakePlan, WhatDoesNotFitByPredictionIsProvenAllTheSame) {
  const Plan roomy = PlanNearly(1.5, 0);
  ASSERT_TRUE(roomy.chosen);
  EXPECT_EQ(roomy.verdict(), PlanVerdict::kHolds);
  EXPECT_EQ(roomy.chosen->stream.title(), "x264 ultrafast");
  EXPECT_FALSE(roomy.chosen->demand.fits);

  const Plan tight = PlanNearly(1.9, 0);
  EXPECT_TRUE(tight.chosen);
  EXPECT_EQ(tight.verdict(), PlanVerdict::kTight);
  EXPECT_EQ(nlohmann::json(tight)["verdict"], "tight");

  const Plan overload = PlanNearly(2, 40);
  EXPECT_FALSE(overload.chosen);
  EXPECT_EQ(overload.verdict(), PlanVerdict::kOverload);
  EXPECT_EQ(overload.proving.attempts.size(), 1u);
}

// A machine with speed to spare whose proof runs end as `prove` says, for a show that leaves size and frame rate free.
Plan PlanOfFreePicture(const std::function<Proof(const Pair&)>& prove) {
  FakeRunner runner([](const std::string&, int preset, bool, const std::string&) {
    return Figures{900.0 - 20 * preset, 0.2, 0.9 + 0.001 * preset};
  });
  Show show;
  TrialBook book(runner, {}, [](const auto&) {});
  Targets targets = test::FakeTargets();
  targets.sizes = CandidateSizes({1280, 720});
  targets.rates = CandidateRates({60, 1}, {60, 1});
  targets.stream.size = targets.sizes.front();
  const PlanRequest request{show, targets, {FakeFootage("hard")}, {"x264"}, {4, 0.2}};
  return MakePlan(request, book, prove);
}

// It was fifteen once: five for each of three pictures.
TEST(MakePlan, NoMoreProofRunsThanPromisedHoweverManyPicturesAreTried) {
  int runs = 0;
  const Plan plan = PlanOfFreePicture([&](const Pair&) {
    ++runs;
    return FakeProof(9, 9);
  });
  EXPECT_EQ(plan.verdict(), PlanVerdict::kOverload);
  EXPECT_GE(runs, 2);
  EXPECT_LE(runs, 5);
}

TEST(MakePlan, ATightPictureStandsWithItsOwnReasonsWhenLighterOnesFail) {
  int runs = 0;
  const Plan plan = PlanOfFreePicture([&](const Pair&) {
    Proof proof = FakeProof(0, ++runs == 1 ? 0 : 9);
    proof.cpu_cores = proof.busiest_cpu_cores = 3.9;
    return proof;
  });
  EXPECT_GT(runs, 1);
  EXPECT_EQ(plan.verdict(), PlanVerdict::kTight);
  ASSERT_TRUE(plan.chosen);
  EXPECT_EQ(plan.targets.stream.size, plan.chosen->stream.settings.size);
  EXPECT_EQ(plan.targets.stream.frame_rate, plan.chosen->stream.settings.frame_rate);
  EXPECT_THAT(nlohmann::json(plan)["settings"].dump(), testing::Not(testing::HasSubstr("did not hold")));
}

TEST(MakePlan, WhatIsFarFromFittingIsNotTried) {
  const Plan plan = PlanFor(kSlow, {"x264"}, [](const Pair&) { return FakeProof(0, 0); });
  EXPECT_TRUE(plan.proving.attempts.empty());
  EXPECT_THAT(plan.nearest, test::Says("(predicted)"));
}

TEST(KnownOptions, AreTheStreamsOnThisFootageOnly) {
  FakeRunner runner(RandomMachine(1));
  TrialBook book(runner, {}, [](const auto&) {});
  const Targets targets = test::FakeTargets();
  const auto get = [&](const EncodeSettings& target, const char* preset, const char* footage) {
    book.Get(WithEncoder(target, "x264", preset), FakeFootage(footage));
  };
  get(targets.stream, "fast", "hard");
  get(targets.stream, "ultrafast", "hard");
  get(targets.stream, "ultrafast", "easy");
  get(targets.stream, "slow", "another show's");
  get(targets.recording, "medium", "hard");
  const auto options = KnownOptions(book, targets.stream, {FakeFootage("easy"), FakeFootage("hard")});
  ASSERT_EQ(options.size(), 2u);
  EXPECT_EQ(options[0].settings.preset, "ultrafast");
  EXPECT_TRUE(options[0].measured);
  EXPECT_EQ(options[1].settings.preset, "fast");
  EXPECT_FALSE(options[1].measured) << "one footage is missing";
}

TEST(MakePlan, EveryChoiceCarriesItsEvidence) {
  const Plan plan = PlanFor(RandomMachine(3), {"x264", "nvenc-h264"}, [](const Pair&) { return FakeProof(0, 0); });
  ASSERT_TRUE(plan.chosen);
  const nlohmann::json json = plan;
  for (const char* key : {"encoder", "device", "preset", "size", "frame_rate", "rate_control", "bit_rate_kbps",
                          "keyframe_seconds", "headroom", "quality", "simulated"}) {
    EXPECT_TRUE(json["stream"].contains(key)) << key;
    EXPECT_TRUE(json["recording"].contains(key)) << key;
  }
  std::vector<std::string> choices;
  for (const auto& reason : json["because"]) {
    choices.push_back(reason["choice"]);
    EXPECT_FALSE(Sentence(reason["why"].get<Message>()).empty()) << reason["choice"];
  }
  EXPECT_THAT(choices, testing::IsSupersetOf({"placement", "stream.preset", "recording.preset"}));
}

}  // namespace
}  // namespace kettle
