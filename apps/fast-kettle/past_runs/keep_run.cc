// SPDX-License-Identifier: Apache-2.0
#include "past_runs/keep_run.h"

#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <iterator>

#include "kettle/units/error.h"
#include "report/sentence.h"

namespace kettle::app {

std::vector<KeptFile> ReadFiles(const std::filesystem::path& folder, const std::vector<std::string>& names) {
  std::vector<KeptFile> files;
  for (const std::string& name : names)
    if (std::ifstream file(folder / name, std::ios::binary); file)
      files.push_back({name, std::string(std::istreambuf_iterator<char>(file), {})});
  return files;
}

Circumstances CircumstancesOf(const Machine& machine, const std::string& version) {
  Circumstances circumstances{
      {"kernel", {machine.kernel}},
      {"processor", {fmt::format("{}, {} threads", machine.processor.model, machine.processor.usable_threads)}},
      {"library", machine.libraries},
      {"driver", machine.drivers},
      {"program", {"fast-kettle " + version}}};
  auto& cards = circumstances["graphics card"];
  for (const GraphicsDevice& card : machine.graphics)
    cards.push_back(card.driver.empty() ? card.name : card.name + ", " + card.driver);
  return circumstances;
}

std::unique_ptr<History> OpenHistory() {
  const std::filesystem::path file = HistoryFile();
  if (file.empty()) FailInput("no history: neither XDG_DATA_HOME nor HOME says where to keep one");
  auto history = std::make_unique<History>(file);
  if (!history->put_aside().empty())
    fmt::print(stderr, "fast-kettle: warning: the history was damaged; it is now {}, and a new one has begun\n",
               history->put_aside().string());
  return history;
}

void KeepRun(const Session& session, const RunToKeep& run) {
  if (session.request().no_history) return;
  try {
    const auto history = OpenHistory();
    KeptRun kept{0,
                 "",
                 session.provenance().utc,
                 run.kind,
                 run.title,
                 run.verdict,
                 session.provenance().version,
                 session.provenance().machine_digest,
                 std::filesystem::absolute(session.out()).string(),
                 CircumstancesOf(session.machine(), session.provenance().version),
                 run.simulated};
    if (!run.line.empty()) kept.circumstances["line"] = run.line;
    const std::int64_t number = history->Keep(kept, ReadFiles(session.out(), run.files));
    if (session.request().json || session.request().quiet) return;
    fmt::print(stderr, "Kept in the history as run {}.\n", number);
    if (history->given_up() > 0)
      fmt::print(stderr, "The history may take {} MB: the oldest without a name made room, {}.\n",
                 History::kMostBytes / 1'000'000, Count(history->given_up(), "run"));
  } catch (const Error& error) {
    fmt::print(stderr, "fast-kettle: warning: this run is not in the history: {}\n", error.what());
  }
}

}  // namespace kettle::app
