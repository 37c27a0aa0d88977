// SPDX-License-Identifier: Apache-2.0
#include <stdexcept>

#include "coder.h"

namespace standin {

namespace {

constexpr std::uint8_t kUuid[16] = {0x6b, 0x65, 0x74, 0x74, 0x6c, 0x65, 0x40, 0x73,
                                    0x80, 0x61, 0x6e, 0x64, 0x2d, 0x69, 0x6e, 0x21};
constexpr std::uint8_t kUserDataUnregistered = 5;

// An OBU of private metadata: its type and size, the metadata's type, the text.
std::vector<std::uint8_t> SignatureObu(const std::string& text) {
  constexpr std::uint8_t kMetadataWithSize = 5 << 3 | 2, kPrivate = 6, kTrailing = 0x80;
  std::vector<std::uint8_t> unit{kMetadataWithSize};
  std::size_t size = text.size() + 2;
  for (; size >= 0x80; size >>= 7) unit.push_back(static_cast<std::uint8_t>(size | 0x80));
  unit.push_back(static_cast<std::uint8_t>(size));
  unit.push_back(kPrivate);
  unit.insert(unit.end(), text.begin(), text.end());
  unit.push_back(kTrailing);
  return unit;
}

}  // namespace

std::string Signature(const Settings& s) {
  return "simulated GPU: p" + std::to_string(s.preset) + " b-frames=" + std::to_string(s.b_frames) +
         " look-ahead=" + std::to_string(s.look_ahead_frames) + " aq=" + std::to_string(s.adaptive_quantisation) +
         " multi-pass=" + std::to_string(s.multi_pass) + " quality=" + std::to_string(s.target_quality);
}

std::vector<std::uint8_t> SignatureUnit(const Settings& settings) {
  if (settings.codec == Codec::kAv1) return SignatureObu(Signature(settings));
  std::vector<std::uint8_t> payload(std::begin(kUuid), std::end(kUuid));
  const std::string text = Signature(settings);
  payload.insert(payload.end(), text.begin(), text.end());
  payload.push_back(0);

  std::vector<std::uint8_t> message = {kUserDataUnregistered};
  std::size_t size = payload.size();
  for (; size >= 255; size -= 255) message.push_back(255);
  message.push_back(static_cast<std::uint8_t>(size));
  message.insert(message.end(), payload.begin(), payload.end());
  message.push_back(0x80);  // trailing bits

  const std::string start = settings.codec == Codec::kH264 ? std::string("\0\0\0\1\x06", 5)       // SEI
                                                           : std::string("\0\0\0\1\x4e\x01", 6);  // PREFIX_SEI_NUT
  std::vector<std::uint8_t> unit(start.begin(), start.end());
  int zeros = 0;
  for (const std::uint8_t byte : message) {
    if (zeros == 2 && byte <= 3) {
      unit.push_back(3);
      zeros = 0;
    }
    zeros = byte == 0 ? zeros + 1 : 0;
    unit.push_back(byte);
  }
  return unit;
}

std::unique_ptr<Coder> MakeCoder(const Settings& settings) {
  switch (settings.codec) {
    case Codec::kH264: return MakeH264Coder(settings);
    case Codec::kHevc: return MakeHevcCoder(settings);
    case Codec::kAv1: return MakeAv1Coder(settings);
  }
  throw std::runtime_error("no such codec");
}

}  // namespace standin
