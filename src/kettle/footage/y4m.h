// SPDX-License-Identifier: Apache-2.0
// Uncompressed 8-bit 4:2:0 pictures in a Y4M file: written once, mapped by every trial.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>

#include "kettle/media/libav.h"
#include "kettle/units/units.h"

namespace kettle {

// Writes pictures to a temporary name beside `path`; the file appears under its name with Finish.
class Y4mWriter {
 public:
  Y4mWriter(const std::filesystem::path& path, FrameSize size, FrameRate rate);  // throws Error(kMachine)
  ~Y4mWriter();                                                                  // removes an unfinished file
  Y4mWriter(const Y4mWriter&) = delete;
  Y4mWriter& operator=(const Y4mWriter&) = delete;

  void Write(const AVFrame& picture);  // of the writer's size, yuv420p; throws Error(kMachine)
  void Finish();                       // throws Error(kMachine)

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// A Y4M file mapped into memory. Frames handed out refer to the mapping, so they cost no copy and
// keep it alive. Thread-safe.
class Y4mFile {
 public:
  // Throws Error(kInput) if it is not whole 8-bit 4:2:0 Y4M, Error(kMachine) if it cannot be read.
  explicit Y4mFile(const std::filesystem::path& path);

  FrameSize size() const { return size_; }
  FrameRate rate() const { return rate_; }
  int frames() const { return frames_; }
  // Picture `index` (0 <= index < frames()) as a read-only frame with pts 0.
  FramePtr Frame(int index) const;

 private:
  struct Mapping;
  std::shared_ptr<Mapping> mapping_;
  FrameSize size_;
  FrameRate rate_;
  int frames_ = 0;
  std::size_t header_bytes_ = 0, frame_bytes_ = 0;
};

}  // namespace kettle
