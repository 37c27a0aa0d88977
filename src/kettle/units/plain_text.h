// SPDX-License-Identifier: Apache-2.0
// Text that others wrote (drivers, servers, file names), made fit for our lines and files.
#pragma once

#include <string>
#include <string_view>

namespace kettle {

// On one line and in valid UTF-8 (RFC 3629): a control character becomes a space, a byte that is no part of a character
// becomes U+FFFD. At most `most_bytes`, cut between two characters.
std::string PlainText(std::string_view text, std::size_t most_bytes = 4096);

// Without any of `secret`: each place where it stands says "(hidden)" instead. A secret of fewer than 3 bytes cannot be
// told from ordinary text; the whole text is hidden then, if it holds it.
std::string Redacted(std::string text, std::string_view secret);

// With what may be a stream key taken out of each rtmp://, rtmps:// and srt:// address in it: the user's part, whatever
// comes after the application (over SRT after the port), any query.
std::string WithoutKeys(std::string_view text);

}  // namespace kettle
