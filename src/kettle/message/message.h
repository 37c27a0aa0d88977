// SPDX-License-Identifier: Apache-2.0
// What the core has to tell a user, as data: which message, and its figures. The sentence is the reporter's
// (report/catalogue.cc), so that all words stand in one place.
#pragma once

#include <map>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <type_traits>
#include <utility>
#include <variant>
#include <vector>

namespace kettle {

struct Message;

// A figure, a name, or messages that are told one after the other.
struct MessageValue {
  template <typename Number>
  requires std::is_arithmetic_v<Number> MessageValue(Number number)
      : MessageValue(Figure{static_cast<double>(number)}) {}
  MessageValue(const char* text);
  MessageValue(std::string text);
  MessageValue(std::vector<Message> parts);
  MessageValue(const Message& part);
  // Made where a Message is a whole type: clang asks for that.
  MessageValue(const MessageValue& other);
  MessageValue(MessageValue&& other) noexcept;
  MessageValue& operator=(const MessageValue& other);
  MessageValue& operator=(MessageValue&& other) noexcept;
  ~MessageValue();

  std::variant<double, std::string, std::vector<Message>> value;

 private:
  struct Figure {
    double number;
  };
  explicit MessageValue(Figure figure);
};

bool operator==(const MessageValue& a, const MessageValue& b);

struct Message {
  std::string key = {};                             // of the catalogue: "budget.readings"; empty: nothing to tell
  std::map<std::string, MessageValue> values = {};  // by the names that the catalogue's sentence uses

  bool empty() const { return key.empty(); }
  friend bool operator==(const Message& a, const Message& b) { return a.key == b.key && a.values == b.values; }
};

// What a library, a driver or an Error said, told as it is.
Message Verbatim(const std::string& text);

// {"says": key, the values by name}; nothing to tell is an empty object.
void to_json(nlohmann::json& json, const Message& message);
void from_json(const nlohmann::json& json, Message& message);

}  // namespace kettle
