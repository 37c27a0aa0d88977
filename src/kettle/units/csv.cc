// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/csv.h"

#include <fmt/format.h>

namespace kettle {

std::string CsvText(std::string_view text) {
  if (text.find_first_of(",\"\r\n") == text.npos) return std::string(text);
  std::string quoted = "\"";
  for (const char c : text) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + '"';
}

std::string CsvNumber(double value, int digits) { return fmt::format("{:.{}f}", value, digits); }

}  // namespace kettle
