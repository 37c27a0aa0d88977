// SPDX-License-Identifier: Apache-2.0
#include "kettle/line/line_model.h"

#include <cmath>
#include <random>

#include "kettle/line/decoder_buffer.h"
#include "kettle/uplink/rate_choice.h"
#include "support.h"

namespace kettle {
namespace {

// `kbps` in even frames of 1/30 s, a keyframe each second as large as the others.
CodedStream EvenStream(double kbps, double seconds) {
  CodedStream stream;
  stream.seconds = seconds;
  for (int i = 0; i < static_cast<int>(seconds * 30); ++i)
    stream.frames.push_back({i / 30.0, static_cast<int>(kbps * 1000 / 8 / 30), i % 30 == 0});
  return stream;
}

SendingModel PicturesOnly() {
  SendingModel model;
  model.audio_kbps = 0;
  model.bytes_a_frame = 0;
  return model;
}

SentFrame Picture(double seconds, bool keyframe = false) { return {seconds, 1000, keyframe, true, 0, seconds}; }
SentFrame Sound(double seconds) { return {seconds, 100, false, false, -1, seconds}; }

// How many pictures are dropped when `frame` comes.
int Push(SendQueue<SentFrame>& queue, const SentFrame& frame) {
  int dropped = 0;
  queue.Push(frame, [&](const SentFrame& gone) { dropped += gone.video; });
  return dropped;
}

TEST(SendQueue, DropsUpToTheNewestKeyframe) {
  SendQueue<SentFrame> queue({.most_delay_seconds = 1});
  EXPECT_EQ(Push(queue, Picture(0, true)), 0);
  EXPECT_EQ(Push(queue, Picture(0.4)), 0);
  EXPECT_EQ(Push(queue, Picture(0.8, true)), 0);
  EXPECT_EQ(Push(queue, Sound(0.9)), 0);
  EXPECT_EQ(Push(queue, Picture(1.2)), 2) << "both before the second keyframe";
  ASSERT_EQ(queue.size(), 3u);
  EXPECT_EQ(queue.Pop().seconds, 0.8);
  EXPECT_FALSE(queue.Pop().video);
  EXPECT_EQ(queue.Pop().seconds, 1.2);
}

TEST(SendQueue, WithoutAKeyframeWaitsForOne) {
  SendQueue<SentFrame> queue({.most_delay_seconds = 1});
  Push(queue, Picture(0));
  Push(queue, Picture(0.5));
  EXPECT_EQ(Push(queue, Picture(1.5)), 3) << "itself too: it could not be decoded";
  EXPECT_TRUE(queue.empty());
  EXPECT_EQ(Push(queue, Picture(1.6)), 1);
  EXPECT_EQ(Push(queue, Sound(1.7)), 0);
  EXPECT_EQ(Push(queue, Picture(1.8, true)), 0);
  EXPECT_EQ(Push(queue, Picture(1.9)), 0);
}

// An ingest that was away for ten minutes: sound was kept for ever, and each push moved all of it.
TEST(SendQueue, HoldsNoMoreHoweverLongTheLineIsAway) {
  SendQueue<SentFrame> queue({.most_delay_seconds = 1.5});
  std::size_t most = 0, dropped = 0, given = 0;
  for (int i = 0; i < 600 * 60; ++i) {
    const double now = i / 60.0;
    for (const SentFrame& frame : {Picture(now, i % 120 == 0), Sound(now)}) {
      queue.Push(frame, [&](const SentFrame&) { ++dropped; });
      ++given;
    }
    most = std::max(most, queue.size());
  }
  EXPECT_LE(most, 4u * 60 + 3 * 60) << "two groups of pictures, and twice as much sound as may wait";
  EXPECT_EQ(queue.size() + dropped, given) << "each is held or told";
}

TEST(SendQueue, AConnectionThatBeginsGetsPictureAndSoundFromOneMoment) {
  SendQueue<SentFrame> queue({.most_delay_seconds = 9});
  for (int i = 0; i < 40; ++i) {
    const double now = i / 10.0;
    // Pictures come out half a second later than the sound of their time.
    SentFrame picture = Picture(now, i % 20 == 15);
    picture.shown_seconds = now - 0.5;
    Push(queue, picture);
    Push(queue, Sound(now));
  }
  std::vector<SentFrame> gone;
  ASSERT_TRUE(queue.BeginAtKeyframe([&](const SentFrame& frame) { gone.push_back(frame); }));
  EXPECT_EQ(gone.size(), 15u + 10u) << "pictures before 1.0, and sound before 1.0";
  double first_sound = -1, first_picture = -1;
  while (!queue.empty()) {
    const SentFrame frame = queue.Pop();
    double& first = frame.video ? first_picture : first_sound;
    if (first < 0) first = frame.shown_seconds;
  }
  EXPECT_NEAR(first_picture, 1.0, 1e-9);
  EXPECT_NEAR(first_sound, 1.0, 1e-9);
}

TEST(SendQueue, AConnectionThatBeginsWithoutAKeyframeWaits) {
  SendQueue<SentFrame> queue({.most_delay_seconds = 1.5});
  Push(queue, Picture(0));
  Push(queue, Sound(0));
  int dropped = 0;
  EXPECT_FALSE(queue.BeginAtKeyframe([&](const SentFrame&) { ++dropped; }));
  EXPECT_EQ(dropped, 1) << "the picture; the sound may belong to what comes";
  EXPECT_EQ(queue.size(), 1u);
}

TEST(LineModel, ALineWithRoomLosesNothing) {
  const SendingOutcome outcome = SimulateSending(EvenStream(3000, 5), LineTrace::Steady(6000, 60), PicturesOnly());
  EXPECT_EQ(outcome.frames, 1800);
  EXPECT_EQ(outcome.dropped, 0);
  EXPECT_NEAR(outcome.peak_delay_seconds, 0.5 / 30, 1e-4) << "a frame's bits at twice its rate";
}

TEST(LineModel, ALineThatIsTooSlowLosesTheRest) {
  const SendingOutcome outcome = SimulateSending(EvenStream(4000, 5), LineTrace::Steady(3000, 600), PicturesOnly());
  EXPECT_NEAR(outcome.loss(), 0.25, 0.02);
  EXPECT_GT(outcome.peak_delay_seconds, 1.5);
  EXPECT_LT(outcome.peak_delay_seconds, 2.5) << "nothing waits for ever";
}

TEST(LineModel, AnOutageCostsWhatItLasts) {
  const LineTrace line({{0, 6000}, {10, 0}, {15, 6000}}, 30);
  SendingModel model = PicturesOnly();
  const SendingOutcome outcome = SimulateSending(EvenStream(3000, 5), line, model, true);
  EXPECT_EQ(outcome.stretches, 1);
  EXPECT_GT(outcome.dropped, 2 * 30);
  EXPECT_LE(outcome.dropped, 6 * 30);
  EXPECT_NEAR(outcome.peak_delay_seconds, 5, 0.1) << "the frame that was under way when it began";
  ASSERT_EQ(outcome.delay_by_second.size(), 30u);
  EXPECT_LT(outcome.delay_by_second[5], 0.1);
  EXPECT_GT(outcome.delay_by_second[9] + outcome.delay_by_second[10], 4);
  model.scale = 0.1;
  EXPECT_GT(SimulateSending(EvenStream(3000, 5), line, model).dropped, 2 * 30) << "a lower bit rate would not help";
}

TEST(LineModel, WhatTheTransportTookIsNotDropped) {
  const LineTrace line({{0, 6000}, {10, 0}, {14, 6000}}, 30);
  SendingModel model = PicturesOnly();
  const int without = SimulateSending(EvenStream(3000, 5), line, model).dropped;
  model.pipe_bytes = 200'000;  // half a second of it
  EXPECT_LT(SimulateSending(EvenStream(3000, 5), line, model).dropped, without);
}

TEST(LineModel, SoundAndSharesTakeRoom) {
  SendingModel model = PicturesOnly();
  const LineTrace line = LineTrace::Steady(3100, 300);
  EXPECT_EQ(SimulateSending(EvenStream(3000, 5), line, model).dropped, 0);
  model.audio_kbps = 160;
  EXPECT_GT(SimulateSending(EvenStream(3000, 5), line, model).dropped, 0);
  model.audio_kbps = 0;
  model.line_share = 0.5;
  EXPECT_NEAR(SimulateSending(EvenStream(3000, 5), line, model).loss(), 0.48, 0.03);
}

// The same in small steps of time, as one would first write it.
SendingOutcome InSmallSteps(const CodedStream& stream, const LineTrace& line, double most_delay) {
  constexpr double kStep = 0.0005;
  SendingOutcome outcome;
  SendQueue<SentFrame> queue({most_delay});
  SentFrame on_line;
  bool busy = false;
  double left = 0;
  std::size_t next = 0, point = 0;
  double start = 0;
  for (double now = 0; now < line.seconds() + 30; now += kStep) {
    while (now < line.seconds() && start + stream.frames[next].seconds <= now) {
      const CodedStream::Frame& frame = stream.frames[next];
      outcome.dropped += Push(queue, {start + frame.seconds, frame.size_bytes, frame.keyframe, true});
      ++outcome.frames;
      if (++next == stream.frames.size()) {
        next = 0;
        start += stream.seconds;
      }
    }
    while (point + 1 < line.points().size() && line.points()[point + 1].seconds <= now) ++point;
    double bytes = line.points()[point].kbps * 1000 / 8 * kStep;
    while (bytes > 0 || !busy) {
      if (!busy) {  // a frame is taken even while nothing moves
        if (queue.empty()) break;
        on_line = queue.Pop();
        busy = true;
        left = on_line.size_bytes;
        continue;
      }
      const double sent = std::min(bytes, left);
      bytes -= sent;
      left -= sent;
      if (left > 1e-9) continue;
      outcome.peak_delay_seconds = std::max(outcome.peak_delay_seconds, now + kStep - on_line.seconds);
      busy = false;
    }
  }
  return outcome;
}

TEST(LineModel, AgreesWithSmallStepsOfTime) {
  std::mt19937 random(3);
  const auto between = [&](double low, double high) { return std::uniform_real_distribution<>(low, high)(random); };
  for (int round = 0; round < 12; ++round) {
    CodedStream stream;
    stream.seconds = 6;
    for (int i = 0; i < 180; ++i)
      stream.frames.push_back({i / 30.0, static_cast<int>(between(4000, 20000) * (i % 60 == 0 ? 4 : 1)), i % 60 == 0});
    std::vector<LineTrace::Point> points;
    for (int i = 0; i < 60; ++i)
      points.push_back({static_cast<double>(i), between(0, 1) < 0.1 ? 0 : between(1500, 6000)});
    points.push_back({60, 6000});
    const LineTrace line(points, 60);
    const SendingOutcome slow = InSmallSteps(stream, line, 1.5);
    // A frame that waits as long as the rule allows may go either way: the steps are not finer than that.
    bool agrees = false;
    for (const double most_delay : {1.5, 1.498, 1.502}) {
      SendingModel model = PicturesOnly();
      model.rule.most_delay_seconds = most_delay;
      const SendingOutcome fast = SimulateSending(stream, line, model);
      EXPECT_EQ(fast.frames, slow.frames);
      agrees = agrees || (std::abs(fast.dropped - slow.dropped) <= 3 &&
                          std::abs(fast.peak_delay_seconds - slow.peak_delay_seconds) < 0.01);
    }
    EXPECT_TRUE(agrees) << "round " << round << ": " << slow.dropped << " dropped in small steps";
  }
}

TEST(DecoderBuffer, AnEvenStreamHoldsAndALumpDoesNot) {
  const BitRate rate = BitRate::FromKbps(3000);
  CodedStream stream = EvenStream(3000, 4);
  const BufferCheck even = CheckDecoderBuffer(stream, rate, 1, false);
  EXPECT_TRUE(even.holds());
  EXPECT_NEAR(even.lowest_fullness, 0.9 - 1 / 30.0, 1e-3);
  stream.frames[60].size_bytes = 3000 * 1000 / 8;  // a whole second's bits in one picture
  EXPECT_EQ(CheckDecoderBuffer(stream, rate, 1, false).underflows, 1);
  EXPECT_TRUE(CheckDecoderBuffer(stream, rate, 2, false).holds()) << "a larger buffer takes it";
}

TEST(DecoderBuffer, AConstantRateThatIsNotSpentOverflows) {
  const CodedStream stream = EvenStream(1000, 4);
  EXPECT_GT(CheckDecoderBuffer(stream, BitRate::FromKbps(3000), 1, true).overflows, 60);
  EXPECT_EQ(CheckDecoderBuffer(stream, BitRate::FromKbps(3000), 1, false).overflows, 0);
}

RateControlSample Sample(RateControl kind, double peak, CodedStream stream) {
  return {kind, peak, 1, 3000, std::move(stream)};
}

// 3000 kbit/s on average: quiet seconds and loud ones.
CodedStream BurstyStream(double peak) {
  CodedStream stream = EvenStream(3000, 10);
  for (CodedStream::Frame& frame : stream.frames)
    frame.size_bytes = static_cast<int>(frame.size_bytes * (frame.seconds < 5 ? peak : 2 - peak));
  return stream;
}

TEST(RateChoice, OnATightLineAConstantRateCarriesMore) {
  const std::vector<RateControlSample> samples = {Sample(RateControl::kCappedVariable, 1.5, BurstyStream(1.5)),
                                                  Sample(RateControl::kConstantBitRate, 1, EvenStream(3000, 10))};
  const RateChoice choice = ChooseRateControl(samples, LineTrace::Steady(3000, 300), 6000, 2500, PicturesOnly());
  ASSERT_TRUE(choice.chosen());
  EXPECT_EQ(choice.answers[0].sample.kind, RateControl::kConstantBitRate);
  EXPECT_NEAR(choice.answers[0].highest_kbps, 3000, 50);
  EXPECT_NEAR(choice.answers[1].highest_kbps, 2400, 200) << "its loud seconds are what counts";
  EXPECT_EQ(choice.chosen_kbps(), 2500) << "no more than the budget";
  EXPECT_FALSE(choice.answers[0].at_most);
}

TEST(RateChoice, WhatTheLineLosesAtAnyRateIsNotHeldAgainstOne) {
  const LineTrace line({{0, 4000}, {50, 0}, {55, 4000}}, 300);
  const std::vector<RateControlSample> samples = {Sample(RateControl::kConstantBitRate, 1, EvenStream(3000, 10))};
  const RateChoice choice = ChooseRateControl(samples, line, 6000, 3000, PicturesOnly());
  EXPECT_GT(choice.answers[0].at_least.dropped, 60);
  EXPECT_GT(choice.answers[0].highest_kbps, 2500);
}

TEST(RateChoice, ALineThatCarriesNothingHasNoAnswer) {
  const std::vector<RateControlSample> samples = {Sample(RateControl::kConstantBitRate, 1, EvenStream(3000, 10))};
  const RateChoice choice = ChooseRateControl(samples, LineTrace::Steady(150, 300), 100, 100, PicturesOnly());
  EXPECT_FALSE(choice.chosen());
}

TEST(RateChoice, TriesConstantAndCappedWithThreeBuffersEach) {
  EncodeSettings settings = test::SmallSettings();
  settings.bit_rate = BitRate::FromKbps(3500);
  const auto candidates = RateControlCandidates(settings);
  ASSERT_EQ(candidates.size(), 9u);
  EXPECT_EQ(candidates[0].maximum_bit_rate, BitRate::FromKbps(3500));
  EXPECT_EQ(candidates[8].maximum_bit_rate, BitRate::FromKbps(5250));
  EXPECT_EQ(candidates[8].buffer_seconds, 2);
}

// A shaper's bucket: after a rest so much goes through at once, then the rest at the line's rate.
TEST(SimulateSending, ABurstPassesAtOnceAfterARest) {
  const LineTrace line({{0, 1000}}, 10);
  CodedStream stream;
  stream.seconds = 5;
  for (const double at : {1.0, 1.05, 4.0}) stream.frames.push_back({at, 12'500, true});
  SendingModel model;
  model.audio_kbps = 0;
  model.bytes_a_frame = 0;
  const double without = SimulateSending(stream, line, model).peak_delay_seconds;
  EXPECT_NEAR(without, 0.15, 1e-9) << "0.1 s each, the second waits 0.05 s for the first";
  model.burst_bytes = 5000;
  EXPECT_NEAR(SimulateSending(stream, line, model).peak_delay_seconds, 0.15 - 0.04, 1e-9);
}

}  // namespace
}  // namespace kettle
