// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>

#include "kettle/rehearsal/rehearsal.h"

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

void WriteFramesCsv(FrameLog& log, const std::filesystem::path& csv, const RehearsalOutcome& outcome, bool one_encode) {
  const auto lost_as = [](std::vector<std::int64_t> lost, const char* word, const char* fine) {
    std::sort(lost.begin(), lost.end());
    return [lost = std::move(lost), word, fine](int frame) {
      return std::binary_search(lost.begin(), lost.end(), frame) ? word : fine;
    };
  };
  const auto dropped_of = [&](int encode) {
    std::vector<std::int64_t> dropped;
    for (const IngestOutcome& ingest : outcome.ingests)
      if (ingest.stream == encode) dropped.insert(dropped.end(), ingest.dropped.begin(), ingest.dropped.end());
    return dropped;
  };
  std::vector<FrameLog::Fate> fates{
      {"stream", 0, true, lost_as(dropped_of(0), "dropped", "sent"), "sent"},
      {"recording", one_encode ? 0U : 1U, !one_encode, lost_as(outcome.stalled, "stalled", "recorded"), "recorded"}};
  for (std::size_t i = 0; i < outcome.further.size(); ++i)
    fates.push_back({fmt::format("stream-{}", i + 2), i + 2, true,
                     lost_as(dropped_of(static_cast<int>(i) + 1), "dropped", "sent"), "sent"});
  log.Write(csv, fates);
}

}  // namespace kettle
