// SPDX-License-Identifier: Apache-2.0
#include "prepare/questions.h"

#include <fmt/format.h>

#include <cstdio>

#include "kettle/units/error.h"
#include "process/interrupt.h"
#include "terminal.h"

namespace kettle::app {

std::string Questions::Ask(const std::string& question, const std::string& usual,
                           const std::function<void(const std::string&)>& check) {
  ++asked_;
  for (;;) {
    fmt::print("{} {}\n   [{}] ", Paint(fmt::format("{}.", asked_), Tone::kStrong), question, usual);
    std::fflush(stdout);
    std::string answer;
    if (!std::getline(in_, answer)) {
      ThrowIfStopped();  // Ctrl-C is no answer
      fmt::print("\n");
    }
    const auto from = answer.find_first_not_of(" \t"), to = answer.find_last_not_of(" \t\r");
    answer = from == std::string::npos ? "" : answer.substr(from, to - from + 1);
    if (answer.empty()) return usual;
    try {
      check(answer);
      return answer;
    } catch (const Error& error) {
      if (error.fault() != Fault::kInput) throw;
      fmt::print("   {}\n", Paint(error.what(), Tone::kBad));
    }
  }
}

}  // namespace kettle::app
