// SPDX-License-Identifier: Apache-2.0
// RTMP messages as chunks (Adobe's Real-Time Messaging Protocol 1.0, section 5.3).
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>

namespace kettle {

enum class RtmpType : std::uint8_t {
  kSetChunkSize = 1,
  kAbort = 2,
  kAcknowledgement = 3,
  kUserControl = 4,
  kWindowSize = 5,
  kPeerBandwidth = 6,
  kAudio = 8,
  kVideo = 9,
  kData = 18,
  kCommand = 20
};

struct RtmpMessage {
  RtmpType type = RtmpType::kCommand;
  std::uint32_t timestamp_ms = 0;
  std::uint32_t stream = 0;
  std::string body;
};

// Writes messages with whole headers.
class ChunkWriter {
 public:
  // The bytes of a message on a chunk stream, 2 to 63. A message that sets the chunk size applies to those after it.
  std::string Write(const RtmpMessage& message, int chunk_stream);

 private:
  std::size_t chunk_size_ = 128;
};

// Takes bytes as they come and gives whole messages.
class ChunkReader {
 public:
  void Feed(std::string_view bytes) { pending_.append(bytes); }
  // The next whole message, if there is one. Throws Error(kInput) for what cannot be RTMP.
  std::optional<RtmpMessage> Next();

 private:
  struct Stream {
    RtmpMessage message;  // being put together
    std::uint32_t length = 0, delta = 0;
    bool extended = false;
  };
  // Of one chunk, with what it takes over from the chunk before it.
  struct Header {
    int format = 0;
    std::uint32_t id = 0, time = 0, length = 0, stream = 0;
    RtmpType type = RtmpType::kCommand;
    bool extended = false;
    std::size_t bytes = 0;  // that it takes itself
  };
  std::optional<Header> ReadHeader(std::string_view bytes) const;  // nothing: not all of it is here yet
  bool ReadChunk();                                                // false: likewise
  void Obey(const RtmpMessage& message);                           // what concerns the chunks themselves
  void Drop(Stream& stream);                                       // the message that is being put together

  std::string pending_;
  std::size_t at_ = 0;  // of pending_, what was read
  std::size_t chunk_size_ = 128;
  std::size_t held_bytes_ = 0;  // of messages that are being put together
  std::map<std::uint32_t, Stream> streams_;
  std::optional<RtmpMessage> whole_;
};

}  // namespace kettle
