// SPDX-License-Identifier: Apache-2.0
// Slices made under one pair of parameter sets, told anew under another: a driver whose client writes the parameter
// sets itself codes slices that go with those. What the macroblocks say stays, bit for bit.
#pragma once

#include <cstdint>
#include <vector>

#include "protocol.h"

namespace standin {

// What a coder's parameter sets say of how its slice headers are to be read (ITU-T H.264, 7.3.2.1 and 7.3.2.2).
struct H264Syntax {
  int frame_num_bits = 4, order_count_type = 0, order_count_bits = 4, initial_qp = 26;
  bool cabac = false, deblocking_control = false, transform_8x8 = false, weighted_prediction = false;
  int references = 1, chroma_qp_offset = 0, second_chroma_qp_offset = 0;
};
// From a sequence and a picture parameter set, each without its start code. Throws std::runtime_error.
H264Syntax ReadH264Syntax(const std::uint8_t* sps, std::size_t sps_bytes, const std::uint8_t* pps,
                          std::size_t pps_bytes);

// The slice NAL unit `nal` of a frame (no start code; intra or predicted from one reference) as a client's parameter
// sets have it, with a start code. Throws std::runtime_error where the two are coded differently.
std::vector<std::uint8_t> RewriteSlice(const std::uint8_t* nal, std::size_t bytes, const H264Syntax& coder,
                                       const ClientSyntax& client);

}  // namespace standin
