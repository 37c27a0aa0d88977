// SPDX-License-Identifier: Apache-2.0
// Reads TOML tables so that every mistake is one line with file, line, key and what would be right.
#pragma once

#include <toml++/toml.h>

#include <filesystem>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "kettle/units/error.h"

namespace kettle {

// Throws Error(kInput) for a file that is missing, unreadable or not TOML.
toml::table ReadToml(const std::filesystem::path& file);

// One table of a file. `name` is "" for the file's top. Values set by an option carry no line: then
// the option's name stands for the place.
class TomlSection {
 public:
  TomlSection(const toml::table& table, std::string file, std::string name,
              std::map<std::string, std::string> options = {})
      : table_(table), file_(std::move(file)), name_(std::move(name)), options_(std::move(options)) {}

  // Refuses keys that are not in `known`, naming the nearest.
  void CheckKeys(const std::vector<std::string>& known) const;

  // Text; a number is taken as its spelling, so that a missing unit can be explained.
  std::optional<std::string> Text(const std::string& key) const;
  std::optional<double> Number(const std::string& key, double lowest, double highest) const;
  std::optional<bool> Flag(const std::string& key) const;
  std::vector<std::string> List(const std::string& key) const;  // empty if absent

  // Text parsed by `parse`; its complaint gets the place in front.
  template <typename Parse>
  auto Value(const std::string& key, const Parse& parse) const -> std::optional<decltype(parse(std::string()))> {
    const auto text = Text(key);
    if (!text) return std::nullopt;
    try {
      return parse(*text);
    } catch (const Error& error) {
      Fail(key, error.what());
    }
  }

  // A list of texts, each parsed by `parse`; a complaint gets the place in front.
  template <typename Parse>
  auto Values(const std::string& key, const Parse& parse) const {
    std::vector<decltype(parse(std::string()))> values;
    for (const std::string& item : List(key)) try {
        values.push_back(parse(item));
      } catch (const Error& error) {
        Fail(key, error.what());
      }
    return values;
  }

  // Throws Error(kInput) "file:line: section.key: complaint".
  [[noreturn]] void Fail(const std::string& key, const std::string& complaint) const;

 private:
  std::string Place(const std::string& key) const;

  const toml::table& table_;
  std::string file_, name_;
  std::map<std::string, std::string> options_;  // option by "section.key", for values set by one
};

}  // namespace kettle
