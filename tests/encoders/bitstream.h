// SPDX-License-Identifier: Apache-2.0
// What a produced bitstream says of itself, read by libavcodec's trace_headers filter.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "kettle/encoders/catalogue.h"

namespace kettle::test {

struct Packet {
  std::int64_t pts = 0;
  bool keyframe = false;
  int after_frame = 0;  // came out when this many frames had gone in
  std::string bytes;
};

struct Stream {
  std::string header;  // what the encoder gave apart from the packets
  std::vector<Packet> packets;
  // Every syntax element of all headers with its values in the order of coding, indices left out of the names.
  std::map<std::string, std::vector<long long>> elements;

  bool Has(const std::string& element, long long value) const;
  long long First(const std::string& element) const;  // -1 if it is not there
  std::string text() const;                           // all bytes, for what is written in plain words
  int longest_b_run() const;
  std::vector<int> keyframes() const;  // their places in coding order
  int delay() const { return packets.empty() ? -1 : packets.front().after_frame; }
};

bool HasEncoder(const std::string& library_name);  // libavcodec as installed has it

// Encodes `frames` moving pictures with the settings.
Stream EncodeStream(const EncodeSettings& settings, int frames);
Stream EncodeStream(const EncoderConfig& config, int frames);

}  // namespace kettle::test
