// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/placement.h"

#include "fakes.h"
#include "says.h"

namespace kettle {
namespace {

using test::FakeOption;

const Capacity kTwoCores{2, 0.2};

// Families whose presets have the given speed and cores; quality grows by 1 dB a preset.
FamilyOptions Family(const std::string& name, std::vector<std::pair<double, double>> speed_and_cores,
                     double best_score) {
  const auto option = [=](Role role, int preset) {
    const auto& [fps, cores] = speed_and_cores[static_cast<std::size_t>(preset)];
    const double heavier = role == Role::kRecording ? 1.1 : 1;
    return FakeOption(name, FindFamily(name).presets[static_cast<std::size_t>(preset)], fps / heavier, cores * heavier,
                      best_score - static_cast<double>(speed_and_cores.size()) + preset);
  };
  return {name, static_cast<int>(speed_and_cores.size()), option, [](Role, int) { return false; }};
}

FamilyOptions Cpu() { return Family("x264", {{300, 0.4}, {150, 0.8}, {90, 1.3}, {70, 1.7}}, 14); }
FamilyOptions Gpu() { return Family("nvenc-h264", {{200, 0.05}, {120, 0.05}, {90, 0.05}, {60, 0.05}}, 12); }

TEST(PredictDemand, AddsWhatBothTake) {
  Option stream = FakeOption("x264", "fast", 100, 1.0, 10), recording = FakeOption("nvenc-h264", "p4", 120, 0.1, 10);
  stream.feeding_cores = recording.feeding_cores = 0.05;
  const Demand demand = PredictDemand({stream, recording}, kTwoCores);
  EXPECT_NEAR(demand.cpu_cores, 1.2, 1e-9);
  EXPECT_NEAR(demand.engine_share, 0.5, 1e-9);
  EXPECT_TRUE(demand.fits);
  stream.cpu_cores = 1.5;
  EXPECT_FALSE(PredictDemand({stream, recording}, kTwoCores).fits) << "above 80 % of two cores";
  stream.cpu_cores = 0.1;
  recording.throughput_fps = 70;
  EXPECT_FALSE(PredictDemand({stream, recording}, kTwoCores).fits) << "above 80 % of the engine";
}

// The verdict goes by the busiest second of a proof run, and trials tell of the average.
TEST(PredictDemand, CountsWhatTheBusiestSecondTakesMore) {
  Option stream = FakeOption("x264", "fast", 100, 1.0, 10), recording = FakeOption("nvenc-h264", "p4", 120, 0.1, 10);
  stream.feeding_cores = 0.4;
  Capacity capacity = kTwoCores;
  EXPECT_TRUE(PredictDemand({stream, recording}, capacity).fits);
  capacity.real_time_factor = kUsualRealTimeFactor;
  const Demand demand = PredictDemand({stream, recording}, capacity);
  EXPECT_NEAR(demand.cpu_cores, 1.5 * kUsualRealTimeFactor, 1e-9);
  EXPECT_FALSE(demand.fits) << "above 80 % of two cores";
}

// A frame of 1280x720 at 60 a second is 83 MB a second.
TEST(PredictDemand, FramesThatLeaveTheGamesCardAreCopied) {
  Option stream = FakeOption("nvenc-h264", "p4", 120, 0.1, 10), recording = FakeOption("vaapi-h264", "4", 120, 0.1, 10);
  stream.bus_address = "0000:01:00.0";
  recording.bus_address = "0000:00:02.0";
  recording.settings.size = {1280, 720};
  recording.settings.frame_rate = {60, 1};
  Capacity capacity = kTwoCores;
  EXPECT_EQ(PredictDemand({stream, recording}, capacity).crossing_cores, 0) << "nobody knows where the game is";
  capacity.game_card = stream.bus_address;
  capacity.copy_bytes_per_second = 829'440'000;
  const Demand demand = PredictDemand({stream, recording}, capacity);
  EXPECT_NEAR(demand.crossing_cores, 0.1, 1e-9);
  EXPECT_NEAR(demand.cpu_cores, 0.3, 1e-9);
  recording.device = "cpu";
  recording.bus_address = "";
  EXPECT_NEAR(PredictDemand({stream, recording}, capacity).crossing_cores, 0.1, 1e-9) << "processors need it in memory";
  recording.device = "gpu";
  EXPECT_EQ(PredictDemand({stream, recording}, capacity).crossing_cores, 0) << "nobody knows where that card is";
}

TEST(DemandOf, OneEncodeTakesWhatTheStreamTakes) {
  Option stream = FakeOption("x264", "fast", 100, 1.0, 10);
  stream.peak_second_kbps = 8000;
  const Demand demand = DemandOf({stream, stream, {}, {}, true}, kTwoCores);
  EXPECT_NEAR(demand.cpu_cores, 1.0, 1e-9);
  EXPECT_NEAR(demand.disk_bytes_per_second, 1e6, 1e-6);
  EXPECT_TRUE(demand.fits);
  EXPECT_FALSE(DemandOf({stream, stream, {}}, kTwoCores).fits) << "two of them do not fit";
}

TEST(PlaceOneEncode, TakesTheSlowestPresetThatFitsAlone) {
  const Placement placement = PlaceOneEncode({Cpu(), Gpu()}, kTwoCores);
  ASSERT_EQ(placement.feasible.size(), 2u);
  EXPECT_EQ(placement.feasible[0].stream.title(), "x264 veryfast") << "90 frames a second, 1.3 of 1.6 cores";
  EXPECT_TRUE(placement.feasible[0].one_encode);
  EXPECT_EQ(placement.feasible[0].recording.settings, placement.feasible[0].stream.settings);
  EXPECT_EQ(placement.feasible[1].stream.title(), "nvenc-h264 p3");
}

TEST(PredictDemand, CountsMemoryAndDiskWhereTheyWereMeasured) {
  Option stream = FakeOption("x264", "fast", 100, 0.5, 10), recording = stream;
  stream.settings.size = recording.settings.size = {1920, 1080};
  recording.peak_second_kbps = 80'000;
  const Demand demand = PredictDemand(stream, recording, kTwoCores);
  // 2 encodes of 1920 x 1080 x 60 pixels of 1.5 bytes, each moved five times.
  EXPECT_NEAR(demand.memory_bytes_per_second, 2 * 1920.0 * 1080 * 60 * 1.5 * 5, 1);
  EXPECT_NEAR(demand.disk_bytes_per_second, 10e6, 1);
  EXPECT_TRUE(demand.fits) << "neither was measured";
  EXPECT_TRUE(PredictDemand(stream, recording, {2, 0.2, 3e9, 13e6}).fits);
  EXPECT_FALSE(PredictDemand(stream, recording, {2, 0.2, 2e9, 13e6}).fits);
  EXPECT_FALSE(PredictDemand(stream, recording, {2, 0.2, 3e9, 12e6}).fits);
}

TEST(Lacking, NamesEachThingOfWhichThereIsTooLittle) {
  Demand demand{.cpu_cores = 1.92, .engine_share = 0.95};
  demand.disk_bytes_per_second = 30e6;
  const std::string lacking = Sentence(Lacking(demand, {2, 0.2, 3e9, 20e6}));
  EXPECT_EQ(lacking, "1.92 of 1.60 cores, 95 of 80 % of the GPU's engine, 0.03 of 0.02 GB/s of the disk");
  EXPECT_TRUE(Lacking({.cpu_cores = 1.5}, {2, 0.2}).empty());
}

TEST(Place, ADriverThatOpensOneEncodeAtOnceGetsOneOnly) {
  std::vector<FamilyOptions> families = {Family("nvenc-h264", {{400, 0.05}, {300, 0.05}}, 12)};
  EXPECT_FALSE(Place(families, kTwoCores, true).feasible.empty());
  families[0].sessions = 1;
  const Placement placement = Place(families, kTwoCores, true);
  EXPECT_TRUE(placement.feasible.empty());
  ASSERT_FALSE(placement.rejected.empty());
  EXPECT_THAT(placement.rejected[0].why, test::Says("only one encode at a time"));
}

TEST(Place, TheBetterLookingStreamGetsItsDeviceToItself) {
  const Placement placement = Place({Cpu(), Gpu()}, kTwoCores, true);
  ASSERT_FALSE(placement.feasible.empty());
  EXPECT_EQ(placement.feasible[0].stream.title(), "x264 veryfast");
  EXPECT_EQ(placement.feasible[0].recording.title(), "nvenc-h264 p3");
  EXPECT_TRUE(placement.feasible[0].demand.fits);
}

TEST(Place, BetweenEqualStreamsTheGameGetsTheCores) {
  // Four cores: both encodes fit on the CPU, but the recording costs the game nothing on the GPU.
  const Placement placement = Place({Cpu(), Gpu()}, {4, 0.2}, true);
  ASSERT_GE(placement.feasible.size(), 2u);
  EXPECT_EQ(placement.feasible[0].stream.device, "cpu");
  EXPECT_EQ(placement.feasible[0].recording.device, "gpu");
  EXPECT_LT(placement.feasible[0].demand.cpu_cores, placement.feasible[1].demand.cpu_cores);
}

// Two cards in either order, one of them the game's: alike in all else, the other one encodes.
TEST(Place, BetweenEqualCardsTheGamesIsLeftAlone) {
  const auto card = [](int device) {
    FamilyOptions family = Gpu();
    family.device = device;
    family.measure = [device, measure = family.measure](Role role, int preset) {
      Option option = measure(role, preset);
      option.settings.device = device;
      option.bus_address = device == 0 ? "0000:01:00.0" : "0000:02:00.0";
      return option;
    };
    return family;
  };
  for (const char* of_the_game : {"0000:01:00.0", "0000:02:00.0"}) {
    Capacity capacity = kTwoCores;
    capacity.game_card = of_the_game;
    const Placement placement = PlaceOneEncode({card(0), card(1)}, capacity);
    ASSERT_FALSE(placement.feasible.empty());
    EXPECT_NE(placement.feasible.front().stream.bus_address, of_the_game);
    EXPECT_EQ(EncodesBesideTheGame(placement.feasible.front(), capacity), 0);
  }
}

TEST(Place, OneDeviceAloneMakesRoomForBoth) {
  const Placement placement = Place({Cpu()}, kTwoCores, true);
  ASSERT_EQ(placement.feasible.size(), 1u);
  EXPECT_EQ(placement.feasible[0].stream.title(), "x264 superfast") << "with the slower one no recording fits";
  EXPECT_EQ(placement.feasible[0].recording.title(), "x264 ultrafast");
}

TEST(Place, SaysWhatDoesNotFit) {
  const Placement none = Place({Family("x264", {{50, 1.9}, {30, 2}}, 10)}, kTwoCores, true);
  EXPECT_TRUE(none.feasible.empty());
  ASSERT_EQ(none.rejected.size(), 1u);
  EXPECT_THAT(none.rejected[0].why, test::Says("50 frames a second"));

  const Placement tight = Place({Family("x264", {{100, 1.2}, {80, 1.5}}, 10)}, kTwoCores, true);
  EXPECT_TRUE(tight.feasible.empty());
  ASSERT_EQ(tight.rejected.size(), 1u);
  EXPECT_TRUE(tight.rejected[0].demand) << "the evidence is missing";
}

TEST(Place, AFamilyInTroubleDoesNotStopTheOther) {
  FamilyOptions broken = Gpu();
  broken.measure = [](Role, int) {
    Option option = FakeOption("nvenc-h264", "p1", 100, 0, 10);
    option.trouble = "crashed";
    return option;
  };
  const Placement placement = Place({Cpu(), broken}, kTwoCores, true);
  ASSERT_FALSE(placement.feasible.empty());
  EXPECT_EQ(placement.feasible[0].stream.device, "cpu");
  EXPECT_EQ(Sentence(placement.rejected[0].why), "crashed");
}

// A preset that the search never measured was once reported as a measured misfit.
TEST(Place, WhatWasNotMeasuredIsNotCalledAMisfit) {
  FamilyOptions cpu = Cpu();
  const auto usual = cpu.measure;
  cpu.measure = [usual](Role role, int preset) {
    Option option = usual(role, preset);
    if (role == Role::kRecording && preset == 0) option.trouble = "not measured";
    return option;
  };
  const Placement placement = Place({cpu}, kTwoCores, true);
  ASSERT_EQ(placement.rejected.size(), 1u);
  EXPECT_EQ(Sentence(placement.rejected[0].why), "not measured");
}

TEST(Place, WithinAPointOfTheBestStreamTheGameComesFirst) {
  FamilyOptions cpu = Family("x264", {{300, 0.4}, {150, 0.8}, {90, 1.1}}, 14);
  const auto usual = cpu.measure;
  double step = 0.4;  // points from one preset to the next
  cpu.measure = [&](Role role, int preset) {
    Option option = usual(role, preset);
    option.score = 12 + step * preset;
    return option;
  };
  cpu.known = [](Role, int) { return true; };
  EXPECT_EQ(PlaceOneEncode({cpu}, kTwoCores).feasible[0].stream.title(), "x264 ultrafast") << "0.8 points less";
  step = 0.6;
  EXPECT_EQ(PlaceOneEncode({cpu}, kTwoCores).feasible[0].stream.title(), "x264 superfast") << "1.2 would be too many";
  step = 1.5;
  EXPECT_EQ(PlaceOneEncode({cpu}, kTwoCores).feasible[0].stream.title(), "x264 veryfast");
}

// A stream that never came near is walked only where nothing better fits.
TEST(Place, AFamilyFarBehindIsNotWalkedAsStream) {
  FamilyOptions cpu = Cpu(), gpu = Gpu();
  int walked = 0;
  const auto usual = gpu.measure;
  gpu.measure = [&](Role role, int preset) {
    walked += role == Role::kStream;
    return usual(role, preset);
  };
  cpu.stream_score = 17;
  gpu.stream_score = 11;
  const Placement placement = Place({cpu, gpu}, kTwoCores, true);
  EXPECT_EQ(placement.feasible[0].stream.device, "cpu");
  EXPECT_EQ(placement.feasible[0].recording.device, "gpu");
  EXPECT_EQ(walked, 0);
  EXPECT_THAT(Sentence(placement.rejected.back().why),
              testing::HasSubstr("at no size did its stream look better than 11.0"));
  gpu.stream_score = 16.5;
  Place({cpu, gpu}, kTwoCores, true);
  EXPECT_GT(walked, 0) << "near";
  walked = 0;
  gpu.stream_score = 11;
  gpu.stream_may_gain = 8;
  Place({cpu, gpu}, kTwoCores, true);
  EXPECT_GT(walked, 0) << "B-frames may bring it near";
  cpu.stream_score = 30;
  walked = 0;
  Place({cpu, gpu}, kTwoCores, true);
  EXPECT_GT(walked, 0) << "what fits looks worse than the GPU could";
  walked = 0;
  gpu.stream_may_gain = 0;
  gpu.stream_score = 11;
  Place({cpu, gpu}, {0.4, 0.2}, true);
  EXPECT_GT(walked, 0) << "nothing else fits";
}

TEST(Place, AFasterPresetThatLooksBetterIsTaken) {
  FamilyOptions odd = Cpu();
  odd.known = [](Role, int) { return true; };
  const auto usual = odd.measure;
  odd.measure = [usual](Role role, int preset) {
    Option option = usual(role, preset);
    if (preset == 1) option.score = 20;
    return option;
  };
  EXPECT_EQ(Place({odd, Gpu()}, kTwoCores, true).feasible[0].stream.title(), "x264 superfast");
}

}  // namespace
}  // namespace kettle
