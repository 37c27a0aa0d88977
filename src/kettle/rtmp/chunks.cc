// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/chunks.h"

#include <algorithm>

#include "kettle/rtmp/bytes.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr std::uint32_t kExtended = 0xFFFFFF;  // says that the timestamp follows in four bytes
constexpr std::uint32_t kLongestMessage = 16u << 20;
constexpr std::size_t kMostHeld = 32u << 20;  // of unfinished messages, on all chunk streams together

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
  if (whole_) Obey(*whole_);
  return std::move(whole_);
}

void ChunkReader::Obey(const RtmpMessage& message) {
  if (message.type != RtmpType::kSetChunkSize && message.type != RtmpType::kAbort) return;
  if (message.body.size() < 4) FailInput("not RTMP: a control message without its number");
  const auto number = static_cast<std::uint32_t>(GetBig(message.body, 0, 4));
  if (message.type == RtmpType::kAbort) {
    if (const auto found = streams_.find(number); found != streams_.end()) Drop(found->second);
    return;
  }
  if (number == 0 || number > kLongestMessage) FailInput("not RTMP: a chunk size of {}", number);
  chunk_size_ = number;
}

void ChunkReader::Drop(Stream& stream) {
  held_bytes_ -= stream.message.body.size();
  stream.message.body.clear();
}

std::optional<ChunkReader::Header> ChunkReader::ReadHeader(std::string_view bytes) const {
  constexpr std::size_t kHeaderBytes[] = {11, 7, 3, 0};
  if (bytes.empty()) return std::nullopt;
  Header header;
  const auto first = static_cast<std::uint8_t>(bytes[0]);
  header.format = first >> 6;
  header.id = first & 63;
  std::size_t at = 1;
  if (header.id < 2) {
    at = 2 + header.id;
    if (bytes.size() < at) return std::nullopt;
    const std::uint32_t high = header.id == 1 ? static_cast<std::uint8_t>(bytes[2]) : 0;
    header.id = 64 + static_cast<std::uint8_t>(bytes[1]) + 256 * high;
  }
  if (bytes.size() < at + kHeaderBytes[header.format]) return std::nullopt;
  const auto known = streams_.find(header.id);
  if (known == streams_.end()) {
    if (header.format == 3) FailInput("not RTMP: a chunk continues no message");
  } else {
    header.length = known->second.length;
    header.type = known->second.message.type;
    header.stream = known->second.message.stream;
    header.extended = known->second.extended;
  }
  if (header.format < 3) {
    header.time = static_cast<std::uint32_t>(GetBig(bytes, at, 3));
    header.extended = header.time == kExtended;
  }
  if (header.format < 2) {
    header.length = static_cast<std::uint32_t>(GetBig(bytes, at + 3, 3));
    header.type = static_cast<RtmpType>(bytes[at + 6]);
  }
  if (header.format == 0) header.stream = GetLittle32(bytes, at + 7);
  at += kHeaderBytes[header.format];
  if (header.extended) {
    if (bytes.size() < at + 4) return std::nullopt;
    if (header.format < 3) header.time = static_cast<std::uint32_t>(GetBig(bytes, at, 4));
    at += 4;
  }
  header.bytes = at;
  return header;
}

bool ChunkReader::ReadChunk() {
  const std::string_view bytes = std::string_view(pending_).substr(at_);
  const std::optional<Header> header = ReadHeader(bytes);
  if (!header) return false;
  if (header->length > kLongestMessage) FailInput("not RTMP: a message of {} bytes", header->length);
  Stream& stream = streams_[header->id];
  std::string& body = stream.message.body;
  // The standard wants a message's later chunks to have no header at all; some senders repeat theirs.
  if (!body.empty() && (header->length != stream.length || header->type != stream.message.type))
    FailInput("not RTMP: a message changes its length or type halfway");
  const std::size_t part = std::min<std::size_t>(chunk_size_, header->length - body.size());
  if (bytes.size() < header->bytes + part) return false;
  if (body.empty()) {
    stream.message.type = header->type;
    stream.message.stream = header->stream;
    stream.length = header->length;
    if (header->format == 0) {
      stream.message.timestamp_ms = header->time;
      stream.delta = 0;
    } else {
      if (header->format < 3) stream.delta = header->time;
      stream.message.timestamp_ms += stream.delta;
    }
  }
  stream.extended = header->extended;
  body.append(bytes.substr(header->bytes, part));
  held_bytes_ += part;
  if (held_bytes_ > kMostHeld) FailInput("not RTMP: {} bytes of unfinished messages", held_bytes_);
  at_ += header->bytes + part;
  if (body.size() == stream.length) {
    held_bytes_ -= body.size();
    whole_ = {stream.message.type, stream.message.timestamp_ms, stream.message.stream, std::move(body)};
    body.clear();
  }
  return true;
}

}  // namespace kettle
