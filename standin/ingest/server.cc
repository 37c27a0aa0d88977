// SPDX-License-Identifier: Apache-2.0
#include "server.h"

#include <arpa/inet.h>
#include <fcntl.h>
#include <netinet/in.h>
#include <openssl/ssl.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <condition_variable>
#include <cstring>
#include <deque>
#include <optional>

#include "flv_file.h"
#include "kettle/rtmp/connection.h"
#include "kettle/rtmp/server_session.h"
#include "kettle/units/error.h"
#include "srt_server.h"

namespace standin {

using kettle::Connection;
using kettle::Error;
using kettle::FailInput;
using Clock = std::chrono::steady_clock;

namespace {

// Until then, but not for long: an outage may last, and the program may be asked to end.
void SleepAWhile(Clock::time_point until) {
  std::this_thread::sleep_until(std::min(until, Clock::now() + std::chrono::milliseconds(100)));
}

// Hands bytes over at their time of arrival, in a thread of its own.
class Delivery {
 public:
  // `abandoned`: what is on its way will never arrive.
  Delivery(Connection& connection, kettle::RtmpServerSession& session, std::mutex& writing,
           const std::atomic<bool>& abandoned)
      : connection_(connection), session_(session), writing_(writing), abandoned_(abandoned), thread_([this] {
          Run();
        }) {}
  ~Delivery() {
    {
      const std::scoped_lock lock(mutex_);
      ending_ = true;
    }
    changed_.notify_all();
    thread_.join();
  }
  void Add(std::string bytes, Clock::time_point when) {
    {
      const std::scoped_lock lock(mutex_);
      waiting_.push_back({std::move(bytes), when});
    }
    changed_.notify_all();
  }
  bool done() const { return done_; }

 private:
  struct Piece {
    std::string bytes;
    Clock::time_point when;
  };
  void Run() {
    try {
      while (!done_) {
        std::unique_lock lock(mutex_);
        changed_.wait(lock, [&] { return ending_ || !waiting_.empty(); });
        if (waiting_.empty()) return;  // what was on its way has been delivered
        Piece piece = std::move(waiting_.front());
        waiting_.pop_front();
        lock.unlock();
        while (!abandoned_ && Clock::now() < piece.when) SleepAWhile(piece.when);
        if (abandoned_) return;
        Answer(session_.Feed(piece.bytes));
        done_ = done_ || session_.finished();
      }
    } catch (const Error&) {
      done_ = true;  // not RTMP, or gone: the connection ends
    }
  }
  void Answer(std::string reply) {
    const std::scoped_lock lock(writing_);
    while (!reply.empty()) {
      reply.erase(0, connection_.Write(reply));
      if (!reply.empty()) connection_.Wait(true, 0.1);
    }
  }

  Connection& connection_;
  kettle::RtmpServerSession& session_;
  std::mutex& writing_;
  const std::atomic<bool>& abandoned_;
  std::mutex mutex_;
  std::condition_variable changed_;
  std::deque<Piece> waiting_;
  bool ending_ = false;
  std::atomic<bool> done_ = false;
  std::thread thread_;
};

}  // namespace

IngestServer::IngestServer(IngestOptions options)
    : options_(std::move(options)), link_(options_.link), arrivals_(options_.report) {
  for (const auto& [app, shape] : options_.link.own) own_[app] = std::make_unique<Link>(shape);
  if (!options_.certificate.empty()) {
    context_ = SSL_CTX_new(TLS_server_method());
    if (SSL_CTX_use_certificate_chain_file(context_, options_.certificate.c_str()) != 1 ||
        SSL_CTX_use_PrivateKey_file(context_, options_.private_key.c_str(), SSL_FILETYPE_PEM) != 1)
      FailInput("{} and {}: not a certificate and its private key", options_.certificate, options_.private_key);
  }
  sockaddr_in address{.sin_family = AF_INET, .sin_port = htons(static_cast<std::uint16_t>(options_.port))};
  if (inet_pton(AF_INET, options_.host.c_str(), &address.sin_addr) != 1)
    FailInput("\"{}\" is not an address; write 127.0.0.1:19350", options_.host);
  socket_ = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
  const int one = 1, window = 16 << 10;  // a small window: what the link has not carried waits at the sender
  setsockopt(socket_, SOL_SOCKET, SO_REUSEADDR, &one, sizeof one);
  setsockopt(socket_, SOL_SOCKET, SO_RCVBUF, &window, sizeof window);
  if (bind(socket_, reinterpret_cast<sockaddr*>(&address), sizeof address) != 0 || listen(socket_, 16) != 0)
    FailInput("{}:{}: cannot listen there ({})", options_.host, options_.port, std::strerror(errno));
  socklen_t size = sizeof address;
  getsockname(socket_, reinterpret_cast<sockaddr*>(&address), &size);
  port_ = ntohs(address.sin_port);
  if (options_.srt_port) srt_ = std::make_unique<SrtServer>(options_, *options_.srt_port, link_, arrivals_);
}

int IngestServer::srt_port() const { return srt_->port(); }
int IngestServer::accepted() const { return accepted_ + (srt_ ? srt_->accepted() : 0); }
int IngestServer::refused() const { return refused_ + (srt_ ? srt_->refused() : 0); }

IngestServer::~IngestServer() {
  ending_ = true;
  for (std::thread& thread : threads_) thread.join();
  if (socket_ >= 0) close(socket_);
  SSL_CTX_free(context_);
}

void IngestServer::Serve(const std::atomic<bool>& stop) {
  while (!stop) {
    arrivals_.Flush(Clock::now());
    pollfd waiting{socket_, POLLIN, 0};
    if (poll(&waiting, 1, 100) <= 0) continue;
    const int accepted = accept4(socket_, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK);
    if (accepted < 0) continue;
    const int number = static_cast<int>(threads_.size()) + 1;
    threads_.emplace_back([this, accepted, number] { ServeOne(accepted, number); });
  }
}

void IngestServer::ServeOne(int socket, int number) try {
  Connection connection(socket, context_);
  std::optional<FlvFile> file;
  std::mutex writing;
  std::atomic<Link*> own = nullptr;  // known once the publish is
  kettle::RtmpServerSession::Callbacks callbacks{
      [&](const std::string& app, const std::string& key) {
        if (const auto found = own_.find(app); found != own_.end()) own = found->second.get();
        const bool right = options_.key.empty() || key == options_.key;
        ++(right ? accepted_ : refused_);
        if (right && !options_.save_folder.empty())
          file.emplace(options_.save_folder + "/" + std::to_string(number) + ".flv");
        return right;
      },
      [&](const kettle::RtmpMessage& message) {
        arrivals_.Add(std::to_string(number), message, Clock::now());
        if (file) file->Write(message);
      }};
  if (!options_.refusal.empty()) callbacks.refusal = options_.refusal;
  kettle::RtmpServerSession session(std::move(callbacks));
  Delivery delivery(connection, session, writing, ending_);
  const std::size_t piece = link_.piece_bytes();
  while (!ending_ && !delivery.done()) {
    if (!connection.Wait(false, 0.1)) continue;
    std::string bytes;
    {
      const std::scoped_lock lock(writing);  // TLS reads and writes share their state
      bytes = connection.Read(piece);
    }
    if (bytes.empty()) continue;
    Link::Passage passage = link_.Carry(bytes.size());
    if (Link* behind = own) {
      const Link::Passage further = behind->Carry(bytes.size());
      passage = {std::max(passage.through, further.through), std::max(passage.arrives, further.arrives)};
    }
    delivery.Add(std::move(bytes), passage.arrives);
    while (!ending_ && Clock::now() < passage.through) SleepAWhile(passage.through);
  }
} catch (const Error&) {
  // The client went away.
}

}  // namespace standin
