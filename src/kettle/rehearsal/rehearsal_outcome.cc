// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>

#include "kettle/rehearsal/rehearsal.h"
#include "kettle/units/csv.h"

namespace kettle {

int RehearsalOutcome::dropped() const {
  std::size_t all = 0;
  for (const IngestOutcome& ingest : ingests) all += ingest.dropped.size();
  return static_cast<int>(all);
}

std::size_t RehearsalOutcome::DroppedOf(int encode) const {
  std::size_t all = 0;
  for (const IngestOutcome& ingest : ingests)
    if (ingest.stream == encode) all += ingest.dropped.size();
  return all;
}

int RehearsalOutcome::connection_losses() const {
  int all = 0;
  for (const IngestOutcome& ingest : ingests) all += ingest.connection_losses;
  return all;
}

bool RehearsalOutcome::simulated_ingest() const {
  return std::any_of(ingests.begin(), ingests.end(), [](const IngestOutcome& ingest) { return ingest.simulated; });
}

int RehearsalOutcome::lost() const {
  int all = static_cast<int>(late_frames.size() + stalled.size()) + dropped() + stream.skipped + recording.skipped;
  for (const PacedOutputOutcome& output : further) all += output.skipped;
  return all;
}

bool RehearsalOutcome::holds() const {
  const auto all_coded = [](const PacedOutputOutcome& output) { return output.packets == output.frames; };
  const bool files_whole =
      std::all_of(files.begin(), files.end(), [](const RehearsalFile& file) { return file.trouble.empty(); });
  return lost() == 0 && connection_losses() == 0 && files_whole && saved.trouble.empty() && all_coded(stream) &&
         all_coded(recording) && std::all_of(further.begin(), further.end(), all_coded);
}

std::string FramesCsv(const RehearsalOutcome& outcome) {
  struct Row {
    std::string output;
    const PacedFrame& frame;
    const char* fate;
  };
  static const std::vector<CsvColumn<Row>> columns = {
      {"output", [](const Row& row) { return row.output; }},
      {"frame", [](const Row& row) { return std::to_string(row.frame.frame); }},
      {"due_ms", [](const Row& row) { return CsvNumber(row.frame.due_ms, 3); }},
      {"taken_ms", [](const Row& row) { return row.frame.skipped() ? "" : CsvNumber(row.frame.taken_ms, 3); }},
      {"fate", [](const Row& row) { return std::string(row.fate); }}};
  std::string csv = CsvHeader(columns);
  const auto add = [&](const std::string& output, const PacedOutputOutcome& lane, const std::vector<std::int64_t>& lost,
                       const char* lost_word, const char* fine_word) {
    for (const PacedFrame& frame : lane.frame_times) {
      const bool gone = std::binary_search(lost.begin(), lost.end(), frame.frame);
      csv += CsvLine(columns, Row{output, frame, frame.skipped() ? "skipped" : gone ? lost_word : fine_word});
    }
  };
  std::vector<std::int64_t> stalled = outcome.stalled;
  std::sort(stalled.begin(), stalled.end());
  const auto dropped_of = [&](int encode) {
    std::vector<std::int64_t> dropped;
    for (const IngestOutcome& ingest : outcome.ingests)
      if (ingest.stream == encode) dropped.insert(dropped.end(), ingest.dropped.begin(), ingest.dropped.end());
    std::sort(dropped.begin(), dropped.end());
    return dropped;
  };
  add("stream", outcome.stream, dropped_of(0), "dropped", "sent");
  add("recording", outcome.recording, stalled, "stalled", "recorded");
  for (std::size_t i = 0; i < outcome.further.size(); ++i)
    add(fmt::format("stream-{}", i + 2), outcome.further[i], dropped_of(static_cast<int>(i) + 1), "dropped", "sent");
  return csv;
}

}  // namespace kettle
