// SPDX-License-Identifier: Apache-2.0
// Coded pictures as containers hold them: the codec's header once, each picture without what the header has said.
#pragma once

#include <string>
#include <string_view>

#include "kettle/media/libav.h"

namespace kettle {

// What decoders are told before the first picture of this opened encoder: for H.264 an AVCDecoderConfigurationRecord,
// for HEVC and AV1 their like (ISO/IEC 14496-15; AV1 in ISOBMFF), made by libavformat. Throws Error(kMachine).
std::string ConfigurationRecord(const AVCodecContext& encoder);

// H.264, HEVC: start codes become lengths of four bytes; AV1: temporal delimiters are left out. Others stay as they
// are.
std::string SampleOf(AVCodecID codec, std::string_view packet);

// Adds about `bytes` that decoders pass over: filler NAL units (ITU-T H.264 7.3.2.7, H.265 7.3.2.8) or a padding OBU
// (AV1 5.8). Fewer than 16 bytes are not worth it. Throws Error(kInput) for another codec.
void AppendFiller(AVCodecID codec, std::size_t bytes, std::string& sample);

}  // namespace kettle
