// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <filesystem>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "figure/figure_folder.h"
#include "kettle/store/output_folder.h"
#include "kettle/units/error.h"
#include "terminal.h"

namespace kettle::app {

int RunFigures(const Request& request) {
  if (!std::filesystem::is_directory(request.subject)) FailInput("{}: no such folder", request.subject);
  const OutputFolder folder(request.subject);  // nobody else writes there meanwhile
  const std::vector<std::string> names = DrawAgain(folder.path());
  if (request.json)
    PrintJson(nlohmann::json{{"figures", names}});
  else
    fmt::print("Drawn again in {}/, as SVG and PNG: {}.\n", folder.path().string(), fmt::join(names, ", "));
  return 0;
}

}  // namespace kettle::app
