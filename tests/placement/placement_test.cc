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

TEST(AsOneEncode, RecordsTheStream) {
  const Pair pair = AsOneEncode(Cpu().measure(Role::kStream, 2), kTwoCores);
  EXPECT_TRUE(pair.one_encode);
  EXPECT_EQ(pair.recording.settings, pair.stream.settings);
  EXPECT_NEAR(pair.demand.cpu_cores, 1.3, 1e-9);
  EXPECT_TRUE(pair.demand.fits);
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

TEST(PredictDemand, ADriverThatOpensOneEncodeAtOnceGetsOneOnly) {
  const Option stream = Gpu().measure(Role::kStream, 0), recording = Gpu().measure(Role::kRecording, 0);
  Capacity capacity{4, 0};
  EXPECT_TRUE(PredictDemand(stream, recording, capacity).fits);
  capacity.sessions["nvenc-h264"] = 1;
  const Demand demand = PredictDemand(stream, recording, capacity);
  EXPECT_FALSE(demand.fits);
  EXPECT_THAT(Sentence(Lacking(demand, capacity)), testing::HasSubstr("more than one encode at a time"));
  EXPECT_TRUE(PredictDemand(stream, Cpu().measure(Role::kRecording, 0), capacity).fits) << "the other is elsewhere";
}

TEST(SlowestBeside, TakesTheSlowestPresetThatFits) {
  const Option stream = Cpu().measure(Role::kStream, 1);
  const auto on_processors = SlowestBeside(stream, Cpu(), kTwoCores), on_card = SlowestBeside(stream, Gpu(), kTwoCores);
  ASSERT_TRUE(on_processors && on_card);
  EXPECT_EQ(on_processors->recording.title(), "x264 ultrafast") << "0.8 of 1.6 cores are left";
  EXPECT_EQ(on_card->recording.title(), "nvenc-h264 p3") << "90 frames a second";
  EXPECT_TRUE(on_card->demand.fits);
  EXPECT_FALSE(SlowestBeside(Cpu().measure(Role::kStream, 3), Cpu(), kTwoCores));
}

TEST(SlowestBeside, AFasterPresetThatLooksBetterIsTaken) {
  FamilyOptions odd = Gpu();
  odd.known = [](Role, int) { return true; };
  odd.measure = [usual = odd.measure](Role role, int preset) {
    Option option = usual(role, preset);
    if (preset == 1) option.score = 20;
    return option;
  };
  EXPECT_EQ(SlowestBeside(Cpu().measure(Role::kStream, 1), odd, kTwoCores)->recording.title(), "nvenc-h264 p2");
}

// Two cards in either order, one of them the game's: alike in all else, the other one encodes.
TEST(SortPairs, BetweenEqualCardsTheGamesIsLeftAlone) {
  const auto on_card = [](int device) {
    Option option = Gpu().measure(Role::kStream, 0);
    option.settings.device = device;
    option.bus_address = device == 0 ? "0000:01:00.0" : "0000:02:00.0";
    return option;
  };
  for (const char* of_the_game : {"0000:01:00.0", "0000:02:00.0"}) {
    Capacity capacity = kTwoCores;
    capacity.game_card = of_the_game;
    std::vector<Pair> pairs{AsOneEncode(on_card(0), capacity), AsOneEncode(on_card(1), capacity)};
    SortPairs(pairs, capacity);
    EXPECT_NE(pairs.front().stream.bus_address, of_the_game);
    EXPECT_EQ(EncodesBesideTheGame(pairs.front(), capacity), 0);
  }
}

TEST(SortPairs, WithinAPointOfTheBestStreamTheGameComesFirst) {
  const auto first_with = [](double step) {
    std::vector<Pair> pairs;
    for (int preset = 0; preset < 3; ++preset) {
      Option option = Cpu().measure(Role::kStream, preset);
      option.score = 12 + step * preset;
      pairs.push_back(AsOneEncode(option, kTwoCores));
    }
    SortPairs(pairs, kTwoCores);
    return pairs.front().stream.title();
  };
  EXPECT_EQ(first_with(0.4), "x264 ultrafast") << "0.8 points less";
  EXPECT_EQ(first_with(0.6), "x264 superfast") << "1.2 would be too many";
  EXPECT_EQ(first_with(1.5), "x264 veryfast");
}

TEST(SortPairs, BetweenEqualStreamsTheGameGetsTheCores) {
  const Option stream = Cpu().measure(Role::kStream, 2);
  const Capacity capacity{4, 0.2};
  std::vector<Pair> pairs{*SlowestBeside(stream, Cpu(), capacity), *SlowestBeside(stream, Gpu(), capacity)};
  SortPairs(pairs, capacity);
  EXPECT_EQ(pairs.front().recording.device, "gpu");
}

}  // namespace
}  // namespace kettle
