// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/control.h"

#include <algorithm>
#include <string>

#include "kettle/rtmp/bytes.h"

namespace kettle {

namespace {

constexpr std::uint64_t kPingRequest = 6, kPingResponse = 7;  // user control events, section 7.1.7
constexpr std::uint64_t kLeastWindow = 4096;                  // a smaller one would drown the line in acknowledgements

RtmpMessage NumberMessage(RtmpType type, std::uint32_t number) {
  std::string body;
  PutBig(body, number, 4);
  return {type, 0, 0, body};
}

}  // namespace

std::optional<RtmpMessage> RtmpControl::Answer(const RtmpMessage& message) {
  const std::string& body = message.body;
  if (message.type == RtmpType::kUserControl && body.size() >= 6 && GetBig(body, 0, 2) == kPingRequest) {
    std::string pong;
    PutBig(pong, kPingResponse, 2);
    pong.append(body, 2, 4);  // the ping's own time
    return RtmpMessage{RtmpType::kUserControl, 0, 0, pong};
  }
  if (body.size() < 4) return std::nullopt;
  const auto number = static_cast<std::uint32_t>(GetBig(body, 0, 4));
  if (message.type == RtmpType::kWindowSize) window_bytes_ = std::max<std::uint64_t>(kLeastWindow, number);
  if (message.type == RtmpType::kPeerBandwidth && number != answered_window_) {
    answered_window_ = number;
    return NumberMessage(RtmpType::kWindowSize, number);
  }
  return std::nullopt;
}

std::optional<RtmpMessage> RtmpControl::Acknowledgement() {
  if (received_ - acknowledged_ < window_bytes_ / 2) return std::nullopt;
  acknowledged_ = received_;
  return NumberMessage(RtmpType::kAcknowledgement, static_cast<std::uint32_t>(received_));
}

}  // namespace kettle
