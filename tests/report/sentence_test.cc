// SPDX-License-Identifier: Apache-2.0
#include "report/sentence.h"

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>
#include <regex>
#include <set>

#include "support.h"

namespace kettle {
namespace {

using Names = std::set<std::string>;

// Of C++ text: from behind an opening brace up to the one that closes it.
std::string InBraces(const std::string& text, std::size_t from) {
  int depth = 1;
  std::size_t at = from;
  for (; at < text.size() && depth > 0; ++at) {
    if (text[at] == '"')
      while (text[++at] != '"') at += text[at] == '\\';
    depth += (text[at] == '{') - (text[at] == '}');
  }
  return text.substr(from, at - from - 1);
}

Names Found(const std::string& text, const char* pattern) {
  const std::regex expression(pattern);
  Names names;
  for (std::sregex_iterator match(text.begin(), text.end(), expression), end; match != end; ++match)
    names.insert((*match)[1]);
  return names;
}

// Every message that the program's sources make, with the names of its values, those of nested messages included.
std::map<std::string, Names> MessagesInSources() {
  static const std::regex opening("Message( [a-z_]+)?\\{");
  std::map<std::string, Names> messages;
  for (const char* part : {"src/kettle", "apps/fast-kettle"})
    for (const auto& entry :
         std::filesystem::recursive_directory_iterator(std::filesystem::path(KETTLE_SOURCE) / part)) {
      if (entry.path().extension() != ".cc") continue;
      std::ostringstream stream;
      stream << std::ifstream(entry.path()).rdbuf();
      const std::string text = stream.str();
      for (std::sregex_iterator match(text.begin(), text.end(), opening), end; match != end; ++match) {
        const std::string body = InBraces(text, static_cast<std::size_t>(match->position() + match->length()));
        const Names names = Found(body, "\\{\"([a-z_]+)\"");
        for (const std::string& key : Found(body.substr(0, body.find('{')), "\"([a-z-]+\\.[a-z-]+)\""))
          messages[key].insert(names.begin(), names.end());
      }
    }
  return messages;
}

TEST(MessageCatalogue, IsSorted) { EXPECT_TRUE(std::is_sorted(MessageCatalogue().begin(), MessageCatalogue().end())); }

TEST(MessageCatalogue, HasWordsForEveryMessageAndNoOthers) {
  const std::map<std::string, Names> made = MessagesInSources();
  ASSERT_GT(made.size(), 150u);
  Names keys, worded;
  for (const auto& [key, names] : made) keys.insert(key);
  for (const auto& [key, text] : MessageCatalogue()) {
    worded.insert(std::string(key));
    const auto known = made.find(std::string(key));
    if (known == made.end()) continue;
    for (const std::string& name : Found(std::string(text), "\\{([a-z_]+)[:}]"))
      EXPECT_TRUE(known->second.contains(name)) << key << " is made without a value \"" << name << '"';
  }
  EXPECT_EQ(keys, worded);
}

TEST(Sentence, PutsFiguresNamesAndPartsIntoTheWords) {
  const Message only{"budget.only-reading"};
  EXPECT_EQ(Sentence(only), "the only reading");
  EXPECT_EQ(Sentence(Message{"budget.readings", {{"readings", 3}}}), "the low end of your 3 readings");
  EXPECT_EQ(Sentence(Message{"uplink.simulated", {{"how", only}}}), "the only reading, simulated");
  EXPECT_EQ(
      Sentence(Message{"placement.misfit",
                       {{"lacking", std::vector{Message{"placement.lacks-cores", {{"needed", 1.92}, {"there", 1.6}}},
                                                Message{"placement.lacks-engine", {{"needed", 90}, {"there", 80}}}}}}}),
      "together they need 1.92 of 1.60 cores, 90 of 80 % of the GPU's engine");
  EXPECT_EQ(Sentence(Message{}), "");
  EXPECT_EQ(Sentence(Verbatim("{fmt}")), "{fmt}");
  EXPECT_EQ(Alone("the only reading"), "The only reading.");
}

TEST(Sentence, KnowsOneFromMany) {
  EXPECT_EQ(Sentence(Message{"history.bench", {{"count", 1}}}), "1 encode measured");
  EXPECT_EQ(Sentence(Message{"history.bench", {{"count", 12}}}), "12 encodes measured");
  EXPECT_EQ(Sentence(Message{"history.rehearsal-lost", {{"count", 1}, {"seconds", 30}}}), "1 frame lost in 30 s");
  EXPECT_EQ(Count(1, "run"), "1 run");
  EXPECT_EQ(Count(0, "run"), "0 runs");
}

TEST(Sentence, TellsWhatItDoesNotKnowAsItIs) {
  EXPECT_EQ(Sentence(Message{"tide.high", {{"metres", 3}}}), R"({"metres":3.0,"says":"tide.high"})");
  EXPECT_EQ(Sentence(Message{"budget.readings"}), R"({"says":"budget.readings"})") << "a value is missing";
}

TEST(Sentence, ComesBackFromAFile) {
  const Message message{"uplink.simulated", {{"how", Message{"budget.dips", {{"kind", "wired"}, {"percent", 12.5}}}}}};
  nlohmann::json json = {{"deep", nlohmann::json::array({message, Message{}})}};
  AddSentences(json);
  EXPECT_EQ(json["deep"][0]["text"], Sentence(message));
  EXPECT_EQ(json["deep"][0].get<Message>(), message);
  EXPECT_TRUE(json["deep"][1].get<Message>().empty());
}

}  // namespace
}  // namespace kettle
