// SPDX-License-Identifier: Apache-2.0
// Results that a full or broken disk does not take: each is a line on standard error, and the others go on.
#pragma once

#include <fmt/format.h>

#include <cstdio>

#include "kettle/units/error.h"

namespace kettle::app {

class Unwritten {
 public:
  // Does it; what the machine refuses is told and remembered. Other errors are the caller's.
  template <class Write>
  void Try(Write write) {
    try {
      write();
    } catch (const Error& error) {
      if (error.fault() != Fault::kMachine) throw;
      fmt::print(stderr, "fast-kettle: {}\n", error.what());
      any_ = true;
    }
  }
  bool any() const { return any_; }

 private:
  bool any_ = false;
};

}  // namespace kettle::app
