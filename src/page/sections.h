// SPDX-License-Identifier: Apache-2.0
// What the report tells, section by section; each is empty if its results are not there.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "kettle/plan/plan.h"
#include "kettle/units/json_fields.h"  // before any optional<json>
#include "page/page.h"

namespace kettle {

// The results of several folders, each from the first that holds it.
class Results {
 public:
  explicit Results(std::vector<std::filesystem::path> folders) : folders_(std::move(folders)) {}

  std::optional<nlohmann::json> Read(const std::string& kind) const;   // "plan": plan.json
  std::optional<std::string> File(const std::string& name) const;      // any file's content
  std::optional<nlohmann::json> Chart(const std::string& name) const;  // of figures.json
  // The figure of that name, if it was drawn and its data are there.
  std::optional<PageFigure> Figure(const std::string& name) const;

 private:
  std::vector<std::filesystem::path> folders_;
};

PageSection SettingsSection(const Results& results, const Plan& plan);
PageSection LooksSection(const Results& results, const Plan& plan);
PageSection TradeSection(const Results& results, const Plan& plan);
PageSection ProofSection(const Results& results, const Plan& plan);
PageSection ReasonsSection(const Plan& plan);
PageSection LineSection(const Results& results);
PageSection RehearsalSection(const Results& results);
PageSection WatchSection(const Results& results);
PageSection MeasuredSection(const Results& results);
PageSection OtherProgramsSection(const Results& results);

}  // namespace kettle
