// SPDX-License-Identifier: Apache-2.0
// From the core's messages to the sentences that a user reads.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "kettle/message/message.h"

namespace kettle {

// Messages' words, by key, sorted; a value's name stands in braces with its format, "(s)" for a plural of the value
// before it.
using MessageWords = std::vector<std::pair<std::string_view, std::string_view>>;
const MessageWords& MessageCatalogue();  // all of them
const MessageWords& DiagnosisWords();    // of those, a diagnosis's

// Without a full stop, beginning in lower case unless a name comes first: it goes into lists, notes and sentences.
// Empty for nothing. A key that the catalogue lacks is told with its values: an older file may hold one.
std::string Sentence(const Message& message);

// One after the other, with commas.
std::string Sentence(const std::vector<Message>& parts);

// "1 run", "3 runs".
std::string Count(long long count, std::string_view what);

// A sentence as it stands alone: with a capital letter and a full stop.
std::string Alone(const std::string& sentence);

// Adds "text" to every message in a result: files and --json are for people too.
void AddSentences(nlohmann::json& json);

}  // namespace kettle
