// SPDX-License-Identifier: Apache-2.0
// AMF0 values (Action Message Format, AMF 0 specification), as RTMP commands carry them.
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

namespace kettle {

struct AmfValue;
using AmfObject = std::vector<std::pair<std::string, AmfValue>>;
using AmfArray = std::vector<AmfValue>;  // AMF 0's "strict array"

struct AmfValue {
  // monostate: null, or of a kind not needed
  std::variant<std::monostate, double, bool, std::string, AmfObject, AmfArray> value;

  AmfValue() = default;
  AmfValue(double number) : value(number) {}                // NOLINT: written as they are read
  AmfValue(bool flag) : value(flag) {}                      // NOLINT
  AmfValue(std::string text) : value(std::move(text)) {}    // NOLINT
  AmfValue(const char* text) : value(std::string(text)) {}  // NOLINT
  AmfValue(AmfObject object) : value(std::move(object)) {}  // NOLINT
  AmfValue(AmfArray array) : value(std::move(array)) {}     // NOLINT

  std::string text() const;                          // "" unless it is text
  double number() const;                             // 0 unless it is a number
  bool flag() const;                                 // false unless it is true
  const AmfValue* Find(std::string_view key) const;  // of an object; null if it has none
};

std::string WriteAmf(const std::vector<AmfValue>& values);
// Reads values until the end, or until one that is cut off or unknown.
std::vector<AmfValue> ReadAmf(std::string_view bytes);

}  // namespace kettle
