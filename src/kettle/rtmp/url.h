// SPDX-License-Identifier: Apache-2.0
// Addresses of ingests: rtmp, rtmps and srt, without their secrets.
#pragma once

#include <string>

namespace kettle {

// Where a stream is published. The stream key is no part of it: it is a secret.
struct IngestUrl {
  std::string scheme;  // rtmp, rtmps or srt
  std::string host;
  int port = 0;
  std::string app;  // the path, without the first slash

  // "rtmp://host[:port]/app", "rtmps://...", "srt://host:port". Throws Error(kInput); a key in the path or a user name
  // is refused, for it would show.
  static IngestUrl Parse(const std::string& text);
  std::string str() const;
  bool secure() const { return scheme == "rtmps"; }
};

// What lets one publish: secrets, both.
struct StreamKey {
  std::string key;         // SRT: the stream id
  std::string passphrase;  // SRT only; empty: not encrypted
};

// The key in a file's first line, the passphrase, if there is one, in its second. Throws Error(kInput) if the key is
// missing or empty; never tells what it read.
StreamKey ReadKeyFile(const std::string& file);

}  // namespace kettle
