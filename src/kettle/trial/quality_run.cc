// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/quality_run.h"

#include <sched.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "kettle/media/reader.h"
#include "kettle/media/scaler.h"
#include "kettle/media/y4m.h"
#include "kettle/quality/comparison.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

using SharedFrame = std::shared_ptr<const AVFrame>;

SharedFrame Share(FramePtr frame) { return {frame.release(), LibavDeleter()}; }

int UsableProcessors() {
  cpu_set_t set;
  return sched_getaffinity(0, sizeof(set), &set) == 0 ? std::clamp(CPU_COUNT(&set), 1, 16) : 1;
}

// The decoded pictures in step with the reference: as decoded, and scaled to the viewing size.
class Shown {
 public:
  Shown(const QualityTask& task, FrameSize viewing_size)
      : rate_(task.encoded_rate),
        reader_(task.encoded),
        scaler_(viewing_size),
        converter_(reader_.size()),
        ahead_(reader_.Next()) {}

  // Moves to what a viewer sees at reference time `seconds`; before the first picture, that one.
  void MoveTo(double seconds) {
    while (ahead_ && (!shown_ || Due(*ahead_) <= seconds + 1e-6)) {
      decoded_ = Share(converter_.Scale(*ahead_->frame));
      shown_ = Share(scaler_.Scale(*ahead_->frame));
      ahead_ = reader_.Next();
    }
    if (!shown_) FailMachine("the encoded file has no picture");
  }
  const SharedFrame& shown() const { return shown_; }
  const SharedFrame& decoded() const { return decoded_; }

 private:
  // Containers round times to their own unit: back to the exact frame time.
  double Due(const MediaReader::Picture& picture) const {
    return static_cast<double>(rate_.due_ns(std::llround(picture.seconds * rate_.fps()))) * 1e-9;
  }

  FrameRate rate_;
  MediaReader reader_;
  Scaler scaler_, converter_;  // the second for pictures that are not 8-bit 4:2:0
  std::optional<MediaReader::Picture> ahead_;
  SharedFrame shown_, decoded_;
};

}  // namespace

QualityOutcome RunQuality(const QualityTask& task, const std::function<void(double)>& progress) {
  const Y4mFile reference(task.reference);
  const FrameSize viewing_size = task.viewing_size.width > 0 ? task.viewing_size : reference.size();
  Shown shown(task, viewing_size);
  Scaler reference_scaler(viewing_size);
  Comparison comparison(UsableProcessors());
  const int frames = std::min(task.frames, reference.frames());
  for (int i = 0; i < frames; ++i) {
    shown.MoveTo(static_cast<double>(reference.rate().due_ns(i)) * 1e-9);
    comparison.Add(Share(reference_scaler.Scale(*reference.Frame(i))), shown.shown(), shown.decoded());
    if (i % 30 == 0) progress(static_cast<double>(i) / frames);
  }
  QualityOutcome outcome;
  outcome.frames = comparison.Finish();
  outcome.quality = Pool(outcome.frames, reference.rate(), viewing_size);
  return outcome;
}

}  // namespace kettle
