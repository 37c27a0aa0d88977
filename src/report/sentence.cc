// SPDX-License-Identifier: Apache-2.0
#include "report/sentence.h"

#include <fmt/args.h>
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
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

// With each "(s)" as the value before it asks for.
std::string WithPlurals(std::string words, const Message& message) {
  constexpr std::string_view kPlural = "(s)";
  for (auto at = words.find(kPlural); at != words.npos; at = words.find(kPlural, at)) {
    const auto open = words.rfind('{', at);
    bool one = false;
    for (const auto& [name, value] : message.values)
      if (const auto* number = std::get_if<double>(&value.value); number && open != words.npos)
        one = one || (words.compare(open + 1, name.size(), name) == 0 && std::lround(*number) == 1);
    words.replace(at, kPlural.size(), one ? "" : "s");
  }
  return words;
}

}  // namespace

std::string Sentence(const Message& message) {
  if (message.empty()) return "";
  const auto& all = MessageCatalogue();
  const auto found = std::lower_bound(all.begin(), all.end(), message.key,
                                      [](const auto& entry, const std::string& key) { return entry.first < key; });
  if (found != all.end() && found->first == message.key) try {
      return fmt::vformat(WithPlurals(std::string(found->second), message), ArgumentsOf(message));
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

std::string Count(long long count, std::string_view what) {
  return fmt::format("{} {}{}", count, what, count == 1 ? "" : "s");
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
