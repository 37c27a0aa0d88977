// SPDX-License-Identifier: Apache-2.0
#include "profile.h"

#include <toml++/toml.h>

#include <set>
#include <stdexcept>

namespace standin {

namespace {

[[noreturn]] void Fail(const std::string& path, const std::string& what) {
  throw std::runtime_error(path + ": " + what);
}

int WholeNumber(const toml::table& table, const std::string& path, const char* key, int otherwise) {
  if (!table.contains(key)) return otherwise;
  const auto value = table[key].value<int>();
  if (!value || *value < 1) Fail(path, std::string(key) + " must be a whole number above zero");
  return *value;
}

}  // namespace

Profile ReadProfile(const std::string& path) {
  toml::table table;
  try {
    table = toml::parse_file(path);
  } catch (const toml::parse_error& error) {
    Fail(path, "line " + std::to_string(error.source().begin.line) + ": " + std::string(error.description()));
  }
  const std::set<std::string> known = {"name",      "compute_major", "compute_minor",        "session_limit",
                                       "max_width", "max_height",    "megapixels_per_second"};
  for (const auto& [key, value] : table)
    if (!known.contains(std::string(key.str()))) Fail(path, "unknown key \"" + std::string(key.str()) + "\"");

  Profile profile;
  profile.name = table["name"].value_or(std::string());
  if (profile.name.empty()) Fail(path, "name is missing");
  profile.compute_major = WholeNumber(table, path, "compute_major", profile.compute_major);
  profile.compute_minor = WholeNumber(table, path, "compute_minor", profile.compute_minor);
  profile.session_limit = WholeNumber(table, path, "session_limit", profile.session_limit);
  profile.max_width = WholeNumber(table, path, "max_width", profile.max_width);
  profile.max_height = WholeNumber(table, path, "max_height", profile.max_height);
  for (int preset = 1; preset <= kPresets; ++preset) {
    const std::string key = "p" + std::to_string(preset);
    const auto speed = table["megapixels_per_second"][key].value<double>();
    if (!speed || *speed <= 0) Fail(path, "megapixels_per_second." + key + " must be a number above zero");
    profile.megapixels_per_second[static_cast<std::size_t>(preset - 1)] = *speed;
  }
  return profile;
}

}  // namespace standin
