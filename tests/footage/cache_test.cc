// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/cache.h"

#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstring>
#include <set>

#include "clip.h"
#include "says.h"

namespace kettle {
namespace {

using test::Complaint;

class CacheTest : public test::FolderTest {
 protected:
  Footage Prepare(const std::string& source, FrameSize size, FrameRate rate, double seconds) {
    calls_ = 0;
    return PrepareFootage({source, size, rate, seconds}, path("cache"), [&](double) { ++calls_; });
  }

  // A clip of `calm` still pictures, then `busy` moving ones, at 25 a second.
  std::string MakeClip(const std::string& name, int calm, int busy) {
    test::ClipRequest request;
    request.settings.preset = "superfast";
    request.settings.bit_rate = request.settings.maximum_bit_rate = BitRate::FromKbps(4000);
    request.pictures = calm + busy;
    request.motion = [=](int i) { return std::max(0, i - calm); };
    return test::MakeClip(path(name), request);
  }

  int calls_ = 0;
};

TEST_F(CacheTest, RendersASceneOnce) {
  const Footage first = Prepare("open-water", {128, 72}, {30, 1}, 1);
  EXPECT_EQ(first.frames, 30);
  EXPECT_GT(calls_, 0);
  const Footage second = Prepare("open-water", {128, 72}, {30, 1}, 1);
  EXPECT_EQ(calls_, 0) << "it was rendered again";
  EXPECT_EQ(second.file, first.file);
  EXPECT_NE(Prepare("open-water", {128, 72}, {60, 1}, 1).file, first.file);
}

TEST_F(CacheTest, AClipTakesTheShowsSizeAndRate) {
  const Footage footage = Prepare(MakeClip("clip.mkv", 0, 50), {320, 180}, {60, 1}, 1);
  EXPECT_EQ(footage.size, (FrameSize{320, 180}));
  EXPECT_EQ(footage.frames, 60);
  EXPECT_EQ(footage.label, "clip.mkv");
}

// A recording of 50 GB was read whole for every plan, before the cache was looked into, deaf to Ctrl-C.
TEST_F(CacheTest, AClipIsReadOnceAndThenCanBeInterrupted) {
  const std::string clip = MakeClip("clip.mkv", 0, 50);
  const auto stop = [](double) -> void { throw Error(Fault::kInterrupted, "interrupted"); };
  EXPECT_THROW(PrepareFootage({clip, {192, 128}, {25, 1}, 1}, path("cache"), stop), Error);
  const Footage first = Prepare(clip, {192, 128}, {25, 1}, 1);
  EXPECT_GT(calls_, 0);
  EXPECT_EQ(PrepareFootage({clip, {192, 128}, {25, 1}, 1}, path("cache"), stop).from_seconds, first.from_seconds)
      << "nothing was read or decoded again";
  CountFurther({clip, {192, 128}, {25, 1}, 1}, path("cache"), stop);
  for (const auto& entry : std::filesystem::directory_iterator(path("cache")))
    if (entry.path().extension() == ".index") std::ofstream(entry.path()) << "{\"size\": ";
  Prepare(clip, {192, 128}, {25, 1}, 0.9);
  EXPECT_GT(calls_, 0) << "an index that is not whole is made anew";
}

TEST_F(CacheTest, WhatAKilledRunLeftIsCleared) {
  const pid_t ended = fork();
  if (ended == 0) _exit(0);
  waitpid(ended, nullptr, 0);
  const std::string left = fmt::format("cache/.kettle-open-water-1.y4m.{}.part", ended);
  Put(left, std::string(10'000, 'x'));
  Prepare("open-water", {128, 72}, {30, 1}, 1);
  EXPECT_FALSE(std::filesystem::exists(path(left)));
}

TEST_F(CacheTest, AShortClipIsPlayedForthAndBackAndSaysSo) {
  const Footage footage = Prepare(MakeClip("clip.mkv", 0, 25), {192, 128}, {25, 1}, 4);
  EXPECT_EQ(footage.frames, 100);
  EXPECT_THAT(footage.notes, testing::ElementsAre(test::Says("forwards and backwards")));
  const Y4mFile file(footage.file);
  const auto same = [&](int a, int b) {
    return std::memcmp(file.Frame(a)->data[0], file.Frame(b)->data[0], 192 * 128) == 0;
  };
  EXPECT_TRUE(same(23, 25)) << "turns at its last picture";
  EXPECT_TRUE(same(0, 48)) << "and at its first";
  EXPECT_FALSE(same(0, 24));
  const std::string tiny = MakeClip("tiny.mkv", 0, 5);
  EXPECT_THAT(Complaint(Fault::kInput, [&] { Prepare(tiny, {192, 128}, {25, 1}, 1); }), testing::HasSubstr("at least"));
}

TEST_F(CacheTest, TakesTheBusiestStretch) {
  const Footage footage = Prepare(MakeClip("clip.mkv", 75, 50), {192, 128}, {25, 1}, 2);
  EXPECT_GT(footage.from_seconds, 2.0) << "the still beginning was taken";
  EXPECT_EQ(footage.frames, 50);
}

TEST_F(CacheTest, TakesTheCalmestStretchWhereAsked) {
  const std::string clip = MakeClip("clip.mkv", 75, 50);
  const Footage calm = PrepareFootage({clip, {192, 128}, {25, 1}, 2, Stretch::kCalmest}, path("cache"), [](double) {});
  EXPECT_LE(calm.from_seconds + 2, 3.1) << "the moving end was taken";
  EXPECT_EQ(calm.label, "clip.mkv, calmest");
  EXPECT_NE(calm.key(), Prepare(clip, {192, 128}, {25, 1}, 2).key());
  const std::string whole = MakeClip("short.mkv", 0, 25);
  EXPECT_EQ(
      PrepareFootage({whole, {192, 128}, {25, 1}, 2, Stretch::kCalmest}, path("cache"), [](double) {}).from_seconds,
      Prepare(whole, {192, 128}, {25, 1}, 2).from_seconds);
}

TEST_F(CacheTest, FurtherStretchesLieBesideTheFirstAndHaveNamesOfTheirOwn) {
  const std::string clip = MakeClip("clip.mkv", 75, 100);  // seven seconds
  FootageRequest request{clip, {192, 128}, {25, 1}, 2};
  const Footage first = PrepareFootage(request, path("cache"), [](double) {});
  const int further = CountFurther(request, path("cache"), [](double) {});
  ASSERT_GE(further, 2);
  std::set<std::string> labels{first.label}, keys{first.key()};
  for (request.further = 1; request.further <= further; ++request.further) {
    const Footage other = PrepareFootage(request, path("cache"), [](double) {});
    EXPECT_GE(std::abs(other.from_seconds - first.from_seconds), 2 - 1e-6);
    EXPECT_LE(other.from_seconds + 2, 7.05);
    EXPECT_EQ(other.frames, 50);
    labels.insert(other.label);
    keys.insert(other.key());
  }
  EXPECT_EQ(labels.size(), static_cast<std::size_t>(further) + 1);
  EXPECT_EQ(keys.size(), static_cast<std::size_t>(further) + 1);
  EXPECT_EQ(
      PrepareFootage({"harbour", {192, 128}, {25, 1}, 2, Stretch::kBusiest, 3}, path("cache"), [](double) {}).label,
      "harbour, from 6 s");
}

TEST_F(CacheTest, ACutOffClipIsRefused) {
  const std::string clip = MakeClip("clip.mkv", 0, 100);
  std::filesystem::resize_file(clip, std::filesystem::file_size(clip) / 2);
  EXPECT_THAT(Complaint(Fault::kInput, [&] { Prepare(clip, {192, 128}, {25, 1}, 1); }), testing::HasSubstr("cut off"));
}

TEST_F(CacheTest, WhatWasUsedLongestAgoGoesButNothingThatIsInUse) {
  constexpr std::uintmax_t kThree = 3 * 30 * 128 * 72 * 3 / 2 + 1000;
  const auto prepare = [&](const char* scene) {
    return PrepareFootage(
        {scene, {128, 72}, {30, 1}, 1}, path("cache"), [](double) {}, kThree);
  };
  const std::filesystem::path first = prepare("open-water").file, second = prepare("start-line").file;
  const auto hour_ago = std::filesystem::file_time_type::clock::now() - std::chrono::hours(1);
  std::filesystem::last_write_time(first, hour_ago - std::chrono::hours(1));
  std::filesystem::last_write_time(second, hour_ago);
  prepare("open-water");  // used again: no longer the oldest
  const Footage third = prepare("harbour");
  PrepareFootage(
      {"harbour", {128, 72}, {30, 1}, 0.9}, path("cache"), [](double) {}, kThree);
  EXPECT_TRUE(std::filesystem::exists(first));
  EXPECT_FALSE(std::filesystem::exists(second));
  // However small the limit is, what a run holds stays.
  PrepareFootage(
      {"harbour", {128, 72}, {30, 1}, 0.8}, path("cache"), [](double) {}, 1);
  EXPECT_FALSE(std::filesystem::exists(first));
  EXPECT_TRUE(std::filesystem::exists(third.file));
}

TEST_F(CacheTest, InspectsAClip) {
  const ClipInfo info = InspectClip(MakeClip("clip.mkv", 0, 25));
  EXPECT_EQ(info.size, (FrameSize{192, 128}));
  EXPECT_NEAR(info.rate.fps(), 25, 0.01);
}

}  // namespace
}  // namespace kettle
