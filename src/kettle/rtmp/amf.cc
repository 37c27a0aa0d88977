// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/amf.h"

#include <bit>
#include <cstdint>
#include <optional>

#include "kettle/rtmp/bytes.h"

namespace kettle {

namespace {

enum Marker : std::uint8_t {
  kNumber = 0,
  kBoolean = 1,
  kString = 2,
  kObject = 3,
  kNull = 5,
  kUndefined = 6,
  kEcmaArray = 8,
  kObjectEnd = 9,
  kStrictArray = 10,
  kLongString = 12
};

void PutText(std::string& out, const std::string& text) {
  PutBig(out, text.size(), 2);
  out += text;
}

void AppendValue(std::string& out, const AmfValue& value) {
  if (const auto* number = std::get_if<double>(&value.value)) {
    out += static_cast<char>(kNumber);
    PutBig(out, std::bit_cast<std::uint64_t>(*number), 8);
  } else if (const auto* flag = std::get_if<bool>(&value.value)) {
    out += static_cast<char>(kBoolean);
    out += static_cast<char>(*flag);
  } else if (const auto* text = std::get_if<std::string>(&value.value)) {
    out += static_cast<char>(kString);
    PutText(out, *text);
  } else if (const auto* object = std::get_if<AmfObject>(&value.value)) {
    out += static_cast<char>(kObject);
    for (const auto& [key, member] : *object) {
      PutText(out, key);
      AppendValue(out, member);
    }
    PutText(out, "");
    out += static_cast<char>(kObjectEnd);
  } else if (const auto* array = std::get_if<AmfArray>(&value.value)) {
    out += static_cast<char>(kStrictArray);
    PutBig(out, array->size(), 4);
    for (const AmfValue& item : *array) AppendValue(out, item);
  } else {
    out += static_cast<char>(kNull);
  }
}

class Reader {
 public:
  explicit Reader(std::string_view bytes) : bytes_(bytes) {}

  std::optional<AmfValue> Next(int depth = 0) {
    const auto marker = Number(1);
    if (!marker || depth > 16) return std::nullopt;
    switch (*marker) {
      case kNumber: {
        const auto bits = Number(8);
        return bits ? std::optional(AmfValue(std::bit_cast<double>(*bits))) : std::nullopt;
      }
      case kBoolean: {
        const auto flag = Number(1);
        return flag ? std::optional(AmfValue(*flag != 0)) : std::nullopt;
      }
      case kString: return Wrapped(Text(2));
      case kLongString: return Wrapped(Text(4));
      case kEcmaArray:
        if (!Number(4)) return std::nullopt;
        return Object(depth);
      case kObject: return Object(depth);
      case kStrictArray: return Array(depth);
      case kNull:
      case kUndefined: return AmfValue();
      default: return std::nullopt;
    }
  }

 private:
  static std::optional<AmfValue> Wrapped(std::optional<std::string> text) {
    return text ? std::optional(AmfValue(std::move(*text))) : std::nullopt;
  }

  std::optional<std::uint64_t> Number(std::size_t count) {
    if (bytes_.size() < count) return std::nullopt;
    const std::uint64_t number = GetBig(bytes_, 0, count);
    bytes_.remove_prefix(count);
    return number;
  }

  std::optional<std::string> Text(std::size_t length_bytes) {
    const auto length = Number(length_bytes);
    if (!length || bytes_.size() < *length) return std::nullopt;
    std::string text(bytes_.substr(0, *length));
    bytes_.remove_prefix(*length);
    return text;
  }

  std::optional<AmfValue> Object(int depth) {
    AmfObject object;
    while (true) {
      auto key = Text(2);
      if (!key) return std::nullopt;
      if (key->empty() && !bytes_.empty() && bytes_[0] == kObjectEnd) {
        bytes_.remove_prefix(1);
        return AmfValue(std::move(object));
      }
      auto member = Next(depth + 1);
      if (!member) return std::nullopt;
      object.emplace_back(std::move(*key), std::move(*member));
    }
  }

  std::optional<AmfValue> Array(int depth) {
    const auto count = Number(4);
    if (!count) return std::nullopt;
    AmfArray array;
    for (std::uint64_t i = 0; i < *count; ++i) {  // as many as are there: the count may be any number
      auto item = Next(depth + 1);
      if (!item) return std::nullopt;
      array.push_back(std::move(*item));
    }
    return AmfValue(std::move(array));
  }

  std::string_view bytes_;
};

}  // namespace

std::string AmfValue::text() const {
  const auto* found = std::get_if<std::string>(&value);
  return found ? *found : "";
}
bool AmfValue::flag() const {
  const bool* flag = std::get_if<bool>(&value);
  return flag && *flag;
}

double AmfValue::number() const {
  const auto* found = std::get_if<double>(&value);
  return found ? *found : 0;
}
const AmfValue* AmfValue::Find(std::string_view key) const {
  if (const auto* object = std::get_if<AmfObject>(&value))
    for (const auto& [name, member] : *object)
      if (name == key) return &member;
  return nullptr;
}

std::string WriteAmf(const std::vector<AmfValue>& values) {
  std::string out;
  for (const AmfValue& value : values) AppendValue(out, value);
  return out;
}

std::vector<AmfValue> ReadAmf(std::string_view bytes) {
  std::vector<AmfValue> values;
  Reader reader(bytes);
  while (auto value = reader.Next()) values.push_back(std::move(*value));
  return values;
}

}  // namespace kettle
