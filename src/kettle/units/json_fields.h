// SPDX-License-Identifier: Apache-2.0
// Bodies of to_json and from_json that are declared in a header, made from one list of fields each.
#pragma once

#include <limits>
#include <nlohmann/json.hpp>
#include <optional>
#include <type_traits>

// What is not set is null.
template <typename T>
struct nlohmann::adl_serializer<std::optional<T>> {
  static void to_json(nlohmann::json& json, const std::optional<T>& value) {
    if (value)
      json = *value;
    else
      json = nullptr;
  }
  static void from_json(const nlohmann::json& json, std::optional<T>& value) {
    if (json.is_null())
      value.reset();
    else
      value = json.get<T>();
  }
};

namespace kettle {

// A whole number as a T. Throws the JSON library's exception for one that no T holds: the library itself would convert
// it to anything.
template <typename T>
T WholeNumber(const nlohmann::json& json) {
  constexpr auto kLeast = static_cast<double>(std::numeric_limits<T>::min());
  constexpr auto kMost = static_cast<double>(std::numeric_limits<T>::max());
  if (json.is_number_float() && !(json.get<double>() >= kLeast && json.get<double>() < kMost))
    throw nlohmann::json::type_error::create(302, "the number is out of range", &json);
  return json.get<T>();
}

template <typename T>
void ReadField(const nlohmann::json& json, T& field) {
  if constexpr (std::is_integral_v<T> && !std::is_same_v<T, bool>)
    field = WholeNumber<T>(json);
  else
    json.get_to(field);
}

}  // namespace kettle

#define KETTLE_JSON_READ(field) kettle::ReadField(nlohmann_json_j.at(#field), nlohmann_json_t.field);

#define KETTLE_JSON(Type, ...)                                                   \
  void to_json(nlohmann::json& nlohmann_json_j, const Type& nlohmann_json_t) {   \
    NLOHMANN_JSON_EXPAND(NLOHMANN_JSON_PASTE(NLOHMANN_JSON_TO, __VA_ARGS__))     \
  }                                                                              \
  void from_json(const nlohmann::json& nlohmann_json_j, Type& nlohmann_json_t) { \
    NLOHMANN_JSON_EXPAND(NLOHMANN_JSON_PASTE(KETTLE_JSON_READ, __VA_ARGS__))     \
  }

// The same for those of an object's fields that go under their own names; the rest is written out beside them.
#define KETTLE_WRITE_FIELDS(target, object, ...)                             \
  [](nlohmann::json& nlohmann_json_j, const auto& nlohmann_json_t) {         \
    NLOHMANN_JSON_EXPAND(NLOHMANN_JSON_PASTE(NLOHMANN_JSON_TO, __VA_ARGS__)) \
  }(target, object)
#define KETTLE_READ_FIELDS(source, object, ...)                              \
  [](const nlohmann::json& nlohmann_json_j, auto& nlohmann_json_t) {         \
    NLOHMANN_JSON_EXPAND(NLOHMANN_JSON_PASTE(KETTLE_JSON_READ, __VA_ARGS__)) \
  }(source, object)
