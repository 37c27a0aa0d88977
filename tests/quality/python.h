// SPDX-License-Identifier: Apache-2.0
#pragma once

#include <gtest/gtest.h>

#include <cstdio>
#include <string>

namespace kettle::test {

// What tests/quality/reference.py prints for these arguments.
inline std::string RunReference(const std::string& arguments) {
  const std::string command = "/usr/bin/python3 " KETTLE_SOURCE "/tests/quality/reference.py " + arguments;
  FILE* pipe = popen(command.c_str(), "r");
  std::string output;
  char buffer[256];
  while (std::fgets(buffer, sizeof(buffer), pipe)) output += buffer;
  EXPECT_EQ(pclose(pipe), 0) << command;
  return output;
}

}  // namespace kettle::test
