// SPDX-License-Identifier: Apache-2.0
// The pictures of a file as a viewer sees them: each until the next one is due.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>

#include "kettle/media/reader.h"
#include "kettle/media/scaler.h"

namespace kettle {

using SharedFrame = std::shared_ptr<const AVFrame>;
inline SharedFrame Share(FramePtr frame) { return {frame.release(), LibavDeleter()}; }

// What a viewer sees of an encoded file at any time: each picture until the next, as decoded and at the viewing size.
class Shown {
 public:
  Shown(const std::filesystem::path& encoded, FrameRate rate, FrameSize viewing_size)
      : rate_(rate), reader_(encoded), scaler_(viewing_size), ahead_(reader_.Next()) {}

  // Moves on to `seconds`, which must not go back; before the first picture, that one is shown. Throws Error(kMachine)
  // if there is none.
  void MoveTo(double seconds);

  FrameSize coded_size() const { return reader_.size(); }
  const SharedFrame& decoded() const { return now_; }
  const SharedFrame& shown();  // at the viewing size, 8-bit 4:2:0; made when it is asked for

 private:
  double Due(const MediaReader::Picture& picture) const;

  FrameRate rate_;
  MediaReader reader_;
  Scaler scaler_;
  std::optional<MediaReader::Picture> ahead_;
  SharedFrame now_, shown_;
};

}  // namespace kettle
