// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/json_text.h"

#include <nlohmann/json.hpp>

namespace kettle {

std::string JsonText(const nlohmann::json& json, int indent) {
  return json.dump(indent, ' ', false, nlohmann::json::error_handler_t::replace);
}

std::string JsonText(const nlohmann::ordered_json& json, int indent) {
  return json.dump(indent, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
}

}  // namespace kettle
