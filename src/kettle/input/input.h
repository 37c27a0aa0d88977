// SPDX-License-Identifier: Apache-2.0
// Files that somebody named or sent: read whole, with one plain line for whatever is wrong with them.
#pragma once

#include <cstdint>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>

namespace kettle {

// The whole of a file. Throws Error(kInput) with one line, at once: it is not there, a folder, a device or a pipe,
// cannot be read, or is larger than any file of its kind.
std::string ReadInput(const std::filesystem::path& path, std::int64_t most_bytes = 64LL << 20);
// Only the checks, for what another library reads.
void CheckIsFile(const std::filesystem::path& path);

// A JSON file, whole, its texts made plain. Throws Error(kInput) as ReadInput, and for what is no JSON.
nlohmann::json ReadJsonInput(const std::filesystem::path& path);

// Makes PlainText of every text in it: what others wrote may hold what a terminal obeys.
void MakePlain(nlohmann::json& json);

// What is wrong, in our words: `"stream" is missing`, "a value of the wrong kind".
std::string InPlainWords(const nlohmann::json::exception& error);

}  // namespace kettle
