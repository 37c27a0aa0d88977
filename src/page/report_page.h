// SPDX-License-Identifier: Apache-2.0
// The report: one page of what plan, bench, uplink and rehearse left in their folders.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace kettle {

// HTML, whole and self-contained. Of several folders each result is taken from the first that holds it; the first
// folder's results come first in what the page answers. `version` is the program's. Throws Error(kInput) if none of
// them holds a result, or if one is not whole.
std::string ReportPage(const std::vector<std::filesystem::path>& folders, const std::string& version);

}  // namespace kettle
