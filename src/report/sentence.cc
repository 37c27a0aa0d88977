// SPDX-License-Identifier: Apache-2.0
#include "report/sentence.h"

#include <fmt/args.h>
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <nlohmann/json.hpp>

namespace kettle {

namespace {

using Arguments = fmt::dynamic_format_arg_store<fmt::format_context>;

Arguments ArgumentsOf(const Message& message) {
  Arguments arguments;
  for (const auto& [name, value] : message.values) {
    if (const auto* parts = std::get_if<std::vector<Message>>(&value.value))
      arguments.push_back(fmt::arg(name.c_str(), Sentence(*parts)));
    else if (const auto* text = std::get_if<std::string>(&value.value))
      arguments.push_back(fmt::arg(name.c_str(), *text));
    else
      arguments.push_back(fmt::arg(name.c_str(), std::get<double>(value.value)));
  }
  return arguments;
}

}  // namespace

std::string Sentence(const Message& message) {
  if (message.empty()) return "";
  const auto& all = MessageCatalogue();
  const auto found = std::lower_bound(all.begin(), all.end(), message.key,
                                      [](const auto& entry, const std::string& key) { return entry.first < key; });
  if (found != all.end() && found->first == message.key) try {
      return fmt::vformat(found->second, ArgumentsOf(message));
    } catch (const fmt::format_error&) {
      // A file of another version: its values may be others.
    }
  return nlohmann::json(message).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

std::string Sentence(const std::vector<Message>& parts) {
  std::string text;
  for (const Message& part : parts) text += (text.empty() ? "" : ", ") + Sentence(part);
  return text;
}

std::string Alone(const std::string& sentence) {
  std::string text = sentence;
  if (!text.empty()) text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
  return text + ".";
}

void AddSentences(nlohmann::json& json) {
  if (json.is_object() && json.contains("says")) json["text"] = Sentence(json.get<Message>());
  if (json.is_structured())
    for (nlohmann::json& part : json) AddSentences(part);
}

}  // namespace kettle
