// SPDX-License-Identifier: Apache-2.0
#include "h264_slices.h"

#include <algorithm>
#include <stdexcept>

#include "bits.h"

namespace standin {

namespace {

constexpr int kHighestBaselineLike = 88;  // profiles above say their chroma format
constexpr std::uint32_t kIdrUnit = 5;
constexpr std::uint32_t kPredicted = 0;  // slice_type modulo 5; intra: 2

// What a slice header says that the macroblocks after it depend on.
struct SliceHeader {
  std::uint32_t type = 0;
  bool idr = false;
  int qp = 26, cabac_init = 0;
  std::uint32_t deblocking_off = 0;
  int alpha = 0, beta = 0;
  std::size_t end = 0;  // the first bit after it
};

void ReadSequence(BitReader& bits, H264Syntax& syntax) {
  bits.Bits(8);  // NAL header
  const std::uint32_t profile = bits.Bits(8);
  bits.Bits(16);  // constraints, level
  bits.Unsigned();
  if (profile > kHighestBaselineLike) {
    if (bits.Unsigned() == 3) bits.Bits(1);
    bits.Unsigned();
    bits.Unsigned();
    bits.Bits(1);
    if (bits.Bits(1)) throw std::runtime_error("a scaling matrix");
  }
  syntax.frame_num_bits = static_cast<int>(bits.Unsigned()) + 4;
  syntax.order_count_type = static_cast<int>(bits.Unsigned());
  if (syntax.order_count_type == 1) throw std::runtime_error("picture order count type 1");
  if (syntax.order_count_type == 0) syntax.order_count_bits = static_cast<int>(bits.Unsigned()) + 4;
}

void ReadPicture(BitReader& bits, std::size_t end, H264Syntax& syntax) {
  bits.Bits(8);
  bits.Unsigned();
  bits.Unsigned();
  syntax.cabac = bits.Bits(1);
  bits.Bits(1);
  if (bits.Unsigned() != 0) throw std::runtime_error("slice groups");
  syntax.references = static_cast<int>(bits.Unsigned()) + 1;
  bits.Unsigned();
  syntax.weighted_prediction = bits.Bits(1);
  bits.Bits(2);
  syntax.initial_qp = bits.Signed() + 26;
  bits.Signed();
  syntax.chroma_qp_offset = syntax.second_chroma_qp_offset = bits.Signed();
  syntax.deblocking_control = bits.Bits(1);
  bits.Bits(2);
  if (bits.position() >= end) return;
  syntax.transform_8x8 = bits.Bits(1);
  if (bits.Bits(1)) throw std::runtime_error("a scaling matrix");
  syntax.second_chroma_qp_offset = bits.Signed();
}

// The last bit that is set ends a unit's payload: where it stands.
std::size_t PayloadEnd(const std::vector<std::uint8_t>& payload) {
  std::size_t bits = payload.size() * 8;
  while (bits > 0 && (payload[(bits - 1) / 8] >> (7 - (bits - 1) % 8) & 1) == 0) --bits;
  return bits > 0 ? bits - 1 : 0;
}

// 7.3.3, of frames in one slice.
SliceHeader ReadSlice(BitReader& bits, const H264Syntax& coder) {
  SliceHeader slice;
  bits.Bits(1);
  const std::uint32_t reference = bits.Bits(2);
  slice.idr = bits.Bits(5) == kIdrUnit;
  if (bits.Unsigned() != 0) throw std::runtime_error("more than one slice");
  slice.type = bits.Unsigned() % 5;
  bits.Unsigned();
  bits.Bits(coder.frame_num_bits);
  if (slice.idr) bits.Unsigned();
  if (coder.order_count_type == 0) bits.Bits(coder.order_count_bits);
  if (slice.type == kPredicted) {
    int references = coder.references;
    if (bits.Bits(1)) references = static_cast<int>(bits.Unsigned()) + 1;
    if (references != 1) throw std::runtime_error("several references");
    if (bits.Bits(1)) throw std::runtime_error("references in another order");
    if (coder.weighted_prediction) throw std::runtime_error("weighted prediction");
  }
  if (reference != 0) {
    if (slice.idr)
      bits.Bits(2);
    else if (bits.Bits(1))
      throw std::runtime_error("references marked");
  }
  if (coder.cabac && slice.type == kPredicted) slice.cabac_init = static_cast<int>(bits.Unsigned());
  slice.qp = coder.initial_qp + bits.Signed();
  if (coder.deblocking_control) {
    slice.deblocking_off = bits.Unsigned();
    if (slice.deblocking_off != 1) {
      slice.alpha = bits.Signed();
      slice.beta = bits.Signed();
    }
  }
  slice.end = bits.position();
  return slice;
}

// An intra picture in the place of a client's predicted one stays that: what comes after it refers to no other.
void WriteSlice(BitWriter& bits, const SliceHeader& slice, const ClientSyntax& client) {
  bits.Bits(0, 1);
  bits.Bits(client.idr ? 3 : client.reference ? 2 : 0, 2);
  bits.Bits(client.idr ? kIdrUnit : 1, 5);
  bits.Unsigned(0);
  bits.Unsigned(slice.type + 5);  // all slices of the picture are of it
  bits.Unsigned(client.parameter_set);
  bits.Bits(client.frame_num, static_cast<int>(client.frame_num_bits));
  if (client.idr) bits.Unsigned(client.idr_id);
  if (client.order_count_type == 0) bits.Bits(client.order_count, static_cast<int>(client.order_count_bits));
  if (slice.type == kPredicted) {
    const bool override_count = client.references != 1;
    bits.Bits(override_count, 1);
    if (override_count) bits.Unsigned(0);
    bits.Bits(0, 1);
  }
  if (client.idr)
    bits.Bits(0, 2);
  else if (client.reference)
    bits.Bits(0, 1);
  if (client.cabac && slice.type == kPredicted) bits.Unsigned(static_cast<std::uint32_t>(slice.cabac_init));
  bits.Signed(slice.qp - static_cast<int>(client.initial_qp));
  if (client.deblocking_control) {
    bits.Unsigned(slice.deblocking_off);
    if (slice.deblocking_off != 1) {
      bits.Signed(slice.alpha);
      bits.Signed(slice.beta);
    }
  }
}

}  // namespace

H264Syntax ReadH264Syntax(const std::uint8_t* sps, std::size_t sps_bytes, const std::uint8_t* pps,
                          std::size_t pps_bytes) {
  H264Syntax syntax;
  const std::vector<std::uint8_t> sequence = WithoutEmulationPrevention(sps, sps_bytes);
  const std::vector<std::uint8_t> picture = WithoutEmulationPrevention(pps, pps_bytes);
  BitReader sequence_bits(sequence), picture_bits(picture);
  ReadSequence(sequence_bits, syntax);
  ReadPicture(picture_bits, PayloadEnd(picture), syntax);
  return syntax;
}

std::vector<std::uint8_t> RewriteSlice(const std::uint8_t* nal, std::size_t bytes, const H264Syntax& coder,
                                       const ClientSyntax& client) {
  if (coder.cabac != (client.cabac != 0) || coder.transform_8x8 != (client.transform_8x8 != 0) ||
      coder.chroma_qp_offset != client.chroma_qp_offset ||
      coder.second_chroma_qp_offset != client.second_chroma_qp_offset)
    throw std::runtime_error("the picture parameter sets differ");
  const std::vector<std::uint8_t> payload = WithoutEmulationPrevention(nal, bytes);
  BitReader reader(payload);
  const SliceHeader slice = ReadSlice(reader, coder);
  if (slice.deblocking_off == 0 && (slice.alpha != 0 || slice.beta != 0) && !client.deblocking_control)
    throw std::runtime_error("deblocking cannot be told");
  BitWriter writer;
  WriteSlice(writer, slice, client);
  std::size_t from = slice.end;
  if (coder.cabac) {  // cabac_alignment_one_bit, on both sides
    from = (from + 7) / 8 * 8;
    while (!writer.aligned()) writer.Bits(1, 1);
  }
  writer.Rest(payload, from);
  const std::vector<std::uint8_t> unit = writer.WithEmulationPrevention();
  constexpr std::size_t kStart = 4;
  std::vector<std::uint8_t> whole(kStart + unit.size());
  whole[kStart - 1] = 1;
  std::copy(unit.begin(), unit.end(), whole.begin() + kStart);
  return whole;
}

}  // namespace standin
