// SPDX-License-Identifier: Apache-2.0
// The encoder families this program knows, as data, and how abstract settings become library options.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/media/encoder.h"

namespace kettle {

enum class DeviceKind { kCpu, kGpu };

// How pictures reach the encoder.
enum class Interface {
  kProcessor,  // planar pictures in memory
  kNvenc,      // planar pictures in memory; the driver counts its devices
  kVaapi,      // uploaded to surfaces of a render node
  kQsv,        // pictures with interleaved chroma in memory, for a render node
};

// What a family may or may not offer.
enum class Feature { kBFrames, kLookAhead, kAdaptiveQuantisation, kPsychovisual, kMultiPass };
const char* Name(Feature feature);  // "B-frames", "look-ahead", ...

// Library options. In a value, {} stands for the setting's own (yes and no are 1 and 0), {maximum} for the maximum bit
// rate in bit/s, {overshoot} for how many percent it is above the average. A name like
// "x265-params:bframes" is one entry of the option x265-params, whose entries are joined by colons.
using Options = std::map<std::string, std::string>;

struct FeatureMapping {
  int most = 1;                      // the largest value; 1 for yes or no
  Options options;                   // for every value
  std::map<int, Options> of_values;  // beside those, for single values
  bool off_needs_quality = false;    // zero is only taken where a quality level rules the rate
};

struct RateMapping {
  bool average = true, maximum = true, buffer = true;  // which of the rates the library is told
  bool maximum_as_average = false;                     // the maximum is told as the average too
  int level_times = 1;                                 // the library is told the quality level times this
  Options options;                                     // {} stands for what it is told
};

struct Profile {
  std::string name;
  int bit_depth = 8;
  Chroma chroma = Chroma::k420;
};

// A family's scale of quality levels: a smaller number is better.
struct QualityScale {
  int best = 0, worst = 51, usual = 23;
};

struct EncoderFamily {
  std::string name;          // as options and files name it
  std::string title;         // as people read it
  std::string library_name;  // libavcodec's encoder
  std::string codec;
  DeviceKind device = DeviceKind::kCpu;
  Interface interface = Interface::kProcessor;
  std::vector<std::string> presets;  // fastest first
  std::string preset_option = "preset";
  Options options;                             // always set
  std::map<RateControl, RateMapping> rates;    // what is missing, it cannot do
  std::map<Feature, FeatureMapping> features;  // what is missing, it cannot do
  std::vector<Profile> profiles;               // the usual one of each bit depth and chroma first
  std::string profile_option = "profile";      // empty: implied by the pictures' format
  QualityScale quality;
  FrameSize largest{8192, 8192};  // of the encoder as such and of this program; a device may take less
  // What the library's log says when it cannot open, and what that means for the user; first match wins.
  std::vector<std::pair<std::string, std::string>> reasons;
};

// All families, CPU first.
const std::vector<EncoderFamily>& Catalogue();

// Encodes nothing: hands each picture on. Measures what feeding an encoder costs.
const EncoderFamily& DiscardingEncoder();

// By name, the discarding one included. Throws Error(kInput) with the nearest name.
const EncoderFamily& FindFamily(const std::string& name);

// As people write a codec: "H.264", "HEVC"; by libavcodec's name.
std::string CodecTitle(const std::string& codec);

const char* Name(DeviceKind kind);  // "cpu", "gpu"

// What the library is opened with. Throws Error(kInput) with one line if the family has no such preset or
// cannot do what is asked, naming the families that can.
EncoderConfig ConfigFor(const EncodeSettings& settings);

// Where the GPU sits that these settings name, as its interface counts GPUs: "0000:01:00.0". Empty for a processor, or
// if nothing tells. Loads the driver: call it in a worker.
std::string BusAddressOf(const EncodeSettings& settings);

// The one line that says why a family did not work, from the library's own words.
std::string Reason(const EncoderFamily& family, const std::string& library_words);

// The families of catalogue.cc, made in files of their own.
std::vector<EncoderFamily> ProcessorFamilies();
std::vector<EncoderFamily> NvencFamilies();
std::vector<EncoderFamily> VaapiFamilies();
std::vector<EncoderFamily> QsvFamilies();

}  // namespace kettle
