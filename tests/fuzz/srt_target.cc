// SPDX-License-Identifier: Apache-2.0
// A real SRT caller and the real listener of the stand-in ingest, with somebody between them who changes datagrams.
#include <arpa/inet.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <thread>

#include "arrivals.h"
#include "kettle/srt/caller.h"
#include "link.h"
#include "srt_server.h"
#include "targets.h"

namespace kettle::fuzz {

namespace {

constexpr double kPatienceSeconds = 0.03;

// Four bytes of the input are one change to one datagram.
enum class Change { kFlipBits, kCutShort, kRepeat, kDrop };

// Passes datagrams on between one caller and the listener, changed as the input says.
class Between {
 public:
  Between(std::string_view changes, int listener) : changes_(changes) {
    const sockaddr_in to = Loopback(listener);
    connect(listener_, reinterpret_cast<const sockaddr*>(&to), sizeof to);
    const sockaddr_in any = Loopback(0);
    bind(caller_, reinterpret_cast<const sockaddr*>(&any), sizeof any);
    thread_ = std::thread([this] { Run(); });
  }
  ~Between() {
    ending_ = true;
    thread_.join();
    close(caller_);
    close(listener_);
  }
  Between(const Between&) = delete;
  Between& operator=(const Between&) = delete;

  int port() const {
    sockaddr_in address{};
    socklen_t size = sizeof address;
    getsockname(caller_, reinterpret_cast<sockaddr*>(&address), &size);
    return ntohs(address.sin_port);
  }

 private:
  static sockaddr_in Loopback(int port) {
    sockaddr_in address{.sin_family = AF_INET, .sin_port = htons(static_cast<std::uint16_t>(port))};
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    return address;
  }

  // How often it is passed on.
  int Changed(std::string& datagram) {
    const int number = passed_++;
    int copies = 1;
    for (std::size_t i = 0; i + 4 <= changes_.size(); i += 4) {
      const auto at = [&](std::size_t k) { return static_cast<unsigned char>(changes_[i + k]); };
      if (at(0) % 16 != number || datagram.empty()) continue;
      switch (static_cast<Change>(at(3) % 4)) {
        case Change::kFlipBits: datagram[at(1) % datagram.size()] ^= static_cast<char>(at(2)); break;
        case Change::kCutShort: datagram.resize(at(1) % datagram.size()); break;
        case Change::kRepeat: copies = 1 + at(1) % 8; break;
        case Change::kDrop: copies = 0; break;
      }
    }
    return copies;
  }

  void Run() {
    std::array<char, 2048> buffer;
    sockaddr_in client{};
    while (!ending_) {
      std::array<pollfd, 2> waiting{{{caller_, POLLIN, 0}, {listener_, POLLIN, 0}}};
      poll(waiting.data(), waiting.size(), 2);
      for (const int from : {caller_, listener_}) {
        sockaddr_in sender{};
        socklen_t size = sizeof sender;
        const ssize_t got =
            recvfrom(from, buffer.data(), buffer.size(), MSG_DONTWAIT, reinterpret_cast<sockaddr*>(&sender), &size);
        if (got < 0) continue;
        if (from == caller_) client = sender;
        std::string datagram(buffer.data(), static_cast<std::size_t>(got));
        for (int copies = Changed(datagram); copies > 0; --copies)
          if (from == caller_)
            send(listener_, datagram.data(), datagram.size(), 0);
          else
            sendto(caller_, datagram.data(), datagram.size(), 0, reinterpret_cast<const sockaddr*>(&client),
                   sizeof client);
      }
    }
  }

  std::string_view changes_;
  int passed_ = 0;
  int caller_ = socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0),
      listener_ = socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0);
  std::atomic<bool> ending_ = false;
  std::thread thread_;
};

}  // namespace

void Srt(std::string_view bytes) {
  standin::Arrivals arrivals("");
  standin::Link link({});
  const standin::IngestOptions options;
  const standin::SrtServer server(options, 0, link, arrivals);
  const Between between(bytes, server.port());
  SrtCaller caller({"127.0.0.1", between.port(), "", ""}, "srt://127.0.0.1", kPatienceSeconds);
  for (int message = 0; message < 3; ++message) caller.Send(std::string(SrtCaller::kMessageBytes, 'G'));
  caller.Receive();
  caller.state();
}

}  // namespace kettle::fuzz
