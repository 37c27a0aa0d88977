// SPDX-License-Identifier: Apache-2.0
// The server's side of one RTMP publish, without a socket: bytes in, bytes and what was published out.
#pragma once

#include <functional>
#include <string>
#include <string_view>

#include "kettle/rtmp/amf.h"
#include "kettle/rtmp/chunks.h"
#include "kettle/rtmp/control.h"

namespace kettle {

class RtmpServerSession {
 public:
  struct Callbacks {
    // Asked once, with the application's name and the key; false refuses the publish.
    std::function<bool(const std::string& app, const std::string& key)> accept;
    std::function<void(const RtmpMessage&)> media;  // audio, video and data of an accepted publish
    std::string refusal = "this stream key is not accepted";
  };
  explicit RtmpServerSession(Callbacks callbacks) : callbacks_(std::move(callbacks)) {}

  // Takes what came in; returns what is to be sent back. Throws Error(kInput) for what cannot be RTMP.
  std::string Feed(std::string_view bytes);

  bool publishing() const { return publishing_; }
  bool finished() const { return finished_; }  // the client ended the publish, or was refused

 private:
  std::string Handshake();
  void Handle(const RtmpMessage& message, std::string& reply);
  void Command(const RtmpMessage& message, std::string& reply);
  std::string Status(std::uint32_t stream, const char* level, const char* code, const std::string& words);

  enum class Stage { kHello, kEcho, kOpen } stage_ = Stage::kHello;
  Callbacks callbacks_;
  std::string handshake_;
  ChunkReader reader_;
  ChunkWriter writer_;
  std::string app_;
  bool publishing_ = false, finished_ = false;
  RtmpControl control_;
};

}  // namespace kettle
