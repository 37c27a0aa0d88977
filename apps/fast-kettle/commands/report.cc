// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "kettle/store/file.h"
#include "kettle/store/output_folder.h"
#include "kettle/units/error.h"
#include "page/report_page.h"
#include "terminal.h"

namespace kettle::app {

namespace fs = std::filesystem;

int RunReport(const Request& request) {
  std::vector<fs::path> folders(request.subjects.begin(), request.subjects.end());
  if (folders.empty()) folders.emplace_back(request.out);
  for (const fs::path& folder : folders)
    if (!fs::is_directory(folder)) FailInput("{}: no such folder", folder.string());
  const OutputFolder held(folders.front());
  const std::string page = ReportPage(folders, kVersion);
  const fs::path file = folders.front() / "report.html";
  WriteFile(file, page);
  if (request.json)
    PrintJson({{"file", file.string()}, {"bytes", page.size()}});
  else
    fmt::print("Written: {} ({:.1f} MB). Open it in any browser; it needs no network.\n", file.string(),
               static_cast<double>(page.size()) / 1e6);
  return 0;
}

void WriteReport(const Session& session, const std::vector<fs::path>& more) {
  try {
    std::vector<fs::path> folders{session.out()};
    folders.insert(folders.end(), more.begin(), more.end());
    WriteFile(session.out() / "report.html", ReportPage(folders, kVersion));
  } catch (const Error& error) {
    fmt::print(stderr, "fast-kettle: warning: no report: {}; all other results are complete\n", error.what());
  }
}

}  // namespace kettle::app
