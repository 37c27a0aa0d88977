// SPDX-License-Identifier: Apache-2.0
#include "kettle/history/compressed.h"

#include <zlib.h>

#include "kettle/units/error.h"

namespace kettle {

namespace {

const Bytef* Bytes(const std::string& text) { return reinterpret_cast<const Bytef*>(text.data()); }
Bytef* Bytes(std::string& text) { return reinterpret_cast<Bytef*>(text.data()); }

}  // namespace

std::string Compress(const std::string& content) {
  uLongf size = compressBound(content.size());
  std::string compressed(size, '\0');
  if (compress(Bytes(compressed), &size, Bytes(content), content.size()) != Z_OK) FailMachine("out of memory");
  compressed.resize(size);
  return compressed;
}

std::string Decompress(const std::string& compressed, std::size_t bytes) {
  constexpr std::size_t kMostRatio = 1032, kLeast = 64;  // deflate packs no tighter (zlib's technical details)
  if (bytes > compressed.size() * kMostRatio + kLeast) FailMachine("a file in the history is damaged");
  uLongf size = bytes;
  std::string content(bytes, '\0');
  if (uncompress(Bytes(content), &size, Bytes(compressed), compressed.size()) != Z_OK || size != bytes)
    FailMachine("a file in the history is damaged");
  return content;
}

}  // namespace kettle
