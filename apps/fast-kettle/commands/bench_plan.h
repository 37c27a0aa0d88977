// SPDX-License-Identifier: Apache-2.0
// What a bench measures, worked out from the command line and the show.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "kettle/question/question.h"
#include "kettle/show/show.h"
#include "session/session.h"

namespace kettle::app {

// Graphics cards by name, of encoders with one of their devices.
using Cards = std::map<std::pair<std::string, int>, std::string>;

struct BenchPlan {
  Show show;
  bool of_show = false;  // rather than of options alone
  std::vector<EncodeSettings> settings;
  Cards cards;  // that those run on
  std::vector<Message> warnings;
  std::optional<Question> question;  // then `settings` are its encodes
};

// Opens each encoder once with each size, and learns what it cannot do before anything is measured. Throws
// Error(kInput) with one line for whatever is not right.
BenchPlan MakeBenchPlan(Session& session);

}  // namespace kettle::app
