// SPDX-License-Identifier: Apache-2.0
// A place that takes the stream, with its limits.
#pragma once

#include <array>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "kettle/units/units.h"
#include "kettle/uplink/budget.h"

namespace kettle {

// What a stream may be coded in, by libavcodec's names: RTMP carries all of them, SRT's transport stream no AV1.
inline constexpr std::array kStreamCodecs = {"h264", "hevc", "av1"};

struct Destination {
  std::string name;
  std::optional<BitRate> video_bit_rate_max;
  std::optional<FrameSize> size_max;
  std::optional<FrameRate> frame_rate_max;
  double keyframe_seconds = 2;
  std::vector<std::string> codecs = {"h264"};  // of kStreamCodecs
  std::optional<BitRate> audio_bit_rate_max;
  std::optional<int> b_frames_max;           // in a row
  std::vector<FrameSize> sizes;              // the only ones it takes; empty: any up to size_max
  std::vector<FrameRate> frame_rates;        // likewise
  bool transcodes = true;                    // viewers may choose smaller versions; if not, they get what was sent
  std::optional<BitRate> audience_bit_rate;  // what viewers' own lines carry, where nothing is transcoded
  struct Ingest {
    std::string name, address;
  };
  std::vector<Ingest> ingests;

  bool srt_only() const;                         // it names ingests, all of them srt://
  bool Accepts(const std::string& codec) const;  // by libavcodec's name; over one of its ingests
};

// As the budget sees it.
Recipient TakerOf(const Destination& destination);

// Reads a destination file. Throws Error(kInput): file, line, key and what would be right.
Destination ReadDestination(const std::filesystem::path& file);

// Finds a destination as a show names it: a path ending in .toml (relative to `show_folder`), or the
// name of a file in `show_folder`/destinations or in `shipped`. Throws Error(kInput).
Destination FindDestination(const std::string& name, const std::filesystem::path& show_folder,
                            const std::filesystem::path& shipped);

}  // namespace kettle
