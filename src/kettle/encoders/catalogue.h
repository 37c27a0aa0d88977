// SPDX-License-Identifier: Apache-2.0
// The encoder families this program knows, as data, and how abstract settings become library options.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/media/encoder.h"

namespace kettle {

enum class DeviceKind { kCpu, kGpu };

struct EncoderFamily {
  std::string name;          // as options and files name it
  std::string title;         // as people read it
  std::string library_name;  // libavcodec's encoder
  std::string codec;
  DeviceKind device;
  std::vector<std::string> presets;            // fastest first
  std::map<std::string, std::string> options;  // always set
  std::map<RateControl, std::map<std::string, std::string>> rate_options;
  // What the library's log says when it cannot open, and what that means for the user; first match wins.
  std::vector<std::pair<std::string, std::string>> reasons;
};

// All families that plans choose from, CPU first.
const std::vector<EncoderFamily>& Catalogue();

// Encodes nothing: hands each picture on. Measures what feeding an encoder costs.
const EncoderFamily& DiscardingEncoder();

// By name, the discarding one included. Throws Error(kInput) with the nearest name.
const EncoderFamily& FindFamily(const std::string& name);

const char* Name(DeviceKind kind);  // "cpu", "gpu"

// Throws Error(kInput) if the family has no such preset.
EncoderConfig ConfigFor(const EncodeSettings& settings);

// The one line that says why a family did not open, from the library's own words.
std::string Reason(const EncoderFamily& family, const std::string& library_words);

}  // namespace kettle
