// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/quality_run.h"

#include <sched.h>

#include <algorithm>
#include <cmath>

#include "kettle/footage/y4m.h"
#include "kettle/quality/comparison.h"
#include "kettle/quality/frame_rate_loss.h"
#include "kettle/quality/score_sampling.h"
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

  // Calls `pair(picture, source_frame)` for each picture of the encode, in order, up to the one at `end`.
  template <class Pair>
  void ForEach(int end, const Pair& pair) const {
    int picture = 0;
    for (int i = 0; i < source_frames_ && picture < end; ++i)
      if (selector_.FrameNumber(i)) pair(picture++, i);
  }

  void AddTo(Comparison& comparison, int picture, int source_frame, bool scored) {
    shown_.MoveTo(static_cast<double>(rate_.due_ns(picture)) * 1e-9);
    comparison.Add(Share(reference_.Frame(source_frame)), shown_.decoded(), scored);
  }

 private:
  const Y4mFile reference_;
  const FrameSize viewing_size_;
  const FrameRate rate_;
  const FrameSelector selector_;
  Shown shown_;
  const int source_frames_;
};

// How much the source moves in a thirtieth of a second, over the stretch.
double MotionOf(const Y4mFile& source, int frames) {
  constexpr int kSamples = 12;
  constexpr double kGolden = 0.6180339887498949;
  const int apart = std::max(1, static_cast<int>(std::lround(source.rate().fps() / 30)));
  std::vector<double> motion;
  for (int i = 0; i < kSamples && frames > apart; ++i) {
    const double place = (i + std::fmod(i * kGolden, 1.0)) / kSamples;  // uneven: footage may repeat its pictures
    const int frame = static_cast<int>((frames - apart) * place);
    const FramePtr earlier = source.Frame(frame), later = source.Frame(frame + apart);
    motion.push_back(MotionBetween(LumaOf(*earlier), LumaOf(*later)));
  }
  return Mean(motion).value_or(0);
}

// Scores more pictures of the second that looks worst by the metrics that every picture has.
void ScoreWorstSecond(const QualityTask& task, std::vector<PictureMetrics>& frames) {
  const int pictures = static_cast<int>(frames.size());
  std::vector<double> similarity;
  for (const PictureMetrics& frame : frames) similarity.push_back(frame.ssim_y);
  const std::vector<double> seconds =
      WindowMeans(similarity, static_cast<std::size_t>(std::max(1L, std::lround(task.encoded_rate.fps()))));
  const auto worst = static_cast<int>(std::min_element(seconds.begin(), seconds.end()) - seconds.begin());
  std::vector<int> more;
  for (const int picture : ScoredPictures(pictures, task.encoded_rate, 2 * kScoredASecond))
    if (SecondOf(picture, pictures, task.encoded_rate) == worst && !frames[static_cast<std::size_t>(picture)].score)
      more.push_back(picture);
  if (more.empty()) return;
  PicturePairs pairs(task);
  Comparison comparison(UsableProcessors(), pairs.viewing_size(), pairs.coded_size());
  pairs.ForEach(more.back() + 1, [&](int picture, int source_frame) {
    if (std::binary_search(more.begin(), more.end(), picture)) pairs.AddTo(comparison, picture, source_frame, true);
  });
  const std::vector<PictureMetrics> scored = comparison.Finish();
  for (std::size_t i = 0; i < scored.size(); ++i) {
    PictureMetrics& frame = frames[static_cast<std::size_t>(more[i])];
    frame.ms_ssim_y = scored[i].ms_ssim_y;
    frame.score = scored[i].score;
  }
}

}  // namespace

QualityOutcome RunQuality(const QualityTask& task, const std::function<void(double)>& progress) {
  PicturePairs pairs(task);
  const int pictures = pairs.pictures();
  const std::vector<int> scored = ScoredPictures(pictures, task.encoded_rate);
  Comparison comparison(UsableProcessors(), pairs.viewing_size(), pairs.coded_size());
  pairs.ForEach(pictures, [&](int picture, int source_frame) {
    pairs.AddTo(comparison, picture, source_frame, std::binary_search(scored.begin(), scored.end(), picture));
    if (picture % 15 == 0) progress(static_cast<double>(picture) / pictures);
  });
  QualityOutcome outcome;
  outcome.frames = comparison.Finish();
  ScoreWorstSecond(task, outcome.frames);
  outcome.quality = Pool(outcome.frames, task.encoded_rate, pairs.viewing_size());
  outcome.quality.motion = MotionOf(pairs.reference(), pairs.source_frames());
  outcome.quality.frame_rate_share =
      FrameRateShare(task.encoded_rate, pairs.reference().rate(), outcome.quality.motion);
  return outcome;
}

}  // namespace kettle
