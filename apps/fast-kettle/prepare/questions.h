// SPDX-License-Identifier: Apache-2.0
// Questions to whoever sits at the terminal.
#pragma once

#include <functional>
#include <istream>
#include <string>

namespace kettle::app {

class Questions {
 public:
  // Reads answers from `in`, line by line; writes to standard output.
  explicit Questions(std::istream& in) : in_(in) {}

  // Asks until `check` has no complaint (the answer as one line's Error(kInput)). Enter, or the end of what can be
  // read, takes `usual`, which is shown.
  std::string Ask(const std::string& question, const std::string& usual,
                  const std::function<void(const std::string&)>& check);

 private:
  std::istream& in_;
  int asked_ = 0;
};

}  // namespace kettle::app
