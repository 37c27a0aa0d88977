// SPDX-License-Identifier: Apache-2.0
#include "kettle/show/toml_reader.h"

#include <algorithm>

#include "kettle/input/input.h"
#include "kettle/units/plain_text.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace {

constexpr std::int64_t kMostBytes = 1 << 20;  // of a show or a destination

}  // namespace

toml::table ReadToml(const std::filesystem::path& file) {
  const std::string name = PlainText(file.string());
  try {
    return toml::parse(ReadInput(file, kMostBytes), name);
  } catch (const toml::parse_error& mistake) {
    // Its own words are a parser's.
    const bool twice = mistake.description().find("redefine") != std::string_view::npos;
    FailInput("{}:{}: {}", name, mistake.source().begin.line,
              twice ? "the key or section stands here for the second time"
                    : "not TOML: write key = \"text\", a number, true, false or [\"a\", \"list\"]");
  }
}

std::string TomlSection::Place(const std::string& key) const {
  const std::string full = name_.empty() ? key : name_ + "." + key;
  if (const auto option = options_.find(full); option != options_.end()) return "--" + option->second;
  const toml::node* node = table_.get(key);
  const auto line = node ? node->source().begin.line : table_.source().begin.line;
  return line > 0 ? fmt::format("{}:{}: {}", file_, line, full) : fmt::format("{}: {}", file_, full);
}

void TomlSection::Fail(const std::string& key, const std::string& complaint) const {
  throw Error(Fault::kInput, Place(key) + ": " + complaint);
}

void TomlSection::CheckKeys(const std::vector<std::string>& known) const {
  for (const auto& [key, value] : table_) {
    const std::string name(key.str());
    if (std::find(known.begin(), known.end(), name) == known.end())
      Fail(PlainText(name, 80),
           fmt::format("unknown {}{}", value.is_table() ? "section" : "key", Suggestion(name, known)));
  }
}

std::optional<std::string> TomlSection::Text(const std::string& key) const {
  const toml::node* node = table_.get(key);
  if (!node) return std::nullopt;
  if (const auto text = node->value_exact<std::string>()) return PlainText(*text);
  if (const auto number = node->value_exact<std::int64_t>()) return fmt::format("{}", *number);
  if (const auto number = node->value_exact<double>()) return fmt::format("{}", *number);
  Fail(key, "must be text in quotes");
}

std::optional<double> TomlSection::Number(const std::string& key, double lowest, double highest) const {
  const toml::node* node = table_.get(key);
  if (!node) return std::nullopt;
  const auto number = node->value<double>();
  if (!number || !(*number >= lowest && *number <= highest))
    Fail(key, fmt::format("must be a number from {} to {}", lowest, highest));
  return number;
}

std::optional<bool> TomlSection::Flag(const std::string& key) const {
  const toml::node* node = table_.get(key);
  if (!node) return std::nullopt;
  const auto flag = node->value_exact<bool>();
  if (!flag) Fail(key, "must be true or false");
  return flag;
}

std::vector<std::string> TomlSection::List(const std::string& key) const {
  const toml::node* node = table_.get(key);
  if (!node) return {};
  std::vector<std::string> list;
  if (const toml::array* array = node->as_array())
    for (const toml::node& item : *array)
      if (const auto text = item.value_exact<std::string>())
        list.push_back(PlainText(*text));
      else
        Fail(key, "must be a list of texts in quotes");
  else
    Fail(key, "must be a list: [\"...\"]");
  return list;
}

}  // namespace kettle
