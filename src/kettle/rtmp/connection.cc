// SPDX-License-Identifier: Apache-2.0
#include "kettle/rtmp/connection.h"

#include <arpa/inet.h>
#include <linux/sockios.h>
#include <linux/tcp.h>
#include <netdb.h>
#include <openssl/bio.h>
#include <openssl/err.h>
#include <openssl/ssl.h>
#include <openssl/x509_vfy.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstring>

#include "kettle/units/error.h"

namespace kettle {

namespace {

using Clock = std::chrono::steady_clock;

struct Addresses {
  addrinfo* list = nullptr;
  ~Addresses() {
    if (list) freeaddrinfo(list);
  }
};

bool WaitFor(int socket, short events, double seconds) {
  pollfd poll_for{socket, events, 0};
  return poll(&poll_for, 1, static_cast<int>(seconds * 1000)) > 0;
}

double Left(Clock::time_point end) { return std::max(0.0, std::chrono::duration<double>(end - Clock::now()).count()); }

}  // namespace

void Connection::Deleter::operator()(ssl_st* ssl) const { SSL_free(ssl); }
void Connection::Deleter::operator()(ssl_ctx_st* context) const { SSL_CTX_free(context); }

Connection::Connection(const std::string& host, int port, bool secure, double patience_seconds) {
  try {
    Connect(host, port, patience_seconds);
    const int one = 1;
    setsockopt(socket_, IPPROTO_TCP, TCP_NODELAY, &one, sizeof one);
    if (secure) SecureIt(host, patience_seconds);
  } catch (...) {
    if (socket_ >= 0) close(socket_);
    throw;
  }
}

Connection::Connection(int socket, ssl_ctx_st* server_context, double patience_seconds) : socket_(socket) {
  if (!server_context) return;
  ssl_.reset(SSL_new(server_context));
  SSL_set_fd(ssl_.get(), socket_);
  try {
    ShakeHands(SSL_accept, "a client", patience_seconds);
  } catch (...) {
    ssl_.reset();
    close(socket_);
    throw;
  }
}

Connection::~Connection() {
  ssl_.reset();
  if (socket_ >= 0) close(socket_);
}

void Connection::Connect(const std::string& host, int port, double patience_seconds) {
  const addrinfo hints{.ai_family = AF_UNSPEC, .ai_socktype = SOCK_STREAM};
  Addresses addresses;
  if (const int error = getaddrinfo(host.c_str(), std::to_string(port).c_str(), &hints, &addresses.list); error != 0)
    FailInput("{}: the name does not resolve ({}); check the address and your connection", host, gai_strerror(error));
  std::string why = "no address";
  const Clock::time_point end = Clock::now() + std::chrono::microseconds(static_cast<long>(patience_seconds * 1e6));
  for (const addrinfo* address = addresses.list; address; address = address->ai_next) {
    socket_ = socket(address->ai_family, SOCK_STREAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0);
    if (socket_ < 0) continue;
    int error = connect(socket_, address->ai_addr, address->ai_addrlen) == 0 ? 0 : errno;
    if (error == EINPROGRESS) {
      socklen_t size = sizeof error;
      error = ETIMEDOUT;
      if (WaitFor(socket_, POLLOUT, Left(end))) getsockopt(socket_, SOL_SOCKET, SO_ERROR, &error, &size);
    }
    if (error == 0) return;
    why = std::strerror(error);
    close(socket_);
    socket_ = -1;
  }
  FailInput("{}:{}: no connection ({}); is the ingest up, and the port right?", host, port, why);
}

void Connection::FailTls(const std::string& host) {
  const long verdict = SSL_get_verify_result(ssl_.get());
  if (verdict != X509_V_OK)
    FailInput("{}: its certificate does not verify ({}); nothing was sent", host,
              X509_verify_cert_error_string(verdict));
  const unsigned long error = ERR_get_error();
  const char* reason = error ? ERR_reason_error_string(error) : nullptr;
  FailInput("{}: no TLS there ({}); is it rtmp:// rather than rtmps://?", host,
            reason ? reason : "the connection was closed");
}

void Connection::SecureIt(const std::string& host, double patience_seconds) {
  context_.reset(SSL_CTX_new(TLS_client_method()));
  if (!context_ || SSL_CTX_set_default_verify_paths(context_.get()) != 1)
    FailMachine("TLS cannot be set up on this machine: {}", "no trusted certificates are found (ca-certificates)");
  SSL_CTX_set_verify(context_.get(), SSL_VERIFY_PEER, nullptr);
  SSL_CTX_set_min_proto_version(context_.get(), TLS1_2_VERSION);
  SSL_CTX_set_mode(context_.get(), SSL_MODE_ENABLE_PARTIAL_WRITE | SSL_MODE_ACCEPT_MOVING_WRITE_BUFFER);
  ssl_.reset(SSL_new(context_.get()));
  SSL_set_fd(ssl_.get(), socket_);
  if (!ssl_ || SSL_set_tlsext_host_name(ssl_.get(), host.c_str()) != 1)
    FailInput("{}: not a host name that TLS accepts", host);
  in6_addr number;
  const bool is_address =
      inet_pton(AF_INET, host.c_str(), &number) == 1 || inet_pton(AF_INET6, host.c_str(), &number) == 1;
  // Without a name to check, any certificate would do.
  const int named = is_address ? X509_VERIFY_PARAM_set1_ip_asc(SSL_get0_param(ssl_.get()), host.c_str())
                               : SSL_set1_host(ssl_.get(), host.c_str());
  if (named != 1) FailInput("{}: the certificate cannot be checked against this name; nothing was sent", host);
  ShakeHands(SSL_connect, host, patience_seconds);
}

void Connection::ShakeHands(int (*step)(ssl_st*), const std::string& host, double patience_seconds) {
  const Clock::time_point end = Clock::now() + std::chrono::microseconds(static_cast<long>(patience_seconds * 1e6));
  while (true) {
    ERR_clear_error();
    const int done = step(ssl_.get());
    if (done == 1) return;
    const int error = SSL_get_error(ssl_.get(), done);
    if (error != SSL_ERROR_WANT_READ && error != SSL_ERROR_WANT_WRITE) FailTls(host);
    if (!WaitFor(socket_, error == SSL_ERROR_WANT_READ ? POLLIN : POLLOUT, Left(end)))
      FailInput("{}: no answer to the TLS handshake for {:g} s", host, patience_seconds);
  }
}

std::size_t Connection::Write(std::string_view bytes) {
  if (bytes.empty()) return 0;
  if (ssl_) {
    ERR_clear_error();
    const int done = SSL_write(ssl_.get(), bytes.data(), static_cast<int>(bytes.size()));
    if (done > 0) return static_cast<std::size_t>(done);
    const int error = SSL_get_error(ssl_.get(), done);
    if (error == SSL_ERROR_WANT_READ || error == SSL_ERROR_WANT_WRITE) return 0;
    FailInput("the connection was lost");
  }
  const ssize_t done = send(socket_, bytes.data(), bytes.size(), MSG_NOSIGNAL);
  if (done >= 0) {
    given_bytes_ += done;
    return static_cast<std::size_t>(done);
  }
  if (errno == EAGAIN || errno == EINTR) return 0;
  FailInput("the connection was lost ({})", std::strerror(errno));
}

std::string Connection::Read(std::size_t most) {
  char buffer[16384];
  most = std::min(most, sizeof buffer);
  if (ssl_) {
    ERR_clear_error();
    const int done = SSL_read(ssl_.get(), buffer, static_cast<int>(most));
    if (done > 0) return {buffer, static_cast<std::size_t>(done)};
    const int error = SSL_get_error(ssl_.get(), done);
    if (error == SSL_ERROR_WANT_READ || error == SSL_ERROR_WANT_WRITE) return "";
    FailInput("the other side closed the connection");
  }
  const ssize_t done = recv(socket_, buffer, most, 0);
  if (done > 0) return {buffer, static_cast<std::size_t>(done)};
  if (done < 0 && (errno == EAGAIN || errno == EINTR)) return "";
  FailInput("the other side closed the connection{}", done < 0 ? fmt::format(" ({})", std::strerror(errno)) : "");
}

bool Connection::Wait(bool for_writing, double seconds) const {
  if (ssl_ && SSL_pending(ssl_.get()) > 0) return true;
  return WaitFor(socket_, static_cast<short>(POLLIN | (for_writing ? POLLOUT : 0)), seconds);
}

TcpState Connection::state() const {
  tcp_info info{};
  socklen_t size = sizeof info;
  TcpState state;
  if (getsockopt(socket_, IPPROTO_TCP, TCP_INFO, &info, &size) != 0) return state;
  state.round_trip_ms = info.tcpi_rtt / 1000.0;
  state.least_round_trip_ms = info.tcpi_min_rtt / 1000.0;
  state.acknowledged_bytes = static_cast<std::int64_t>(info.tcpi_bytes_acked);
  state.given_bytes = ssl_ ? static_cast<std::int64_t>(BIO_number_written(SSL_get_wbio(ssl_.get()))) : given_bytes_;
  state.sent_segments = info.tcpi_segs_out;
  state.resent_segments = info.tcpi_total_retrans;
  state.segment_bytes = static_cast<int>(info.tcpi_snd_mss);
  int unsent = 0;
  if (ioctl(socket_, SIOCOUTQNSD, &unsent) == 0) state.unsent_bytes = unsent;
  return state;
}

void Connection::LimitHeld(int bytes) { setsockopt(socket_, SOL_SOCKET, SO_SNDBUF, &bytes, sizeof bytes); }
void Connection::LimitPace(double kbps) {
  const auto bytes_per_second = static_cast<std::uint64_t>(kbps * 125);
  setsockopt(socket_, SOL_SOCKET, SO_MAX_PACING_RATE, &bytes_per_second, sizeof bytes_per_second);
}
void Connection::LimitUnsent(int bytes) { setsockopt(socket_, IPPROTO_TCP, TCP_NOTSENT_LOWAT, &bytes, sizeof bytes); }

}  // namespace kettle
