// SPDX-License-Identifier: Apache-2.0
// Where a result lies, for the next command that is told with it.
#pragma once

#include <filesystem>
#include <string>

#include "session/session.h"

namespace kettle::app {

struct ResultPlace {
  std::filesystem::path folder;
  std::string stand_in_gpu = {};  // the simulated GPU's profile that it was made with; empty: none

  // " --stand-in-gpu PROFILE", or nothing.
  std::string StandInOption() const { return stand_in_gpu.empty() ? "" : " --stand-in-gpu " + stand_in_gpu; }
};

inline ResultPlace PlaceOf(const Session& session) { return {session.out(), session.request().stand_in_gpu}; }

}  // namespace kettle::app
