// SPDX-License-Identifier: Apache-2.0
#include "kettle/publish/ingest_connection.h"
#include "kettle/rtmp/publisher.h"

namespace kettle {

namespace {

class OverRtmp final : public IngestConnection {
 public:
  OverRtmp(const IngestUrl& url, const StreamKey& key, double patience_seconds)
      : publisher_(url, key.key, patience_seconds) {}
  Started started() const override {
    return {publisher_.connect_seconds(), publisher_.start_seconds(), publisher_.answer_seconds()};
  }
  bool simulated() const override { return publisher_.simulated(); }
  double header_bytes() const override { return 52; }  // IPv4 and TCP with timestamps
  std::string Wrap(RtmpMessage message) override { return publisher_.Wrap(std::move(message)); }
  std::size_t Send(std::string_view bytes) override { return publisher_.Send(bytes); }
  bool insists() const override { return publisher_.insists(); }
  void WaitToSend(double seconds) override { publisher_.WaitToSend(seconds); }
  PublishState state() const override {
    const TcpState tcp = publisher_.state();
    return {tcp.round_trip_ms, tcp.given_bytes,   tcp.acknowledged_bytes,
            tcp.unsent_bytes,  tcp.sent_segments, tcp.resent_segments};
  }
  void LimitRate(double kbps) override { publisher_.LimitPace(kbps); }
  void LimitHeld(int bytes) override { publisher_.LimitHeld(bytes); }
  void LimitUnsent(int bytes) override { publisher_.LimitUnsent(bytes); }
  void Finish(double patience_seconds) override { publisher_.Finish(patience_seconds); }

 private:
  RtmpPublisher publisher_;
};

}  // namespace

std::unique_ptr<IngestConnection> StartRtmpPublish(const IngestUrl& url, const StreamKey& key,
                                                   double patience_seconds) {
  return std::make_unique<OverRtmp>(url, key, patience_seconds);
}

std::unique_ptr<IngestConnection> StartPublish(const IngestUrl& url, const StreamKey& key, double patience_seconds) {
  return url.scheme == "srt" ? StartSrtPublish(url, key, patience_seconds)
                             : StartRtmpPublish(url, key, patience_seconds);
}

}  // namespace kettle
