// SPDX-License-Identifier: Apache-2.0
// A TCP connection that never blocks, with TLS on top where asked for.
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <string>
#include <string_view>

struct ssl_st;
struct ssl_ctx_st;

namespace kettle {

// What the kernel tells of a connection (struct tcp_info, linux/tcp.h).
struct TcpState {
  double round_trip_ms = 0, least_round_trip_ms = 0;
  std::int64_t acknowledged_bytes = 0;
  std::int64_t given_bytes = 0;  // to the kernel, with what TLS adds
  std::int64_t sent_segments = 0, resent_segments = 0;
  std::int64_t unsent_bytes = 0;  // given to the kernel, not yet on the line
  int segment_bytes = 0;          // of payload, at most
};

class Connection {
 public:
  // Resolves, connects and, if `secure`, shakes hands and checks the certificate against the host's name and the
  // system's authorities (SSL_CERT_FILE is honoured). Throws Error(kInput) with one line that says which of these
  // failed.
  Connection(const std::string& host, int port, bool secure, double patience_seconds);
  // Takes over a socket that a server accepted; with a context it shakes hands first. Throws Error(kInput).
  explicit Connection(int socket, ssl_ctx_st* server_context = nullptr, double patience_seconds = 5);
  ~Connection();
  Connection(const Connection&) = delete;
  Connection& operator=(const Connection&) = delete;

  // How many bytes were taken, 0 if none can be now: with TLS the same bytes must then be given again before any
  // others, as some of them may be on their way. Throws Error(kInput) if the connection is lost.
  std::size_t Write(std::string_view bytes);
  // What is there, at most so much, "" if nothing is. Throws Error(kInput) if the other side closed or the connection
  // is lost.
  std::string Read(std::size_t most = 16384);
  // Waits until it can be read, or also written, or the time is over. True if one of them can be done.
  bool Wait(bool for_writing, double seconds) const;

  TcpState state() const;
  // The kernel sends no faster than this, also what it has taken at once (SO_MAX_PACING_RATE).
  void LimitPace(double kbps);
  // Of what the kernel has taken it may hold so much back unsent.
  void LimitUnsent(int bytes);
  // It holds at most about so much, on its way or unsent: more would wait where it cannot be dropped. To be called
  // before much is sent; less than the line's rate times its round trip would slow the line down.
  void LimitHeld(int bytes);

 private:
  void Connect(const std::string& host, int port, double patience_seconds);
  void SecureIt(const std::string& host, double patience_seconds);
  void ShakeHands(int (*step)(ssl_st*), const std::string& host, double patience_seconds);
  [[noreturn]] void FailTls(const std::string& host);

  struct Deleter {
    void operator()(ssl_st* ssl) const;
    void operator()(ssl_ctx_st* context) const;
  };
  int socket_ = -1;
  std::int64_t given_bytes_ = 0;  // without TLS
  std::unique_ptr<ssl_ctx_st, Deleter> context_;
  std::unique_ptr<ssl_st, Deleter> ssl_;
};

}  // namespace kettle
