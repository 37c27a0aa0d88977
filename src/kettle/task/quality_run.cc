// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/quality_run.h"

#include <sched.h>

#include <algorithm>
#include <cmath>

#include "kettle/footage/y4m.h"
#include "kettle/quality/comparison.h"
#include "kettle/quality/frame_rate_loss.h"
#include "kettle/quality/score_sampling.h"
#include "kettle/quality/speeds.h"
#include "kettle/realtime/pacing.h"
#include "kettle/task/shown.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

int UsableProcessors() {
  cpu_set_t set;
  return sched_getaffinity(0, sizeof(set), &set) == 0 ? std::clamp(CPU_COUNT(&set), 1, 16) : 1;
}

// A source picture and the encode's picture that was made from it.
class PicturePairs {
 public:
  explicit PicturePairs(const QualityTask& task)
      : reference_(task.reference),
        viewing_size_(task.viewing_size.width > 0 ? task.viewing_size : reference_.size()),
        rate_(task.encoded_rate),
        selector_(reference_.rate(), rate_),
        shown_(task.encoded, rate_, viewing_size_),
        source_frames_(std::min(task.frames, reference_.frames())) {}

  const Y4mFile& reference() const { return reference_; }
  FrameSize viewing_size() const { return viewing_size_; }
  FrameSize coded_size() const { return shown_.coded_size(); }
  int source_frames() const { return source_frames_; }
  // Of the encode.
  int pictures() const {
    int count = 0;
    for (int i = 0; i < source_frames_; ++i) count += selector_.FrameNumber(i).has_value();
    return count;
  }

  // Calls `pair(picture, source, decoded)` for each picture of the encode, in order. Once.
  template <class Pair>
  void ForEach(const Pair& pair) {
    int picture = 0;
    for (int i = 0; i < source_frames_; ++i) {
      if (!selector_.FrameNumber(i)) continue;
      shown_.MoveTo(static_cast<double>(rate_.due_ns(picture)) * 1e-9);
      pair(picture++, Share(reference_.Frame(i)), shown_.decoded());
    }
  }

 private:
  const Y4mFile reference_;
  const FrameSize viewing_size_;
  const FrameRate rate_;
  const FrameSelector selector_;
  Shown shown_;
  const int source_frames_;
};

// How fast the source moves, over the stretch, where its `viewing_size` is seen as pixels are meant to be.
Speeds SpeedsOf(const Y4mFile& source, int frames, FrameSize viewing_size) {
  constexpr int kSamples = 8, kKept = 20;
  constexpr double kGolden = 0.6180339887498949;
  const int apart = std::max(1, static_cast<int>(std::lround(source.rate().fps() / 30)));
  const double degrees_a_second =
      static_cast<double>(viewing_size.height) / source.size().height * source.rate().fps() / apart / kPixelsADegree;
  std::vector<double> speeds;
  for (int i = 0; i < kSamples && frames > apart; ++i) {
    const double place = (i + std::fmod(i * kGolden, 1.0)) / kSamples;  // uneven: footage may repeat its pictures
    const int frame = static_cast<int>((frames - apart) * place);
    const FramePtr earlier = source.Frame(frame), later = source.Frame(frame + apart);
    for (const double pixels : DistancesMoved(LumaOf(*earlier), LumaOf(*later)))
      speeds.push_back(pixels * degrees_a_second);
  }
  return Spread(std::move(speeds), kKept);
}

}  // namespace

QualityOutcome RunQuality(const QualityTask& task, const std::function<void(double)>& progress) {
  PicturePairs pairs(task);
  const int pictures = pairs.pictures();
  const FrameRate rate = task.encoded_rate;
  const std::vector<int> scored = ScoredPictures(pictures, rate, task.scored_a_second);
  Comparison comparison(UsableProcessors(), pairs.viewing_size(), pairs.coded_size());
  pairs.ForEach([&](int picture, const SharedFrame& source, const SharedFrame& decoded) {
    comparison.Add(source, decoded, std::binary_search(scored.begin(), scored.end(), picture));
    if (picture % 15 == 0) progress(static_cast<double>(picture) / pictures);
  });
  QualityOutcome outcome;
  outcome.frames = comparison.Finish();
  outcome.quality = Pool(outcome.frames, rate, pairs.viewing_size());
  outcome.quality.speeds = SpeedsOf(pairs.reference(), pairs.source_frames(), pairs.viewing_size());
  outcome.quality.frame_rate_share = FrameRateShare(rate, pairs.reference().rate(), outcome.quality.speeds);
  return outcome;
}

}  // namespace kettle
