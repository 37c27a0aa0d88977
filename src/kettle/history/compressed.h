// SPDX-License-Identifier: Apache-2.0
// Results as JSON take a tenth of their size when compressed (zlib, RFC 1950).
#pragma once

#include <cstddef>
#include <string>

namespace kettle {

std::string Compress(const std::string& content);  // throws Error(kMachine) when memory runs out
// `bytes` is the size that it had. Throws Error(kMachine) if it is anything else.
std::string Decompress(const std::string& compressed, std::size_t bytes);

}  // namespace kettle
