// SPDX-License-Identifier: Apache-2.0
// The figures of a folder of results, and figures.json: what each of them shows, from which it can be drawn again.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "kettle/store/output_folder.h"

namespace kettle {

class FigureFolder {
 public:
  FigureFolder(std::filesystem::path folder, Provenance provenance)
      : folder_(std::move(folder)), provenance_(std::move(provenance)) {}

  // Adds the chart's data to figures.json, in place of an earlier one of its name. Throws Error(kMachine).
  void Keep(const std::string& name, const nlohmann::json& chart) const;

 private:
  const std::filesystem::path folder_;
  const Provenance provenance_;
};

// Draws every figure in the folder's figures.json again; gives their names; none if there is no such file. What
// this version does not know is left alone. Throws Error(kInput) if the file is not whole, FigureError as DrawFigure.
std::vector<std::string> DrawAgain(const std::filesystem::path& folder);

}  // namespace kettle
