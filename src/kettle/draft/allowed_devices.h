// SPDX-License-Identifier: Apache-2.0
// Where an encode may run.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

namespace kettle {

// Encoder families, each with one of its devices; not set: all. Index orders of different interfaces may differ, so
// that one card may be another device of each family.
struct AllowedDevices {
  std::optional<std::set<std::pair<std::string, int>>> only;

  bool Has(const std::string& family, int device) const { return !only || only->contains({family, device}); }
  bool HasAny(const std::string& family) const {
    if (!only) return true;
    const auto first = only->lower_bound({family, 0});
    return first != only->end() && first->first == family;
  }
  // Of a family's `devices`, of which there is at least one, the first that is allowed; the first of all if none is.
  int FirstOf(const std::string& family, const std::vector<int>& devices) const {
    for (const int device : devices)
      if (Has(family, device)) return device;
    return devices.front();
  }
};

}  // namespace kettle
