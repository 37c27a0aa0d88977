// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/quality_run.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "kettle/media/reader.h"
#include "kettle/media/scaler.h"
#include "kettle/media/y4m.h"
#include "kettle/units/error.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

PlaneView Luma(const AVFrame& picture) { return {picture.data[0], picture.linesize[0], picture.width, picture.height}; }

// The decoded pictures, scaled to the viewing size, in step with the reference.
class Shown {
 public:
  Shown(const QualityTask& task, FrameSize viewing_size)
      : rate_(task.encoded_rate), reader_(task.encoded), scaler_(viewing_size), ahead_(reader_.Next()) {}

  // What a viewer sees at reference time `seconds`; before the first picture, that one.
  const AVFrame& At(double seconds) {
    while (ahead_ && (!shown_ || Due(*ahead_) <= seconds + 1e-6)) {
      shown_ = scaler_.Scale(*ahead_->frame);
      ahead_ = reader_.Next();
    }
    if (!shown_) FailMachine("the encoded file has no picture");
    return *shown_;
  }

 private:
  // Containers round times to their own unit: back to the exact frame time.
  double Due(const MediaReader::Picture& picture) const {
    return static_cast<double>(rate_.due_ns(std::llround(picture.seconds * rate_.fps()))) * 1e-9;
  }

  FrameRate rate_;
  MediaReader reader_;
  Scaler scaler_;
  std::optional<MediaReader::Picture> ahead_;
  FramePtr shown_;
};

}  // namespace

Quality RunQuality(const QualityTask& task, const std::function<void(double)>& progress) {
  const Y4mFile reference(task.reference);
  Shown shown(task, reference.size());
  const int frames = std::min(task.frames, reference.frames());
  std::vector<PlaneMetrics> metrics;
  for (int i = 0; i < frames; ++i) {
    const FramePtr source = reference.Frame(i);
    metrics.push_back(Compare(Luma(*source), Luma(shown.At(static_cast<double>(reference.rate().due_ns(i)) * 1e-9))));
    if (i % 30 == 0) progress(static_cast<double>(i) / frames);
  }
  return Summarise(metrics, reference.rate());
}

Quality Summarise(const std::vector<PlaneMetrics>& frames, FrameRate rate) {
  std::vector<double> errors, ssims;
  for (const PlaneMetrics& frame : frames) {
    errors.push_back(frame.mean_squared_error);
    ssims.push_back(frame.ssim);
  }
  const auto second = static_cast<std::size_t>(std::max(1L, std::lround(rate.fps())));
  const std::vector<double> error_seconds = WindowMeans(errors, second), ssim_seconds = WindowMeans(ssims, second);
  Quality quality;
  if (frames.empty()) return quality;
  quality.frames = static_cast<int>(frames.size());
  quality.psnr_y_db = PsnrDb(*Mean(errors));
  quality.ssim_y = *Mean(ssims);
  const auto worst = std::max_element(errors.begin(), errors.end());
  quality.worst_frame = static_cast<int>(worst - errors.begin());
  quality.worst_frame_psnr_y_db = PsnrDb(*worst);
  quality.worst_second_psnr_y_db = PsnrDb(*std::max_element(error_seconds.begin(), error_seconds.end()));
  quality.worst_second_ssim_y = *std::min_element(ssim_seconds.begin(), ssim_seconds.end());
  return quality;
}

}  // namespace kettle
