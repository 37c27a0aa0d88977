// SPDX-License-Identifier: Apache-2.0
#include <algorithm>
#include <chrono>
#include <thread>

#include "kettle/publish/ingest_connection.h"
#include "kettle/publish/send_rate.h"
#include "kettle/srt/caller.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

using Clock = std::chrono::steady_clock;

// Live mode sends, and sends again, as fast as it is let. What TCP's kernel does for RTMP has to be done here: no more
// is sent than the line has shown to carry.
class OverSrt final : public IngestConnection {
 public:
  OverSrt(const IngestUrl& url, const StreamKey& key, double patience_seconds)
      : start_(Clock::now()),
        where_(url.str()),
        caller_({url.host, url.port, key.key, key.passphrase}, where_, patience_seconds),
        connect_seconds_(now()) {}

  // SRT has no answer but that to the connection.
  Started started() const override { return {connect_seconds_, connect_seconds_, connect_seconds_}; }
  bool simulated() const override { return simulated_; }
  double header_bytes() const override { return 44; }  // IPv4, UDP and SRT
  std::string Wrap(RtmpMessage message) override { return std::move(message.body); }

  std::size_t Send(std::string_view bytes) override {
    // What a lost connection told last may leave no room: it would look like a full line for ever.
    if (!caller_.connected()) FailInput("{}: the connection is lost", where_);
    if (caller_.Receive() == "simulated") simulated_ = true;
    const SrtState srt = caller_.state();
    const double round_trip = srt.round_trip_ms / 1000, packet_kbits = SrtCaller::kMessageBytes * 8 / 1000.0;
    const auto most = 8 + static_cast<std::int64_t>(rate_.kbps() * (round_trip + kHeldSeconds) / packet_kbits);
    rate_.Watch({now(), round_trip, StateOf(srt).acknowledged_bytes, srt.packets, srt.lost_packets,
                 srt.waiting_packets + 8 >= most});
    caller_.LimitRate(rate_.kbps());
    std::size_t taken = 0;
    for (std::int64_t room = most - srt.waiting_packets; room > 0 && taken < bytes.size(); --room) {
      const std::string_view message = bytes.substr(taken, SrtCaller::kMessageBytes);
      if (!caller_.Send(message)) break;
      taken += message.size();
    }
    given_bytes_ += static_cast<std::int64_t>(taken);
    return taken;
  }
  bool insists() const override { return false; }
  void WaitToSend(double seconds) override {
    std::this_thread::sleep_for(std::chrono::duration<double>(std::min(seconds, 0.002)));
  }
  PublishState state() const override { return StateOf(caller_.state()); }
  void LimitRate(double kbps) override { rate_.Limit(kbps); }
  void LimitHeld(int) override {}  // what it holds follows from the rate
  void LimitUnsent(int) override {}
  void Finish(double patience_seconds) override {
    for (const double end = now() + patience_seconds; now() < end && caller_.state().waiting_packets > 0;) {
      if (!caller_.connected()) FailInput("{}: the connection is lost", where_);
      WaitToSend(0.01);
    }
    // What the listener holds back when the connection ends, it throws away: it was once the last second of all.
    constexpr double kToBeSure = 0.2;
    for (const double end = now() + SrtCaller::kPeerLatencySeconds + kToBeSure; now() < end;) WaitToSend(0.01);
  }

 private:
  static constexpr double kHeldSeconds = 0.1;  // libsrt holds so much more than is on its way

  PublishState StateOf(const SrtState& srt) const {
    constexpr auto kBytes = static_cast<std::int64_t>(SrtCaller::kMessageBytes);
    const std::int64_t waiting = std::min(given_bytes_, srt.waiting_packets * kBytes);
    // A listener that has waited long enough acknowledges what it never got: no more arrived than was not lost. A loss
    // is told late, and what was counted is not taken back.
    const std::int64_t arrived = std::min(given_bytes_ - waiting, (srt.packets - srt.lost_packets) * kBytes);
    arrived_bytes_ = std::max(arrived_bytes_, arrived);
    return {srt.round_trip_ms, given_bytes_, arrived_bytes_, waiting, srt.packets, srt.resent_packets};
  }

  double now() const { return std::chrono::duration<double>(Clock::now() - start_).count(); }

  Clock::time_point start_;
  std::string where_;
  SrtCaller caller_;
  double connect_seconds_;
  SendRate rate_;
  std::int64_t given_bytes_ = 0;
  mutable std::int64_t arrived_bytes_ = 0;
  bool simulated_ = false;
};

}  // namespace

std::unique_ptr<IngestConnection> StartSrtPublish(const IngestUrl& url, const StreamKey& key, double patience_seconds) {
  return std::make_unique<OverSrt>(url, key, patience_seconds);
}

}  // namespace kettle
