// SPDX-License-Identifier: Apache-2.0
// What a run leaves in the history.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "kettle/history/history.h"
#include "session/session.h"

namespace kettle::app {

struct RunToKeep {
  std::string kind, title;  // of the show
  Message verdict;
  bool simulated = false;
  std::vector<std::string> files;      // of the output folder, those that are there
  std::vector<std::string> line = {};  // what the uplink carries, as words; empty: it was not asked
};

// Keeps it and says under which number, unless --no-history was given. A history that cannot be used is a warning: the
// run's results are complete.
void KeepRun(const Session& session, const RunToKeep& run);

// The user's history; a damaged one is put aside, and that is said. Throws Error(kInput) if there is no home folder to
// keep one in, and as History does.
std::unique_ptr<History> OpenHistory();

// Of a folder's files those that are there.
std::vector<KeptFile> ReadFiles(const std::filesystem::path& folder, const std::vector<std::string>& names);

// What runs depend on here and now.
Circumstances CircumstancesOf(const Machine& machine, const std::string& version);

}  // namespace kettle::app
