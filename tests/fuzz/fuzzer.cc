// SPDX-License-Identifier: Apache-2.0
// libFuzzer's entry: the target is the one that KETTLE_FUZZ_TARGET names.
#include <cstdint>
#include <cstdio>
#include <cstdlib>

#include "kettle/media/libav.h"
#include "kettle/units/error.h"
#include "targets.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const kettle::LibavLog quiet;
  static const kettle::fuzz::Target target = [] {
    const char* name = std::getenv("KETTLE_FUZZ_TARGET");
    const auto found = kettle::fuzz::Targets().find(name ? name : "");
    if (found != kettle::fuzz::Targets().end()) return found->second;
    std::fputs("KETTLE_FUZZ_TARGET names no target\n", stderr);
    std::exit(2);
  }();
  try {
    target({reinterpret_cast<const char*>(data), size});
  } catch (const kettle::Error&) {  // refused: as it should be
  }
  return 0;
}
