// SPDX-License-Identifier: Apache-2.0
// Reads what the stand-in ingest reports.
#pragma once

#include <cstdio>
#include <filesystem>
#include <fstream>
#include <string>
#include <utility>

#include "support.h"

namespace kettle::test {

// Pictures and keyframes, over however many seconds and connections they came.
inline std::pair<int, int> Arrived(const std::filesystem::path& report) {
  std::ifstream rows(report);
  std::string row;
  std::pair<int, int> all{0, 0};
  for (std::getline(rows, row); std::getline(rows, row);) {
    int pictures = 0, keyframes = 0;
    EXPECT_EQ(std::sscanf(row.c_str(), "%*d,%*[^,],%*d,%*f,%d,%d", &pictures, &keyframes), 2) << row;
    all.first += pictures;
    all.second += keyframes;
  }
  return all;
}

}  // namespace kettle::test
