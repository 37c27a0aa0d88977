// SPDX-License-Identifier: Apache-2.0
// Small files of /proc and /sys, under a root that tests replace.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace kettle {

// The first line, without white space around it; nothing if the file cannot be read or is empty.
std::optional<std::string> FirstLine(const std::filesystem::path& file);

// The first line as a number; nothing if it is none.
std::optional<double> FirstNumber(const std::filesystem::path& file);

// The value of the first line "key : value" or "key=value" whose key starts with `key`; empty if there is none.
std::string FieldOf(const std::filesystem::path& file, const std::string& key);

// What lies in a folder, sorted by name; empty if it cannot be read.
std::vector<std::filesystem::path> Entries(const std::filesystem::path& folder);

// The last part of where a symbolic link points; empty if it is none.
std::string LinkTarget(const std::filesystem::path& link);

// Whether there is anything of that name; false too where that cannot be seen: a name too long, a folder that is
// closed.
bool IsThere(const std::filesystem::path& path);

}  // namespace kettle
