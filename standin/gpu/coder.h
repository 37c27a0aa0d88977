// SPDX-License-Identifier: Apache-2.0
// Makes the stand-in device's real H.264 with libx264, one picture in, one access unit out.
#pragma once

#include <cstdint>
#include <memory>
#include <vector>

#include "protocol.h"

struct x264_t;

namespace standin {

class Coder {
 public:
  explicit Coder(const Settings& settings);  // throws std::runtime_error if x264 refuses
  ~Coder();
  const std::vector<std::uint8_t>& header() const { return header_; }

  struct Unit {
    const std::uint8_t* data;  // valid until the next call
    std::uint32_t bytes;
    bool keyframe;
  };
  // Codes one picture laid out as NVENC's YV12 with the settings' pitch. Throws std::runtime_error.
  Unit Code(const std::uint8_t* picture, std::uint64_t timestamp, bool force_keyframe);

 private:
  Settings settings_;
  x264_t* x264_ = nullptr;
  std::vector<std::uint8_t> header_;
};

}  // namespace standin
