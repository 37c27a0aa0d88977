// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/frame_log.h"

#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <numeric>

#include "kettle/units/csv.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

// Of a frame; all zero: it was not noted.
struct Noted {
  double due_ms, taken_ms_and_two;
};
constexpr std::int64_t kRowBytes = 64;  // of frames.csv, at most

std::int64_t Sum(const std::vector<std::int64_t>& frames) {
  return std::accumulate(frames.begin(), frames.end(), std::int64_t{0});
}

std::int64_t CsvBytes(const std::vector<std::int64_t>& frames) {
  std::int64_t rows = 1;
  for (const std::int64_t of_output : frames) rows += std::min(of_output, FrameLog::kMostRows);
  return rows * kRowBytes;
}

std::vector<std::int64_t> Begins(const std::vector<std::int64_t>& frames) {
  std::vector<std::int64_t> begins(frames.size());
  std::exclusive_scan(frames.begin(), frames.end(), begins.begin(), std::int64_t{0});
  return begins;
}

}  // namespace

FrameLog::FrameLog(const std::filesystem::path& folder, std::vector<std::int64_t> frames)
    : frames_(std::move(frames)),
      begins_(Begins(frames_)),
      log_(folder, std::max<std::int64_t>(1, Sum(frames_)) * static_cast<std::int64_t>(sizeof(Noted))),
      csv_room_(folder, CsvBytes(frames_)) {}

void FrameLog::Note(std::size_t output, const PacedFrame& frame) noexcept {
  if (output >= frames_.size() || frame.frame < 0 || frame.frame >= frames_[output]) return;
  const Noted noted{frame.due_ms, frame.taken_ms + 2};
  // The room is there already: this fails only with the disk.
  [[maybe_unused]] const ssize_t written = pwrite(
      log_.file(), &noted, sizeof noted, (begins_[output] + frame.frame) * static_cast<std::int64_t>(sizeof noted));
}

void FrameLog::ForEach(std::size_t output, const std::function<void(const PacedFrame&)>& row) const {
  std::array<Noted, 1024> block;
  for (std::int64_t first = 0; first < frames_[output]; first += static_cast<std::int64_t>(block.size())) {
    const auto wanted =
        static_cast<std::size_t>(std::min<std::int64_t>(std::ssize(block), frames_[output] - first)) * sizeof(Noted);
    const ssize_t got =
        pread(log_.file(), block.data(), wanted, (begins_[output] + first) * static_cast<std::int64_t>(sizeof(Noted)));
    if (got != static_cast<ssize_t>(wanted))
      FailMachine("the times of single frames cannot be read back ({})", got < 0 ? std::strerror(errno) : "cut off");
    for (std::size_t i = 0; i < wanted / sizeof(Noted); ++i)
      if (block[i].taken_ms_and_two != 0)
        row({static_cast<int>(first) + static_cast<int>(i), block[i].due_ms, block[i].taken_ms_and_two - 2});
  }
}

void FrameLog::Write(const std::filesystem::path& csv, const std::vector<Fate>& fates) {
  struct Row {
    const std::string& output;
    const PacedFrame& frame;
    const char* fate;
  };
  static const std::vector<CsvColumn<Row>> columns = {
      {"output", [](const Row& row) { return row.output; }},
      {"frame", [](const Row& row) { return std::to_string(row.frame.frame); }},
      {"due_ms", [](const Row& row) { return CsvNumber(row.frame.due_ms, 3); }},
      {"taken_ms", [](const Row& row) { return row.frame.skipped() ? "" : CsvNumber(row.frame.taken_ms, 3); }},
      {"fate", [](const Row& row) { return std::string(row.fate); }}};
  csv_room_.Release();
  std::ofstream file(csv, std::ios::binary);
  file << CsvHeader(columns);
  for (const Fate& fate : fates)
    ForEach(fate.log, [&](const PacedFrame& frame) {
      if (frame.skipped() && !fate.tells_skipped) return;
      const char* word = frame.skipped() ? "skipped" : fate.of(frame.frame);
      const bool lost = std::strcmp(word, fate.fine) != 0;
      if (lost || frame.frame >= frames_[fate.log] - kMostRows) file << CsvLine(columns, Row{fate.output, frame, word});
    });
  file.close();
  if (!file) FailMachine("{}: {}", csv.filename().string(), std::strerror(errno));
}

}  // namespace kettle
