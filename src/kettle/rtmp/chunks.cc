// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/chunks.h"

#include <algorithm>

#include "kettle/rtmp/bytes.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr std::uint32_t kExtended = 0xFFFFFF;  // says that the timestamp follows in four bytes
constexpr std::uint32_t kLongestMessage = 16u << 20;

std::uint32_t GetLittle32(std::string_view bytes, std::size_t at) {
  std::uint32_t number = 0;
  for (std::size_t i = 4; i-- > 0;) number = number << 8 | static_cast<std::uint8_t>(bytes[at + i]);
  return number;
}

}  // namespace

std::string ChunkWriter::Write(const RtmpMessage& message, int chunk_stream) {
  std::string out;
  out.reserve(message.body.size() + message.body.size() / chunk_size_ + 20);
  const bool extended = message.timestamp_ms >= kExtended;
  out += static_cast<char>(chunk_stream);
  PutBig(out, extended ? kExtended : message.timestamp_ms, 3);
  PutBig(out, message.body.size(), 3);
  out += static_cast<char>(message.type);
  for (int i = 0; i < 4; ++i) out += static_cast<char>(message.stream >> (8 * i));
  if (extended) PutBig(out, message.timestamp_ms, 4);
  for (std::size_t at = 0; at < message.body.size(); at += chunk_size_) {
    if (at > 0) {
      out += static_cast<char>(0xC0 | chunk_stream);
      if (extended) PutBig(out, message.timestamp_ms, 4);
    }
    out.append(message.body, at, chunk_size_);
  }
  if (message.type == RtmpType::kSetChunkSize && message.body.size() >= 4)
    chunk_size_ = static_cast<std::size_t>(GetBig(message.body, 0, 4));
  return out;
}

std::optional<RtmpMessage> ChunkReader::Next() {
  whole_.reset();
  while (!whole_ && ReadChunk()) {
  }
  if (at_ > (64u << 10) || at_ == pending_.size()) {
    pending_.erase(0, at_);
    at_ = 0;
  }
  if (whole_ && whole_->type == RtmpType::kSetChunkSize) {
    if (whole_->body.size() < 4) FailInput("not RTMP: a chunk size without its number");
    chunk_size_ = static_cast<std::size_t>(GetBig(whole_->body, 0, 4));
    if (chunk_size_ == 0 || chunk_size_ > kLongestMessage) FailInput("not RTMP: a chunk size of {}", chunk_size_);
  }
  return std::move(whole_);
}

bool ChunkReader::ReadChunk() {
  constexpr std::size_t kHeaderBytes[] = {11, 7, 3, 0};
  const std::string_view bytes = std::string_view(pending_).substr(at_);
  if (bytes.empty()) return false;
  std::size_t at = 1;
  const auto first = static_cast<std::uint8_t>(bytes[0]);
  const int format = first >> 6;
  std::uint32_t id = first & 63;
  if (id < 2) {
    if (bytes.size() < 2 + id) return false;
    id = id == 0 ? 64 + static_cast<std::uint8_t>(bytes[1])
                 : 64 + static_cast<std::uint8_t>(bytes[1]) + 256u * static_cast<std::uint8_t>(bytes[2]);
    at = 2 + (first & 63);
  }
  if (bytes.size() < at + kHeaderBytes[format]) return false;
  Stream stream = streams_[id];  // a copy: kept only if the whole chunk is here
  if (!stream.known && format == 3) FailInput("not RTMP: a chunk goes on with nothing");
  std::uint32_t time = 0;
  if (format < 3) {
    time = static_cast<std::uint32_t>(GetBig(bytes, at, 3));
    stream.extended = time == kExtended;
    if (format < 2) {
      stream.length = static_cast<std::uint32_t>(GetBig(bytes, at + 3, 3));
      stream.message.type = static_cast<RtmpType>(bytes[at + 6]);
    }
    if (format == 0) stream.message.stream = GetLittle32(bytes, at + 7);
  }
  at += kHeaderBytes[format];
  if (stream.extended) {
    if (bytes.size() < at + 4) return false;
    if (format < 3) time = static_cast<std::uint32_t>(GetBig(bytes, at, 4));
    at += 4;
  }
  if (stream.length > kLongestMessage) FailInput("not RTMP: a message of {} bytes", stream.length);
  const bool begins = stream.message.body.empty();
  if (begins) {
    if (format == 0) {
      stream.message.timestamp_ms = time;
      stream.delta = 0;
    } else {
      if (format < 3) stream.delta = time;
      stream.message.timestamp_ms += stream.delta;
    }
  }
  const std::size_t part = std::min(chunk_size_, stream.length - stream.message.body.size());
  if (bytes.size() < at + part) return false;
  stream.message.body.append(bytes.substr(at, part));
  stream.known = true;
  at_ += at + part;
  if (stream.message.body.size() == stream.length) {
    whole_ = stream.message;
    stream.message.body.clear();
  }
  streams_[id] = std::move(stream);
  return true;
}

}  // namespace kettle
