// SPDX-License-Identifier: Apache-2.0
// The one way in which JSON becomes text.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>

namespace kettle {

// `indent` as in nlohmann::json::dump. Never throws for what a string holds: file names, process names and drivers'
// messages need not be UTF-8; a byte that is no part of a character becomes U+FFFD.
std::string JsonText(const nlohmann::json& json, int indent = -1);
std::string JsonText(const nlohmann::ordered_json& json, int indent = -1);

}  // namespace kettle
