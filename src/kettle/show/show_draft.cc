// SPDX-License-Identifier: Apache-2.0
#include "kettle/show/show_draft.h"

#include <fmt/format.h>

namespace kettle {

namespace {

constexpr std::size_t kCommentColumn = 44;

// A basic string of TOML 1.0: what it forbids as it is, is escaped.
std::string Quoted(const std::string& text) {
  std::string quoted = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') quoted += '\\';
    if (static_cast<unsigned char>(c) < 0x20 || c == 0x7f)
      quoted += fmt::format("\\u{:04x}", static_cast<int>(c));
    else
      quoted += c;
  }
  return quoted + "\"";
}

std::string List(const std::vector<std::string>& items) {
  std::string text;
  for (const std::string& item : items) text += (text.empty() ? "" : ", ") + Quoted(item);
  return "[" + text + "]";
}

// `value` is TOML; an empty one makes the line a comment that shows `example`.
std::string Entry(const std::string& key, const std::string& value, const std::string& example,
                  const std::string& comment) {
  std::string line = value.empty() ? "# " + key + " = " + example : key + " = " + value;
  if (line.size() < kCommentColumn) line.resize(kCommentColumn, ' ');
  return line + "  # " + comment + "\n";
}

std::string TextOrNothing(const std::string& text) { return text.empty() ? "" : Quoted(text); }
std::string ListOrNothing(const std::vector<std::string>& items) { return items.empty() ? "" : List(items); }

}  // namespace

std::string ShowText(const ShowDraft& draft) {
  const bool records = draft.recording_folder != "none";
  return "# What you want to stream. fast-kettle plan --show THIS-FILE finds the settings and proves them.\n"
         "# A line that begins with # is not in force. fast-kettle --help show lists everything that can be said "
         "here.\n" +
         Entry("title", Quoted(draft.title), "", "whatever you call it") + "\n[picture]\n" +
         Entry("footage", List(draft.footage), "", "a few quick seconds of your own game; scenes stand in by name") +
         Entry("source_size", TextOrNothing(draft.source_size), "\"1920x1080\"",
               "what your capture gives; left out: the clip's own") +
         Entry("frame_rate", TextOrNothing(draft.frame_rate), "\"60\"", "likewise") + "\n[stream]\n" +
         Entry("size", "\"auto\"", "", "what looks best at the bit rate and keeps pace here") +
         Entry("frame_rate", "\"auto\"", "", "likewise") +
         Entry("bit_rate", TextOrNothing(draft.bit_rate), "\"6000 kbit/s\"",
               "left out: what line and destination allow") +
         Entry("destinations", ListOrNothing(draft.destinations), "[\"my-destination.toml\"]",
               "where it goes, with its limits") +
         "\n[recording]\n" +
         Entry("size", records ? "\"auto\"" : "\"none\"", "",
               "the best that costs the stream next to nothing; or \"none\"") +
         Entry("folder", records ? TextOrNothing(draft.recording_folder) : "", "\"recordings\"",
               "where recordings go") +
         Entry("keep_last", "", "\"30 s\"",
               "the last seconds in memory, to be saved when something good has happened") +
         "\n[uplink]\n" +
         Entry("readings", ListOrNothing(draft.readings), "[\"11.8 Mbit/s\", \"9.9 Mbit/s\"]",
               "upload, by speed tests, with the unit") +
         Entry("link", TextOrNothing(draft.link), "\"wireless\"", "or \"wired\", \"cellular\"") +
         Entry("reserve", draft.readings.empty() ? "" : ListOrNothing(draft.reserve),
               List(draft.reserve.empty() ? std::vector<std::string>{"game 0.3 Mbit/s"} : draft.reserve),
               "what else needs the line meanwhile") +
         "\n[require]\n" +
         Entry("favour", Quoted(draft.favour), "", "where both cannot look their best; \"recording\", \"balance\"") +
         Entry("headroom", "0.2", "", "the share of the processors that must stay free");
}

}  // namespace kettle
