// SPDX-License-Identifier: Apache-2.0
// Bits of a NAL unit's payload: read without emulation prevention, written with it (H.264 7.2, 7.4.1.1, 9.1).
#pragma once

#include <cstddef>
#include <cstdint>
#include <stdexcept>
#include <vector>

namespace standin {

// The payload without the bytes that keep start codes out of it.
inline std::vector<std::uint8_t> WithoutEmulationPrevention(const std::uint8_t* data, std::size_t bytes) {
  std::vector<std::uint8_t> payload;
  payload.reserve(bytes);
  int zeros = 0;
  for (std::size_t i = 0; i < bytes; ++i) {
    if (zeros >= 2 && data[i] == 3) {
      zeros = 0;
      continue;
    }
    zeros = data[i] == 0 ? zeros + 1 : 0;
    payload.push_back(data[i]);
  }
  return payload;
}

// Throws std::runtime_error past the end.
class BitReader {
 public:
  explicit BitReader(const std::vector<std::uint8_t>& payload) : payload_(payload) {}

  std::uint32_t Bits(int count) {
    std::uint32_t value = 0;
    for (int i = 0; i < count; ++i) value = value << 1 | Bit();
    return value;
  }
  std::uint32_t Unsigned() {  // ue(v)
    int zeros = 0;
    while (Bit() == 0)
      if (++zeros > 31) throw std::runtime_error("no Exp-Golomb code");
    return (1u << zeros) - 1 + Bits(zeros);
  }
  std::int32_t Signed() {  // se(v)
    const std::uint32_t code = Unsigned();
    return code % 2 ? static_cast<std::int32_t>((code + 1) / 2) : -static_cast<std::int32_t>(code / 2);
  }
  std::size_t position() const { return position_; }  // in bits

 private:
  std::uint32_t Bit() {
    if (position_ >= payload_.size() * 8) throw std::runtime_error("a unit ends early");
    const std::uint32_t bit = payload_[position_ / 8] >> (7 - position_ % 8) & 1u;
    ++position_;
    return bit;
  }

  const std::vector<std::uint8_t>& payload_;
  std::size_t position_ = 0;
};

class BitWriter {
 public:
  void Bits(std::uint32_t value, int count) {
    for (int i = count - 1; i >= 0; --i) Bit(value >> i & 1u);
  }
  void Unsigned(std::uint32_t value) {
    int length = 0;
    while ((value + 1) >> (length + 1)) ++length;
    Bits(0, length);
    Bits(value + 1, length + 1);
  }
  void Signed(std::int32_t value) {
    Unsigned(value > 0 ? static_cast<std::uint32_t>(value) * 2 - 1 : static_cast<std::uint32_t>(-value) * 2);
  }
  bool aligned() const { return used_ == 0; }
  // The payload from that bit on.
  void Rest(const std::vector<std::uint8_t>& payload, std::size_t position) {
    for (; position % 8 != 0 && position < payload.size() * 8; ++position)
      Bit(payload[position / 8] >> (7 - position % 8) & 1u);
    for (std::size_t i = position / 8; i < payload.size(); ++i) {
      if (aligned())
        bytes_.push_back(payload[i]);
      else
        Bits(payload[i], 8);
    }
  }
  // To be called once whole bytes are written; a started one is filled up with zeros.
  std::vector<std::uint8_t> WithEmulationPrevention() const {
    std::vector<std::uint8_t> unit;
    unit.reserve(bytes_.size() + bytes_.size() / 64);
    int zeros = 0;
    for (const std::uint8_t byte : bytes_) {
      if (zeros >= 2 && byte <= 3) {
        unit.push_back(3);
        zeros = 0;
      }
      zeros = byte == 0 ? zeros + 1 : 0;
      unit.push_back(byte);
    }
    return unit;
  }

 private:
  void Bit(std::uint32_t bit) {
    if (used_ == 0) bytes_.push_back(0);
    bytes_.back() = static_cast<std::uint8_t>(bytes_.back() | bit << (7 - used_));
    used_ = (used_ + 1) % 8;
  }

  std::vector<std::uint8_t> bytes_;
  int used_ = 0;  // bits of the last byte
};

}  // namespace standin
