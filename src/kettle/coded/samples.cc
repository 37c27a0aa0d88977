// SPDX-License-Identifier: Apache-2.0
#include "kettle/coded/samples.h"

#include <cstdint>
#include <cstring>

#include "kettle/coded/muxer.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr int kBufferBytes = 4096;

// A file in memory that libavformat reads.
struct Reading {
  std::string_view left;
  static int Read(void* self, std::uint8_t* to, int count) {
    auto& left = static_cast<Reading*>(self)->left;
    if (left.empty()) return AVERROR_EOF;
    const std::size_t taken = left.copy(reinterpret_cast<char*>(to), static_cast<std::size_t>(count));
    left.remove_prefix(taken);
    return static_cast<int>(taken);
  }
};

void PutLength(std::string& out, std::size_t length) {
  for (const int shift : {24, 16, 8, 0}) out += static_cast<char>(length >> shift);
}

// ITU-T H.264 and H.265, annex B: units between start codes of three bytes; zeros before one belong to none.
std::string WithLengths(std::string_view stream) {
  constexpr std::string_view kStartCode("\0\0\1", 3);
  std::string out;
  std::size_t start = stream.find(kStartCode);
  if (start == stream.npos) return std::string(stream);
  while (start != stream.npos) {
    const std::size_t begin = start + kStartCode.size(), next = stream.find(kStartCode, begin);
    std::string_view unit = stream.substr(begin, next == stream.npos ? next : next - begin);
    while (!unit.empty() && unit.back() == 0) unit.remove_suffix(1);
    PutLength(out, unit.size());
    out.append(unit);
    start = next;
  }
  return out;
}

// AV1 specification 4.10.5; false if it is cut off.
bool TakeLeb128(std::string_view& bytes, std::uint64_t& value) {
  value = 0;
  for (int i = 0; i < 8 && !bytes.empty(); ++i) {
    const auto byte = static_cast<std::uint8_t>(bytes.front());
    bytes.remove_prefix(1);
    value |= static_cast<std::uint64_t>(byte & 0x7F) << (7 * i);
    if ((byte & 0x80) == 0) return true;
  }
  return false;
}

// AV1 specification 5.3.2: type in bits 3 to 6 of the header, an extension by bit 2, a size by bit 1.
constexpr int kTemporalDelimiter = 2, kPadding = 15;
constexpr std::uint8_t kHasSize = 2;

std::string WithoutDelimiters(std::string_view stream) {
  std::string out;
  while (!stream.empty()) {
    std::string_view rest = stream;
    const auto header = static_cast<std::uint8_t>(rest.front());
    rest.remove_prefix(std::min<std::size_t>(rest.size(), (header & 4) != 0 ? 2 : 1));
    std::uint64_t size = rest.size();
    if ((header & kHasSize) != 0 && (!TakeLeb128(rest, size) || size > rest.size())) return out.append(stream);
    const std::size_t whole = stream.size() - rest.size() + size;
    if ((header >> 3 & 15) != kTemporalDelimiter) out.append(stream.substr(0, whole));
    stream.remove_prefix(whole);
  }
  return out;
}

}  // namespace

std::string ConfigurationRecord(const AVCodecContext& encoder) {
  std::string file;
  // The Matroska muxer writes it into the header; the reader of that header ends where the first cluster begins.
  Muxer({"matroska", {}, false}, {&encoder}, [&](std::int64_t, std::string_view bytes) { file.append(bytes); });
  file.append("\x1F\x43\xB6\x75\x80");
  Reading reading{file};
  AVFormatContext* format = avformat_alloc_context();
  if (!format) FailMachine("out of memory");
  AVIOContext* bytes = avio_alloc_context(static_cast<unsigned char*>(av_malloc(kBufferBytes)), kBufferBytes, 0,
                                          &reading, Reading::Read, nullptr, nullptr);
  format->pb = bytes;
  std::string record;
  const int code = avformat_open_input(&format, nullptr, av_find_input_format("matroska"), nullptr);
  if (code >= 0 && format->nb_streams == 1) {
    const AVCodecParameters& track = *format->streams[0]->codecpar;
    record.assign(reinterpret_cast<const char*>(track.extradata), static_cast<std::size_t>(track.extradata_size));
  }
  avformat_close_input(&format);
  if (bytes) av_freep(&bytes->buffer);
  avio_context_free(&bytes);
  if (record.empty()) FailMachine("{} tells nothing of its codec's header", encoder.codec->name);
  return record;
}

std::string SampleOf(AVCodecID codec, std::string_view packet) {
  switch (codec) {
    case AV_CODEC_ID_H264:
    case AV_CODEC_ID_HEVC: return WithLengths(packet);
    case AV_CODEC_ID_AV1: return WithoutDelimiters(packet);
    default: return std::string(packet);
  }
}

void AppendFiller(AVCodecID codec, std::size_t bytes, std::string& sample) {
  constexpr std::size_t kLeast = 16;
  if (bytes < kLeast) return;
  constexpr char kStopBit = static_cast<char>(0x80), kFull = static_cast<char>(0xFF);
  switch (codec) {
    case AV_CODEC_ID_H264:
    case AV_CODEC_ID_HEVC: {
      const std::string header = codec == AV_CODEC_ID_H264 ? std::string(1, 12) : std::string{38 << 1, 1};
      PutLength(sample, bytes - 4);
      sample += header;
      sample.append(bytes - 5 - header.size(), kFull);
      break;
    }
    case AV_CODEC_ID_AV1: {
      constexpr std::size_t kHeader = 5;  // and a size of four bytes
      const std::size_t size = bytes - kHeader;
      sample += static_cast<char>(kPadding << 3 | kHasSize);
      for (int i = 0; i < 4; ++i) sample += static_cast<char>((size >> (7 * i) & 0x7F) | (i < 3 ? 0x80 : 0));
      sample.append(size - 1, kFull);
      break;
    }
    default: FailInput("the test stream must be H.264, HEVC or AV1");
  }
  sample += kStopBit;
}

}  // namespace kettle
