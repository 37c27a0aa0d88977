// SPDX-License-Identifier: Apache-2.0
// The commands and what their help says of them.
#pragma once

#include <string>
#include <vector>

namespace kettle::app {

struct Command {
  std::string name, summary, detail, example;
  std::string synopsis;  // what follows the name: "--show FILE [OPTIONS]"
  bool takes_show = false;
  bool keeps = false;                          // its runs go into the history
  std::string subject = {};                    // what it takes besides options: "PLAN"; empty: nothing
  int most_subjects = 1;                       // of those
  bool needs_subject = true;                   // one at least
  std::vector<std::string> verbs = {};         // of which one follows the name; empty: none
  std::vector<std::string> main_options = {};  // that most people need: what --help shows
};

// In the order in which people use them.
const std::vector<Command>& Commands();

}  // namespace kettle::app
