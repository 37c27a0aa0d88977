// SPDX-License-Identifier: Apache-2.0
// The commands and what their help says of them.
#pragma once

#include <string>
#include <vector>

namespace kettle::app {

struct Command {
  std::string name, summary, detail, example;
  bool takes_show = false;
  std::string subject;  // what it takes besides options: "PLAN"; empty: nothing
};

// In the order in which people use them.
const std::vector<Command>& Commands();

}  // namespace kettle::app
