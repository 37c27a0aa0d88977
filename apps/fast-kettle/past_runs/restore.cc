// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "kettle/input/input.h"
#include "kettle/machine/machine.h"
#include "kettle/store/file.h"
#include "kettle/store/output_folder.h"
#include "kettle/units/error.h"
#include "past_runs/keep_run.h"
#include "past_runs/past_run_tables.h"
#include "report/sentence.h"
#include "terminal.h"

namespace kettle::app {

namespace {

using nlohmann::json;
namespace fs = std::filesystem;

const std::vector<std::string> kPlanFiles{"plan.json", "card.txt", "card.json"};

// A plan that stands in the folder and that the history lacks: its number there, from now on. It may be of any program
// version and of another machine, so only what its file says is known of it.
std::optional<std::int64_t> KeepWhatIsThere(History& history, const fs::path& folder) {
  const std::vector<KeptFile> files = ReadFiles(folder, kPlanFiles);
  if (files.empty() || files.front().name != "plan.json" || history.Has(files.front())) return std::nullopt;
  json plan = json::parse(files.front().content, nullptr, false);
  MakePlain(plan);
  const auto text = [&](const char* key) {
    return plan.is_object() && plan.contains(key) && plan[key].is_string() ? plan[key].get<std::string>() : "";
  };
  KeptRun run{0,
              "",
              text("time"),
              "plan",
              text("title"),
              Message{"history.found-in-folder"},
              text("version"),
              text("machine_digest"),
              fs::absolute(folder).string()};
  if (run.utc.empty()) run.utc = MakeProvenance("", "").utc;
  return history.Keep(run, files);
}

// That the plan was made on.
std::string StandInGpuOf(const fs::path& folder) {
  const auto plan = ReadResult(folder, "plan");
  return plan ? plan->value("stand_in_gpu", "") : "";
}

}  // namespace

int RunRestore(const Request& request) {
  const auto history = OpenHistory();
  const KeptRun run = history->Find(request.subject.empty() ? "before-last" : request.subject, "plan");
  if (run.kind != "plan")
    FailInput("{} is a {}, and only a plan can be restored; fast-kettle history --kind plan lists them", Called(run),
              run.kind);
  const OutputFolder folder(request.out);
  const auto kept = KeepWhatIsThere(*history, folder.path());
  std::vector<std::string> written;
  for (const std::string& name : kPlanFiles)
    if (const auto content = history->File(run.number, name)) {
      WriteFile(folder.path() / name, *content);
      written.push_back(name);
    }
  if (written.empty()) FailMachine("{} has no plan.json in the history", Called(run));
  const bool same_machine = run.machine_digest == Digest(ReadMachine());
  if (request.json) {
    json answer = {{"restored", run.number},
                   {"folder", folder.path().string()},
                   {"files", written},
                   {"same_machine", same_machine}};
    if (kept) answer["kept"] = *kept;
    PrintJson(answer);
    return 0;
  }
  const std::string out = folder.path().string();
  PrintHeadline(
      {fmt::format("{} of {} is back in {}/: {}.", CalledFirst(run), LocalTime(run.utc), out, Sentence(run.verdict)),
       Tone::kGood, ""});
  if (kept) fmt::print("The plan that was in {}/ is in the history as run {}.\n", out, *kept);
  if (!same_machine)
    fmt::print(
        "It was proven before something changed on this machine (fast-kettle history {}): rehearse it before you "
        "stream.\n",
        run.number);
  const std::string gpu = StandInGpuOf(folder.path());
  fmt::print("Next: fast-kettle rehearse {} --out rehearsal{}\n", (folder.path() / "plan.json").string(),
             gpu.empty() ? "" : " --stand-in-gpu " + gpu);
  return 0;
}

}  // namespace kettle::app
