// SPDX-License-Identifier: Apache-2.0
// Bodies of to_json and from_json that are declared in a header, made from one list of fields each.
#pragma once

#include <nlohmann/json.hpp>

#define KETTLE_JSON(Type, ...)                                                   \
  void to_json(nlohmann::json& nlohmann_json_j, const Type& nlohmann_json_t) {   \
    NLOHMANN_JSON_EXPAND(NLOHMANN_JSON_PASTE(NLOHMANN_JSON_TO, __VA_ARGS__))     \
  }                                                                              \
  void from_json(const nlohmann::json& nlohmann_json_j, Type& nlohmann_json_t) { \
    NLOHMANN_JSON_EXPAND(NLOHMANN_JSON_PASTE(NLOHMANN_JSON_FROM, __VA_ARGS__))   \
  }
