// SPDX-License-Identifier: Apache-2.0
// The times of a rehearsal's single frames: on the disk while it runs, for an evening has too many for memory.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "kettle/realtime/pace_task.h"
#include "kettle/store/reserved_space.h"

namespace kettle {

class FrameLog {
 public:
  // Rows that frames.csv has of each output at most: of a longer rehearsal the last so many, and every lost frame.
  static constexpr std::int64_t kMostRows = 100'000;

  // Keeps room in `folder` for so many frames of each output, and for frames.csv. Throws Error(kMachine).
  FrameLog(const std::filesystem::path& folder, std::vector<std::int64_t> frames);

  // A frame of an output, again once more is known of it. Never throws; thread-safe.
  void Note(std::size_t output, const PacedFrame& frame) noexcept;

  // What became of an output's frames.
  struct Fate {
    std::string output;                        // as frames.csv calls it
    std::size_t log;                           // whose times they are, as Note counts outputs
    bool tells_skipped;                        // false: a frame that was skipped counts elsewhere
    std::function<const char*(int frame)> of;  // one that was not skipped
    const char* fine;                          // what `of` says of one on which nothing was lost
  };
  // Writes frames.csv: one row a frame of each output: output, frame, due_ms, taken_ms (empty: skipped), fate. Throws
  // Error(kMachine).
  void Write(const std::filesystem::path& csv, const std::vector<Fate>& fates);

 private:
  // Calls `row` with each frame of the output that was noted, in order.
  void ForEach(std::size_t output, const std::function<void(const PacedFrame&)>& row) const;

  std::vector<std::int64_t> frames_;
  std::vector<std::int64_t> begins_;  // where an output's frames begin, in frames
  ReservedSpace log_, csv_room_;
};

}  // namespace kettle
