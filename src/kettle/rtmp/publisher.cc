// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/publisher.h"

#include <algorithm>
#include <chrono>
#include <utility>

#include "kettle/rtmp/amf.h"
#include "kettle/rtmp/bytes.h"
#include "kettle/rtmp/control.h"
#include "kettle/rtmp/flv_body.h"
#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"

namespace kettle {

namespace {

using Clock = std::chrono::steady_clock;
constexpr int kChunkBytes = 65536;

double Since(Clock::time_point start) { return std::chrono::duration<double>(Clock::now() - start).count(); }

}  // namespace

RtmpPublisher::RtmpPublisher(const IngestUrl& url, const std::string& key, double patience_seconds)
    : where_(url.str()), key_(key), patience_seconds_(patience_seconds), secure_(url.secure()) {
  const auto start = Clock::now();
  connection_ = std::make_unique<Connection>(url.host, url.port, url.secure(), patience_seconds);
  connect_seconds_ = Since(start);
  Handshake();
  std::string size;
  PutBig(size, kChunkBytes, 4);
  SendAll(writer_.Write({RtmpType::kSetChunkSize, 0, 0, size}, 2));
  AmfArray codecs;
  for (const FlvCodec codec : {FlvCodec::kHevc, FlvCodec::kAv1}) codecs.emplace_back(FourCc(codec));
  const AmfObject about{{"app", url.app},
                        {"type", "nonprivate"},
                        {"flashVer", "fast-kettle"},
                        {"tcUrl", url.str()},
                        {"fourCcList", codecs}};
  SendAll(Wrap({RtmpType::kCommand, 0, 0, WriteAmf({"connect", 1.0, about})}));
  if (const auto values = Await("_result"); values.size() > 2)
    if (const AmfValue* stand_in = values[2].Find("simulated")) simulated_ = stand_in->flag();
  SendAll(Wrap({RtmpType::kCommand, 0, 0, WriteAmf({"createStream", 2.0, AmfValue()})}));
  if (const auto values = Await("_result"); values.size() > 3) stream_ = static_cast<std::uint32_t>(values[3].number());
  in_stream_ = true;
  SendAll(Wrap({RtmpType::kCommand, 0, 0, WriteAmf({"publish", 3.0, AmfValue(), key, "live"})}));
  Await("onStatus");
  published_ = true;
  start_seconds_ = Since(start);
}

std::string RtmpPublisher::Wrap(RtmpMessage message) {
  message.stream = in_stream_ ? stream_ : 0;
  const int chunk_stream = message.type == RtmpType::kVideo ? 6 : message.type == RtmpType::kAudio ? 4 : 3;
  if (const auto due = control_.Acknowledgement()) owed_ += writer_.Write(*due, 2);
  return std::exchange(owed_, {}) + writer_.Write(message, chunk_stream);
}

std::string RtmpPublisher::Read() {
  std::string bytes = connection_->Read();
  control_.Received(bytes.size());
  return bytes;
}

void RtmpPublisher::Attend(const RtmpMessage& message) {
  if (const auto answer = control_.Answer(message)) owed_ += writer_.Write(*answer, 2);
}

void RtmpPublisher::SendAll(std::string_view bytes) {
  const auto start = Clock::now();
  while (!bytes.empty()) {
    bytes.remove_prefix(connection_->Write(bytes));
    if (bytes.empty()) return;
    const double left = patience_seconds_ - Since(start);
    if (left <= 0 || !connection_->Wait(true, left))
      FailInput("{}: has accepted no data for {:g} s", where_, patience_seconds_);
  }
}

void RtmpPublisher::Handshake() {
  std::string hello(1 + kHandshakeBytes, '\0');
  hello[0] = 3;
  for (std::size_t i = 9; i < hello.size(); ++i) hello[i] = static_cast<char>(i * 73);
  SendAll(hello);
  const auto start = Clock::now();
  std::string answer;
  while (answer.size() < 1 + 2 * kHandshakeBytes) {
    if (!answer.empty() && answer[0] != 3) FailInput("{}: the server there does not speak RTMP", where_);
    const double left = patience_seconds_ - Since(start);
    if (left <= 0 || !connection_->Wait(false, left))
      FailInput("{}: connected, but no RTMP handshake for {:g} s", where_, patience_seconds_);
    answer += Read();
  }
  SendAll(std::string_view(answer).substr(1, kHandshakeBytes));
  reader_.Feed(std::string_view(answer).substr(1 + 2 * kHandshakeBytes));
}

std::vector<AmfValue> RtmpPublisher::Await(const std::string& what) {
  const auto start = Clock::now();
  while (true) {
    while (const auto message = reader_.Next()) {
      Attend(*message);
      if (message->type != RtmpType::kCommand) continue;
      const std::vector<AmfValue> values = ReadAmf(message->body);
      if (values.empty()) continue;
      const AmfValue* info = values.size() > 3 ? &values[3] : nullptr;
      const AmfValue* level = info ? info->Find("level") : nullptr;
      const AmfValue* words = info ? info->Find("description") : nullptr;
      if (values[0].text() == "_error" || (level && level->text() == "error"))
        FailInput("{}: the ingest refuses the publish ({}); is the stream key right?", where_,
                  words && !words->text().empty() ? Redacted(PlainText(words->text()), key_) : "no reason given");
      if (values[0].text() != what) continue;
      answer_seconds_ = std::min(answer_seconds_, Since(start));
      return values;
    }
    const double left = patience_seconds_ - Since(start);
    if (left <= 0 || !connection_->Wait(false, left)) FailInput("{}: no answer for {:g} s", where_, patience_seconds_);
    try {
      reader_.Feed(Read());
    } catch (const Error&) {
      FailInput("{}: closed the connection before accepting the publish; are application and stream key right?",
                where_);
    }
  }
}

void RtmpPublisher::TakeIn() {
  for (std::string bytes; !(bytes = Read()).empty();) reader_.Feed(bytes);
  while (const auto message = reader_.Next()) {
    Attend(*message);
    if (message->type != RtmpType::kCommand) continue;
    const std::vector<AmfValue> values = ReadAmf(message->body);
    const AmfValue* level = values.size() > 3 ? values[3].Find("level") : nullptr;
    if (published_ && level && level->text() == "error") FailInput("{}: the ingest ended the publish", where_);
  }
}

std::size_t RtmpPublisher::Send(std::string_view bytes) {
  TakeIn();
  return connection_->Write(bytes);
}

void RtmpPublisher::Finish(double patience_seconds) {
  patience_seconds_ = patience_seconds;
  TakeIn();  // it may have gone away without a word
  published_ = false;
  SendAll(Wrap({RtmpType::kCommand, 0, 0, WriteAmf({"deleteStream", 4.0, AmfValue(), static_cast<double>(stream_)})}));
  const auto start = Clock::now();
  // Until all of it has left: what is lost now would look like the line's fault.
  while (Since(start) < patience_seconds && connection_->state().unsent_bytes > 0) connection_->Wait(false, 0.01);
}

}  // namespace kettle
