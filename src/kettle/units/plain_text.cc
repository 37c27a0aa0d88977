// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/plain_text.h"

#include <cstdint>

namespace kettle {

namespace {

constexpr std::string_view kReplacement = "\xEF\xBF\xBD";  // U+FFFD

// How many bytes the character at the start of `text` takes; 0 if it is none (RFC 3629, section 4).
std::size_t CharacterBytes(std::string_view text) {
  const auto at = [&](std::size_t i) { return i < text.size() ? static_cast<std::uint8_t>(text[i]) : 0; };
  const auto follows = [&](std::size_t i) { return (at(i) & 0xC0) == 0x80; };
  const int first = at(0), second = at(1);
  if (first < 0x80) return 1;
  if (first >= 0xC2 && first <= 0xDF) return follows(1) ? 2 : 0;
  if (first >= 0xE0 && first <= 0xEF) {
    const bool overlong = first == 0xE0 && second < 0xA0, surrogate = first == 0xED && second > 0x9F;
    return follows(1) && follows(2) && !overlong && !surrogate ? 3 : 0;
  }
  if (first >= 0xF0 && first <= 0xF4) {
    const bool overlong = first == 0xF0 && second < 0x90, beyond = first == 0xF4 && second > 0x8F;
    return follows(1) && follows(2) && follows(3) && !overlong && !beyond ? 4 : 0;
  }
  return 0;
}

bool IsControl(std::string_view character) {
  const auto first = static_cast<std::uint8_t>(character[0]);
  if (character.size() == 1) return first < 0x20 || first == 0x7F;
  return first == 0xC2 && static_cast<std::uint8_t>(character[1]) < 0xA0;  // U+0080 to U+009F
}

}  // namespace

std::string PlainText(std::string_view text, std::size_t most_bytes) {
  std::string plain;
  while (!text.empty()) {
    const std::size_t bytes = CharacterBytes(text);
    std::string_view next = bytes > 0 ? text.substr(0, bytes) : kReplacement;
    if (IsControl(next)) next = " ";
    if (plain.size() + next.size() > most_bytes) break;
    plain += next;
    text.remove_prefix(bytes > 0 ? bytes : 1);
  }
  return plain;
}

std::string Redacted(std::string text, std::string_view secret) {
  constexpr std::string_view kHidden = "(hidden)";
  constexpr std::size_t kTellable = 3;
  if (secret.empty() || text.find(secret) == text.npos) return text;
  if (secret.size() < kTellable) return std::string(kHidden);
  for (std::size_t at = 0; (at = text.find(secret, at)) != text.npos; at += kHidden.size())
    text.replace(at, secret.size(), kHidden);
  return text;
}

namespace {

// Of what follows "://" up to the address's end.
std::string AddressWithoutKey(std::string_view rest, bool has_application) {
  constexpr std::string_view kHidden = "(hidden)";
  const auto query = rest.find_first_of("?#&=");
  const std::string_view place = rest.substr(0, query);
  std::string shown;
  auto path = place.find('/');
  const std::string_view authority = place.substr(0, path);
  const auto user = authority.rfind('@');
  shown = user == authority.npos ? std::string(authority) : std::string(kHidden) + std::string(authority.substr(user));
  if (path != place.npos && has_application) {
    const auto key = place.find('/', path + 1);
    shown += place.substr(path, key == place.npos ? key : key - path);
    path = key;
  }
  const bool more = path != place.npos && path + 1 < place.size();
  return shown + (more ? "/" : "") + (more || query != rest.npos ? std::string(kHidden) : "");
}

}  // namespace

std::string WithoutKeys(std::string_view text) {
  std::string plain;
  while (true) {
    std::size_t from = text.npos;
    std::string_view scheme;
    for (const std::string_view one : {"rtmp://", "rtmps://", "srt://"})
      if (const auto at = text.find(one); at < from) {
        from = at;
        scheme = one;
      }
    if (from == text.npos) return plain + std::string(text);
    plain += text.substr(0, from + scheme.size());
    text.remove_prefix(from + scheme.size());
    const auto end = text.find_first_of(" \t\n\"',;)");
    plain += AddressWithoutKey(text.substr(0, end), scheme != "srt://");
    text.remove_prefix(end == text.npos ? text.size() : end);
  }
}

}  // namespace kettle
