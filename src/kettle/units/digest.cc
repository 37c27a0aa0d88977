// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/digest.h"

#include <fmt/format.h>
#include <openssl/evp.h>

#include "kettle/units/error.h"

namespace kettle {

std::string HexDigest(std::string_view text) {
  constexpr unsigned kBytes = 8;
  unsigned char digest[EVP_MAX_MD_SIZE];
  if (EVP_Digest(text.data(), text.size(), digest, nullptr, EVP_sha256(), nullptr) != 1)
    FailMachine("SHA-256 does not work on this machine");
  std::string hex;
  for (unsigned i = 0; i < kBytes; ++i) hex += fmt::format("{:02x}", digest[i]);
  return hex;
}

}  // namespace kettle
