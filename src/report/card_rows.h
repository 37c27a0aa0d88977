// SPDX-License-Identifier: Apache-2.0
// What a streamer types in, setting by setting.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "kettle/option/option.h"

namespace kettle {

using CardRows = std::vector<std::pair<std::string, std::string>>;  // a setting's name, its value

// Of one encode, without its container.
CardRows RowsOf(const Option& option);

// By which an encode leaves.
struct Protocols {
  bool rtmp = true, srt = false;
};
// How the stream reaches its destinations; over RTMP, codecs later than H.264 need a service that speaks Enhanced RTMP.
std::string Carried(const Option& stream, Protocols protocols);
// A recording's, as Show::recording_container calls it: "Matroska (.mkv)".
std::string ContainerWords(const std::string& container);

}  // namespace kettle
