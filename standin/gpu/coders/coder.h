// SPDX-License-Identifier: Apache-2.0
// Makes the stand-in devices' real bitstreams.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "protocol.h"

namespace standin {

struct CodedUnit {
  const std::uint8_t* data;  // valid until the coder's next call
  std::uint32_t bytes;
  std::uint64_t timestamp;
  std::uint32_t picture_type;  // as in Encode
};

// What is asked of one picture beside its samples.
struct PictureRequest {
  std::uint64_t timestamp = 0;
  bool force_keyframe = false;
  ClientSyntax syntax = {};  // for Settings::client_headers
  AskedType type = AskedType::kAny;
};

// Codes pictures in the layout of NVENC's YV12 or P010 input, or NV12. Not thread-safe.
class Coder {
 public:
  virtual ~Coder() = default;
  // Parameter sets, Annex B; of AV1 its sequence header.
  virtual const std::vector<std::uint8_t>& header() const = 0;
  virtual int delay() const = 0;  // pictures that it holds back

  // Takes one picture and gives the next coded one, if there is one. Throws std::runtime_error.
  virtual std::optional<CodedUnit> Code(const std::uint8_t* picture, const PictureRequest& request) = 0;
  // After the last picture: the next of those held back.
  virtual std::optional<CodedUnit> Flush() = 0;
};

// With libx264, libx265 or SVT-AV1. Throws std::runtime_error if the library refuses the settings.
std::unique_ptr<Coder> MakeCoder(const Settings& settings);
std::unique_ptr<Coder> MakeH264Coder(const Settings& settings);
std::unique_ptr<Coder> MakeHevcCoder(const Settings& settings);
std::unique_ptr<Coder> MakeAv1Coder(const Settings& settings);
bool CodesAv1();  // it is built in: where libavcodec can reach a GPU's AV1, SVT-AV1 is new enough for it

// What a stream says of its making, as text for an unregistered SEI message: "simulated GPU: p4 bframes=2 ...".
std::string Signature(const Settings& settings);
// That message as a NAL unit of the codec, Annex B, emulation prevention included (H.264 7.4.1.1, D.1.7; HEVC D.2.7);
// of AV1 as an OBU of private metadata (AV1 5.8.1, 6.7.1).
std::vector<std::uint8_t> SignatureUnit(const Settings& settings);

}  // namespace standin
