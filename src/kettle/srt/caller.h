// SPDX-License-Identifier: Apache-2.0
// Publishes over SRT (draft-sharabayko-srt-01) in live mode, by libsrt: the caller's side, never blocking while it
// sends.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

struct addrinfo;

namespace kettle {

// What libsrt tells of a connection, since its start.
struct SrtState {
  double round_trip_ms = 0;
  std::int64_t packets = 0, resent_packets = 0, lost_packets = 0;  // lost: as the other side reported them
  std::int64_t waiting_packets = 0;                                // given to libsrt and not yet acknowledged
};

class SrtCaller {
 public:
  struct Place {
    std::string host;
    int port = 0;
    std::string stream_id, passphrase;  // secrets: go to the listener and nowhere else
  };

  // Live mode's messages: seven packets of an MPEG transport stream.
  static constexpr std::size_t kMessageBytes = 1316;
  // For so long the listener holds each packet back, so that what was lost can be sent again in time.
  static constexpr double kPeerLatencySeconds = 1;

  // Connects. Throws Error(kInput) with one line: name, no answer, refused stream id, wrong passphrase. `where` is what
  // that line calls the place.
  SrtCaller(const Place& place, const std::string& where, double patience_seconds);
  ~SrtCaller();
  SrtCaller(const SrtCaller&) = delete;
  SrtCaller& operator=(const SrtCaller&) = delete;

  // Gives one message, of at most kMessageBytes. False if libsrt has no room. Throws Error(kInput) if the connection is
  // lost.
  bool Send(std::string_view message);
  // All that is sent, what is sent again included, is kept below this.
  void LimitRate(double kbps);
  // One message that came in, "" if none did.
  std::string Receive();
  // Of a connection that is lost, what was told last. Never throws.
  SrtState state() const;
  bool connected() const;

 private:
  // The reason why not, in libsrt's numbers; 0: connected.
  int Connect(const addrinfo& address, const Place& place, double patience_seconds);
  void SetOptions(const Place& place, double patience_seconds);
  std::string where_;
  int socket_ = -1;
  mutable SrtState last_;
};

// libsrt is started once, when it is first needed, and says nothing on standard error.
void StartSrt();

}  // namespace kettle
