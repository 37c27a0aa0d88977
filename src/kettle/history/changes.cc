// SPDX-License-Identifier: Apache-2.0
#include "kettle/history/changes.h"

#include <algorithm>
#include <cctype>
#include <set>

namespace kettle {

namespace {

bool BeginsVersion(const std::string& text, std::size_t at) {
  return std::isdigit(static_cast<unsigned char>(text[at])) && at > 0 && (text[at - 1] == ' ' || text[at - 1] == '.');
}

// Those that are only in the first, in its order.
std::vector<std::string> OnlyIn(const std::vector<std::string>& words, const std::vector<std::string>& others) {
  std::multiset<std::string> left(others.begin(), others.end());
  std::vector<std::string> only;
  for (const std::string& word : words)
    if (const auto found = left.find(word); found != left.end())
      left.erase(found);
    else
      only.push_back(word);
  return only;
}

void AddChanges(const std::string& kind, const std::vector<std::string>& before, const std::vector<std::string>& after,
                std::vector<Message>& changes) {
  std::vector<std::string> gone = OnlyIn(before, after), come = OnlyIn(after, before);
  for (const std::string& old : gone) {
    const auto same = std::find_if(come.begin(), come.end(), [&](const std::string& word) {
      return NameWithoutVersion(word) == NameWithoutVersion(old) || (before.size() == 1 && after.size() == 1);
    });
    if (same == come.end()) {
      changes.push_back(Message{"changed.gone", {{"kind", kind}, {"what", WithoutBuild(old)}}});
      continue;
    }
    const std::string from = WithoutBuild(old), to = WithoutBuild(*same);
    changes.push_back(from == to ? Message{"changed.build", {{"kind", kind}, {"what", to}}}
                                 : Message{"changed.other", {{"kind", kind}, {"from", from}, {"to", to}}});
    come.erase(same);
  }
  for (const std::string& added : come)
    changes.push_back(Message{"changed.new", {{"kind", kind}, {"what", WithoutBuild(added)}}});
}

}  // namespace

std::string WithoutBuild(const std::string& words) {
  if (const auto build = words.find(" build "); build != std::string::npos) return words.substr(0, build);
  std::size_t end = words.size();
  for (int marks = 0; marks < 2; ++marks) {
    const auto space = words.rfind(' ', end - 1);
    if (space == std::string::npos || space + 1 == end || words.find_first_not_of("0123456789-", space + 1) < end)
      return words;
    end = space;
  }
  return words.substr(0, end);
}

std::string NameWithoutVersion(const std::string& words) {
  std::size_t end = words.find(".so");
  if (end == std::string::npos)
    for (end = 0; end < words.size() && !BeginsVersion(words, end);) ++end;
  while (end > 0 && (words[end - 1] == ' ' || words[end - 1] == '.')) --end;
  return words.substr(0, end);
}

std::vector<Message> WhatChanged(const Circumstances& before, const Circumstances& after) {
  std::vector<Message> changes;
  for (const auto& [kind, words] : before)
    if (const auto now = after.find(kind); now != after.end()) AddChanges(kind, words, now->second, changes);
  return changes;
}

}  // namespace kettle
