// SPDX-License-Identifier: Apache-2.0
// The one error vocabulary of the core: an exception with a category and one line for the user.
#pragma once

#include <fmt/format.h>

#include <stdexcept>
#include <string>
#include <utility>

namespace kettle {

enum class Fault {
  kInput,        // what the user gave is wrong; the line says what would be right
  kMachine,      // something on the machine failed: disk, process, library
  kInterrupted,  // the user stopped it; what was finished is kept
};

class Error : public std::runtime_error {
 public:
  Error(Fault fault, const std::string& line) : std::runtime_error(line), fault_(fault) {}
  Fault fault() const { return fault_; }

 private:
  Fault fault_;
};

template <typename... Args>
[[noreturn]] void FailInput(fmt::format_string<Args...> text, Args&&... args) {
  throw Error(Fault::kInput, fmt::format(text, std::forward<Args>(args)...));
}

template <typename... Args>
[[noreturn]] void FailMachine(fmt::format_string<Args...> text, Args&&... args) {
  throw Error(Fault::kMachine, fmt::format(text, std::forward<Args>(args)...));
}

}  // namespace kettle
