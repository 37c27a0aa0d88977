// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/url.h"

#include <algorithm>
#include <cctype>
#include <cstdlib>
#include <sstream>

#include "kettle/input/input.h"
#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"

namespace kettle {

namespace {

bool IsOfAHost(unsigned char c) { return std::isalnum(c) || c == '.' || c == '-' || c == '_' || c == ':' || c == '%'; }

int UsualPort(const std::string& scheme) { return scheme == "rtmp" ? 1935 : scheme == "rtmps" ? 443 : 0; }

}  // namespace

IngestUrl IngestUrl::Parse(const std::string& text) {
  IngestUrl url;
  const auto colon = text.find("://");
  url.scheme = text.substr(0, colon);
  // The text itself is not repeated where it may hold a key.
  if (colon == text.npos || (url.scheme != "rtmp" && url.scheme != "rtmps" && url.scheme != "srt"))
    FailInput("an address begins with rtmp://, rtmps:// or srt://: \"rtmp://host:1935/live\"");
  const std::string rest = text.substr(colon + 3);
  // Keys are pasted in many ways; none of them is repeated.
  if (rest.find('@') != rest.npos)
    FailInput("an address must not contain a user name or password; give the stream key with --key-file");
  if (rest.find_first_of("?#&=") != rest.npos)
    FailInput(
        "an address must end before any \"?\", \"#\", \"&\" or \"=\": what follows may hold the stream key; give that "
        "with --key-file");
  const auto slash = rest.find('/');
  const std::string place = rest.substr(0, slash);
  if (slash != rest.npos) url.app = rest.substr(slash + 1);
  while (!url.app.empty() && url.app.back() == '/') url.app.pop_back();
  if (url.scheme == "srt" && !url.app.empty())
    FailInput("an srt:// address ends with its port: what follows may hold the stream key; give that with --key-file");
  if (url.app.find('/') != url.app.npos)
    FailInput("the address ends with the application's name: \"{}://{}/{}\"; give the stream key with --key-file",
              url.scheme, PlainText(place), PlainText(url.app.substr(0, url.app.find('/'))));
  const bool bracket = !place.empty() && place[0] == '[';  // IPv6
  const auto host_end = bracket ? place.find(']') : place.find(':');
  if (bracket && host_end == place.npos) FailInput("an IPv6 address ends with ]: \"{}://[::1]:1935/live\"", url.scheme);
  url.host = bracket ? place.substr(1, host_end - 1) : place.substr(0, host_end);
  const auto port_at = place.find(':', bracket ? host_end : 0);
  url.port = UsualPort(url.scheme);
  if (port_at != place.npos) {
    const std::string port = place.substr(port_at + 1);
    char* end = nullptr;
    const long number = std::strtol(port.c_str(), &end, 10);
    if (port.empty() || *end != 0 || number < 1 || number > 65535)
      FailInput("what follows the host's colon is not a port; ports go from 1 to 65535");
    url.port = static_cast<int>(number);
  }
  if (!std::all_of(url.host.begin(), url.host.end(), IsOfAHost) || PlainText(url.app) != url.app)
    FailInput("the address has characters that no host or application has: \"{}://host:1935/live\"", url.scheme);
  if (url.host.empty()) FailInput("the address names no host: \"{}://host:1935/live\"", url.scheme);
  if (url.port == 0) FailInput("srt needs a port: \"srt://{}:9000\"", PlainText(url.host));
  if (url.app.empty() && url.scheme != "srt")
    FailInput("the address names no application: \"{}://{}/live\"", url.scheme, PlainText(place));
  return url;
}

std::string IngestUrl::str() const {
  const std::string name = host.find(':') == host.npos ? host : "[" + host + "]";
  return fmt::format("{}://{}:{}{}{}", scheme, name, port, app.empty() ? "" : "/", app);
}

StreamKey ReadKeyFile(const std::string& file) {
  constexpr std::int64_t kMostBytes = 64 << 10;
  std::istringstream stream;
  try {
    stream.str(ReadInput(file, kMostBytes));
  } catch (const Error& error) {
    FailInput("--key-file {}", error.what());
  }
  StreamKey key;
  for (std::string* line : {&key.key, &key.passphrase}) {
    std::getline(stream, *line);
    while (!line->empty() && (line->back() == '\r' || line->back() == ' ')) line->pop_back();
  }
  if (key.key.empty()) FailInput("--key-file {}: its first line is empty; the stream key goes there", file);
  return key;
}

}  // namespace kettle
