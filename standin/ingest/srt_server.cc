// SPDX-License-Identifier: Apache-2.0
#include "srt_server.h"

#include <srt/access_control.h>
#include <srt/srt.h>

#include <array>
#include <fstream>

#include "datagram_link.h"
#include "kettle/srt/caller.h"
#include "kettle/units/error.h"
#include "transport_packets.h"

namespace standin {

SrtServer::SrtServer(const IngestOptions& options, int port, Link& link, Arrivals& arrivals)
    : options_(options), arrivals_(arrivals) {
  kettle::StartSrt();
  socket_ = srt_create_socket();
  const bool blocking = false;
  srt_setsockflag(socket_, SRTO_RCVSYN, &blocking, sizeof blocking);
  if (!options.passphrase.empty() && srt_setsockflag(socket_, SRTO_PASSPHRASE, options.passphrase.data(),
                                                     static_cast<int>(options.passphrase.size())) == SRT_ERROR)
    kettle::FailInput("--key-file: a passphrase has 10 to 79 characters");
  sockaddr_in address{.sin_family = AF_INET};
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  int size = sizeof address;
  srt_listen_callback(socket_, Judge, this);
  if (srt_bind(socket_, reinterpret_cast<sockaddr*>(&address), size) == SRT_ERROR ||
      srt_listen(socket_, 16) == SRT_ERROR ||
      srt_getsockname(socket_, reinterpret_cast<sockaddr*>(&address), &size) == SRT_ERROR)
    kettle::FailMachine("no SRT listener: {}", srt_getlasterror_str());
  datagrams_ = std::make_unique<DatagramLink>(options.host, port, ntohs(address.sin_port), link);
  acceptor_ = std::thread([this] { Accept(); });
}

SrtServer::~SrtServer() {
  ending_ = true;
  acceptor_.join();
  for (std::thread& thread : threads_) thread.join();
  srt_close(socket_);                  // nobody asks after that,
  std::lock_guard answered(judging_);  // and whoever asked before has the answer
}

int SrtServer::port() const { return datagrams_->port(); }

int SrtServer::Judge(void* self, int socket, int, const sockaddr*, const char* stream_id) {
  auto& server = *static_cast<SrtServer*>(self);
  std::lock_guard judging(server.judging_);
  const bool right = server.options_.key.empty() || server.options_.key == stream_id;
  if (right) return 0;
  ++server.refused_;
  srt_setrejectreason(socket, SRT_REJX_UNAUTHORIZED);
  return -1;
}

void SrtServer::Accept() {
  const int poll = srt_epoll_create();
  const int incoming = SRT_EPOLL_IN;
  srt_epoll_add_usock(poll, socket_, &incoming);
  while (!ending_) {
    SRT_EPOLL_EVENT event;
    if (srt_epoll_uwait(poll, &event, 1, 50) <= 0) continue;
    const int socket = srt_accept(socket_, nullptr, nullptr);
    if (socket == SRT_INVALID_SOCK) continue;
    const int number = ++accepted_;
    threads_.emplace_back([this, socket, number] { ServeOne(socket, number); });
  }
  srt_epoll_release(poll);
}

void SrtServer::ServeOne(int socket, int number) {
  const std::string name = "srt-" + std::to_string(number);
  std::ofstream file;
  if (!options_.save_folder.empty()) file.open(options_.save_folder + "/" + name + ".ts", std::ios::binary);
  const std::string_view notice = "simulated";
  bool noticed = false;
  const int poll = srt_epoll_create();
  const int watched = SRT_EPOLL_IN | SRT_EPOLL_ERR;
  srt_epoll_add_usock(poll, socket, &watched);
  std::array<char, kettle::SrtCaller::kMessageBytes> buffer;
  while (!ending_ && srt_getsockstate(socket) == SRTS_CONNECTED) {
    SRT_EPOLL_EVENT event;
    if (srt_epoll_uwait(poll, &event, 1, 50) <= 0) continue;
    int got;
    while ((got = srt_recvmsg2(socket, buffer.data(), static_cast<int>(buffer.size()), nullptr)) > 0) {
      const std::string_view bytes(buffer.data(), static_cast<std::size_t>(got));
      arrivals_.Add(name, bytes.size(), PicturesIn(bytes), Arrivals::Clock::now());
      file.write(bytes.data(), got);
      // Not before: the caller must have seen that it is connected.
      if (!noticed) noticed = srt_sendmsg2(socket, notice.data(), static_cast<int>(notice.size()), nullptr) > 0;
    }
  }
  srt_epoll_release(poll);
  srt_close(socket);
}

}  // namespace standin
