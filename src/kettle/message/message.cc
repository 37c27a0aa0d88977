// SPDX-License-Identifier: Apache-2.0
#include "kettle/message/message.h"

#include <nlohmann/json.hpp>

namespace kettle {

namespace {

constexpr const char* kSays = "says";
constexpr const char* kText = "text";  // the reporter's sentence, which is made anew

}  // namespace

MessageValue::MessageValue(Figure figure) : value(figure.number) {}
MessageValue::MessageValue(const char* text) : value(std::string(text)) {}
MessageValue::MessageValue(std::string text) : value(std::move(text)) {}
MessageValue::MessageValue(std::vector<Message> parts) : value(std::move(parts)) {}

MessageValue::MessageValue(const Message& part) : value(std::vector<Message>{part}) {}

MessageValue::MessageValue(const MessageValue& other) = default;
MessageValue::MessageValue(MessageValue&& other) noexcept = default;
MessageValue& MessageValue::operator=(const MessageValue& other) = default;
MessageValue& MessageValue::operator=(MessageValue&& other) noexcept = default;
MessageValue::~MessageValue() = default;

bool operator==(const MessageValue& a, const MessageValue& b) { return a.value == b.value; }

Message Verbatim(const std::string& text) {
  if (text.empty()) return {};
  return Message{"text.quoted", {{"words", text}}};
}

void to_json(nlohmann::json& json, const Message& message) {
  json = nlohmann::json::object();
  if (message.empty()) return;
  json[kSays] = message.key;
  for (const auto& [name, value] : message.values)
    std::visit([&json = json[name]](const auto& held) { json = held; }, value.value);
}

void from_json(const nlohmann::json& json, Message& message) {
  message = {};
  if (json.empty()) return;
  json.at(kSays).get_to(message.key);
  for (const auto& [name, value] : json.items()) {
    if (name == kSays || name == kText) continue;
    if (value.is_number())
      message.values.emplace(name, value.get<double>());
    else if (value.is_array())
      message.values.emplace(name, value.get<std::vector<Message>>());
    else
      message.values.emplace(name, value.get<std::string>());
  }
}

}  // namespace kettle
