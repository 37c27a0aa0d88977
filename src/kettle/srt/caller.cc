// SPDX-License-Identifier: Apache-2.0
#include "kettle/srt/caller.h"

#include <netdb.h>
#include <srt/srt.h>

#include <array>
#include <memory>

#include "kettle/units/error.h"

namespace kettle {

namespace {

// What the listener has not got in time it asks for again, for so long: a measurement wants to see what arrives.
constexpr int kRefusedByTheOther = 1000;  // SRT_REJC_PREDEFINED: from here on the listener's own reasons

std::string Reason(const std::string& where, int reason, double patience_seconds) {
  if (reason >= kRefusedByTheOther) return where + ": the ingest refuses the publish; is the stream key right?";
  switch (reason) {
    case SRT_REJ_BADSECRET: return where + ": the passphrase is wrong; it is the second line of the key file";
    case SRT_REJ_UNSECURE:
      return where + ": one side encrypts and the other does not; the passphrase is the key file's second line";
    case SRT_REJ_PEER:
    case SRT_REJ_CLOSE: return where + ": the ingest refuses the connection; is the stream key right?";
    case SRT_REJ_VERSION:
    case SRT_REJ_CONGESTION:
    case SRT_REJ_MESSAGEAPI: return where + ": the ingest does not accept SRT's live mode";
    default:
      return fmt::format("{}: no SRT answer for {:g} s; is the port right, and does the firewall let UDP through?",
                         where, patience_seconds);
  }
}

}  // namespace

void StartSrt() {
  struct Library {
    Library() {
      srt_startup();
      srt_setloghandler(nullptr, [](void*, int, const char*, int, const char*, const char*) {});
    }
    ~Library() { srt_cleanup(); }
  };
  static const Library library;
}

SrtCaller::SrtCaller(const Place& place, const std::string& where, double patience_seconds) : where_(where) {
  StartSrt();
  addrinfo wanted{.ai_socktype = SOCK_DGRAM}, *first = nullptr;
  if (const int code = getaddrinfo(place.host.c_str(), std::to_string(place.port).c_str(), &wanted, &first); code != 0)
    FailInput("{}: \"{}\" does not resolve ({})", where_, place.host, gai_strerror(code));
  const std::unique_ptr<addrinfo, decltype(&freeaddrinfo)> addresses(first, freeaddrinfo);
  // A name may have several addresses, of which one listens.
  int reason = 0;
  for (const addrinfo* address = addresses.get(); address; address = address->ai_next) {
    reason = Connect(*address, place, patience_seconds);
    if (reason != SRT_REJ_TIMEOUT) break;
  }
  if (reason != 0) FailInput("{}", Reason(where_, reason, patience_seconds));
  const bool blocking = false;
  srt_setsockflag(socket_, SRTO_SNDSYN, &blocking, sizeof blocking);
  srt_setsockflag(socket_, SRTO_RCVSYN, &blocking, sizeof blocking);
}

int SrtCaller::Connect(const addrinfo& address, const Place& place, double patience_seconds) {
  socket_ = srt_create_socket();
  if (socket_ == SRT_INVALID_SOCK) FailMachine("no SRT socket: {}", srt_getlasterror_str());
  int reason = 0;
  try {
    SetOptions(place, patience_seconds);
    if (srt_connect(socket_, address.ai_addr, static_cast<int>(address.ai_addrlen)) != SRT_ERROR) return 0;
    reason = srt_getrejectreason(socket_);
    if (reason == SRT_REJ_UNKNOWN) reason = SRT_REJ_TIMEOUT;  // no way to that address at all
  } catch (...) {
    srt_close(socket_);
    throw;
  }
  srt_close(socket_);
  return reason;
}

SrtCaller::~SrtCaller() { srt_close(socket_); }

void SrtCaller::SetOptions(const Place& place, double patience_seconds) {
  const auto set = [&](SRT_SOCKOPT option, const auto& value) {
    srt_setsockflag(socket_, option, &value, sizeof value);
  };
  const auto set_text = [&](SRT_SOCKOPT option, const std::string& text, const char* what) {
    if (!text.empty() && srt_setsockflag(socket_, option, text.data(), static_cast<int>(text.size())) == SRT_ERROR)
      FailInput("{}: the key file's {} cannot be used with SRT", where_, what);
  };
  set(SRTO_CONNTIMEO, static_cast<int>(patience_seconds * 1000));
  set(SRTO_PEERLATENCY, static_cast<int>(kPeerLatencySeconds * 1000));
  set(SRTO_TLPKTDROP, false);
  // Nor does this side throw away what it has taken: by what is still there one sees what was acknowledged.
  set(SRTO_SNDDROPDELAY, -1);
  // A lost line is noticed by who measures, not by a timer of its own that ends sooner.
  set(SRTO_PEERIDLETIMEO, static_cast<int>(patience_seconds * 2000));
  set_text(SRTO_STREAMID, place.stream_id, "first line (at most 512 characters)");
  set_text(SRTO_PASSPHRASE, place.passphrase, "second line, the passphrase (10 to 79 characters),");
}

bool SrtCaller::Send(std::string_view message) {
  if (srt_sendmsg2(socket_, message.data(), static_cast<int>(message.size()), nullptr) != SRT_ERROR) return true;
  if (srt_getlasterror(nullptr) == SRT_EASYNCSND) return false;
  FailInput("{}: the connection is lost", where_);
}

void SrtCaller::LimitRate(double kbps) {
  const auto bytes_per_second = static_cast<std::int64_t>(kbps * 1000 / 8);
  srt_setsockflag(socket_, SRTO_MAXBW, &bytes_per_second, sizeof bytes_per_second);
}

std::string SrtCaller::Receive() {
  std::array<char, kMessageBytes> buffer;
  const int got = srt_recvmsg2(socket_, buffer.data(), static_cast<int>(buffer.size()), nullptr);
  return got > 0 ? std::string(buffer.data(), static_cast<std::size_t>(got)) : "";
}

SrtState SrtCaller::state() const {
  SRT_TRACEBSTATS stats{};
  if (srt_bistats(socket_, &stats, 0, 1) != SRT_ERROR)
    last_ = {stats.msRTT, stats.pktSentTotal, stats.pktRetransTotal, stats.pktSndLossTotal, stats.pktSndBuf};
  return last_;
}

bool SrtCaller::connected() const { return srt_getsockstate(socket_) == SRTS_CONNECTED; }

}  // namespace kettle
