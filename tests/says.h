// SPDX-License-Identifier: Apache-2.0
// Matches a message by its sentence, as a user reads it.
#pragma once

#include <gmock/gmock.h>

#include <string>
#include <vector>

#include "report/sentence.h"

namespace kettle::test {

inline auto Says(const std::string& part) {
  return testing::ResultOf([](const Message& message) { return Sentence(message); }, testing::HasSubstr(part));
}

}  // namespace kettle::test
