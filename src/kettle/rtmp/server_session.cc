// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/server_session.h"

#include "kettle/rtmp/bytes.h"
#include "kettle/rtmp/control.h"
#include "kettle/rtmp/flv_body.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr std::uint64_t kWindowBytes = 2'500'000;
constexpr std::uint32_t kStream = 1;

std::string Big32(std::uint32_t number) {
  std::string out;
  PutBig(out, number, 4);
  return out;
}

}  // namespace

std::string RtmpServerSession::Feed(std::string_view bytes) {
  std::string reply;
  control_.Received(bytes.size());
  if (stage_ != Stage::kOpen) {
    handshake_.append(bytes);
    reply = Handshake();
    if (stage_ != Stage::kOpen) return reply;
  } else {
    reader_.Feed(bytes);
  }
  while (const auto message = reader_.Next()) {
    if (const auto answer = control_.Answer(*message)) reply += writer_.Write(*answer, 2);
    Handle(*message, reply);
  }
  if (const auto due = control_.Acknowledgement()) reply += writer_.Write(*due, 2);
  return reply;
}

std::string RtmpServerSession::Handshake() {
  std::string reply;
  if (stage_ == Stage::kHello && !handshake_.empty() && handshake_[0] != 3)
    FailInput("not RTMP: version {}", static_cast<int>(handshake_[0]));
  if (stage_ == Stage::kHello && handshake_.size() >= 1 + kHandshakeBytes) {
    const std::string theirs = handshake_.substr(1, kHandshakeBytes);
    std::string ours(kHandshakeBytes, '\0');
    for (std::size_t i = 8; i < ours.size(); ++i) ours[i] = static_cast<char>(i * 37);
    reply = "\x03" + ours + theirs;
    handshake_.erase(0, 1 + kHandshakeBytes);
    stage_ = Stage::kEcho;
  }
  if (stage_ == Stage::kEcho && handshake_.size() >= kHandshakeBytes) {
    reader_.Feed(std::string_view(handshake_).substr(kHandshakeBytes));
    handshake_.clear();
    stage_ = Stage::kOpen;
  }
  return reply;
}

void RtmpServerSession::Handle(const RtmpMessage& message, std::string& reply) {
  switch (message.type) {
    case RtmpType::kCommand: Command(message, reply); break;
    case RtmpType::kAudio:
    case RtmpType::kVideo:
    case RtmpType::kData:
      if (publishing_) callbacks_.media(message);
      break;
    default: break;
  }
}

std::string RtmpServerSession::Status(std::uint32_t stream, const char* level, const char* code,
                                      const std::string& words) {
  const AmfObject info{{"level", level}, {"code", code}, {"description", words}};
  return writer_.Write({RtmpType::kCommand, 0, stream, WriteAmf({"onStatus", 0.0, AmfValue(), info})}, 5);
}

void RtmpServerSession::Command(const RtmpMessage& message, std::string& reply) {
  const std::vector<AmfValue> values = ReadAmf(message.body);
  if (values.size() < 2) return;
  const std::string name = values[0].text();
  const auto result = [&](std::vector<AmfValue> rest) {
    rest.insert(rest.begin(), {"_result", values[1].number()});
    reply += writer_.Write({RtmpType::kCommand, 0, 0, WriteAmf(rest)}, 3);
  };
  if (name == "connect") {
    const AmfValue* app = values.size() > 2 ? values[2].Find("app") : nullptr;
    app_ = app ? app->text() : "";
    reply += writer_.Write({RtmpType::kWindowSize, 0, 0, Big32(kWindowBytes)}, 2);
    reply += writer_.Write({RtmpType::kPeerBandwidth, 0, 0, Big32(kWindowBytes) + '\x02'}, 2);
    const AmfArray codecs{FourCc(FlvCodec::kHevc), FourCc(FlvCodec::kAv1)};
    result({AmfObject{{"fmsVer", "kettle-ingest"}, {"capabilities", 31.0}, {"fourCcList", codecs}, {"simulated", true}},
            AmfObject{{"level", "status"},
                      {"code", "NetConnection.Connect.Success"},
                      {"description", "connected"},
                      {"objectEncoding", 0.0}}});
  } else if (name == "createStream") {
    result({AmfValue(), static_cast<double>(kStream)});
  } else if (name == "releaseStream" || name == "FCPublish" || name == "_checkbw") {
    result({AmfValue(), AmfValue()});
  } else if (name == "publish") {
    const std::string key = values.size() > 3 ? values[3].text() : "";
    publishing_ = callbacks_.accept(app_, key);
    finished_ = !publishing_;
    reply += publishing_ ? Status(message.stream, "status", "NetStream.Publish.Start", "publishing")
                         : Status(message.stream, "error", "NetStream.Publish.BadName", callbacks_.refusal);
  } else if (name == "FCUnpublish" || name == "deleteStream" || name == "closeStream") {
    publishing_ = false;
    finished_ = true;
  }
}

}  // namespace kettle
