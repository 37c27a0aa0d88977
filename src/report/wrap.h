// SPDX-License-Identifier: Apache-2.0
// Breaks text at a width.
#pragma once

#include <cstddef>
#include <string>

namespace kettle {

// The text broken at spaces so that no line passes `columns`, if a word allows it, and never before a percent sign. Its
// first line starts at `start`, the others at `indent`.
std::string Wrap(const std::string& text, std::size_t start, std::size_t indent, std::size_t columns);

}  // namespace kettle
