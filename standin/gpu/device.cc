// SPDX-License-Identifier: Apache-2.0
// kettle-gpu PROFILE: the stand-in graphics device, one process for all sessions of a profile. Started
// on demand by the driver libraries; leaves two seconds after its last client has gone.
#include <poll.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <time.h>

#include <atomic>
#include <cstdio>
#include <cstring>
#include <map>
#include <memory>
#include <thread>

#include "channel.h"
#include "coder.h"
#include "engine.h"
#include "profile.h"

namespace {

using standin::Kind;
using standin::Message;
using standin::Status;

constexpr int kLingerMs = 2000;

standin::DeviceInfo InfoOf(const standin::Profile& profile) {
  standin::DeviceInfo info{};
  std::strncpy(info.name, profile.name.c_str(), sizeof info.name - 1);
  info.count = 1;
  info.compute_major = profile.compute_major;
  info.compute_minor = profile.compute_minor;
  info.max_width = profile.max_width;
  info.max_height = profile.max_height;
  return info;
}

// One client's connection, served until it hangs up.
class Session {
 public:
  Session(standin::Descriptor socket, const standin::Profile& profile, standin::Engine& engine)
      : socket_(std::move(socket)), profile_(profile), engine_(engine) {}
  ~Session() {
    if (entered_) engine_.Leave();
  }

  void Serve() {
    while (auto received = standin::Receive(socket_.get()))
      if (!Handle(*received)) return;
  }

 private:
  bool Answer(Message message) { return standin::Send(socket_.get(), message); }

  bool Handle(standin::Received& received) {
    Message& message = received.message;
    switch (message.kind) {
      case Kind::kHello: return Answer({.kind = Kind::kHello, .status = Status::kOk, .device = InfoOf(profile_)});
      case Kind::kOpen:
        entered_ = entered_ || engine_.Enter();
        return Answer({.kind = Kind::kOpen, .status = entered_ ? Status::kOk : Status::kSessionLimit, .device = {}});
      case Kind::kInitialise: return Answer(Initialise(message.settings));
      case Kind::kAddBuffer:
        buffers_.emplace(message.buffer.id, standin::SharedMemory::Map(std::move(received.fd), message.buffer.bytes));
        return true;
      case Kind::kEncode: return Answer(Encode(message));
      case Kind::kEncoded: break;
    }
    return false;
  }

  Message Initialise(const standin::Settings& settings) {
    Message answer{.kind = Kind::kInitialise, .status = Status::kUnsupported, .header = {}};
    if (settings.width > profile_.max_width || settings.height > profile_.max_height) return answer;
    try {
      coder_ = std::make_unique<standin::Coder>(settings);
    } catch (const std::exception&) {
      return answer;
    }
    settings_ = settings;
    answer.status = Status::kOk;
    answer.header.bytes = static_cast<std::uint32_t>(coder_->header().size());
    std::memcpy(answer.header.data, coder_->header().data(), coder_->header().size());
    return answer;
  }

  Message Encode(Message message) {
    message.kind = Kind::kEncoded;
    message.status = Status::kFailed;
    const auto input = buffers_.find(message.encode.input);
    const auto output = buffers_.find(message.encode.output);
    if (!coder_ || input == buffers_.end() || output == buffers_.end()) return message;
    const std::int64_t done_ns =
        engine_.Book(message.encode.submitted_ns, settings_.width, settings_.height, settings_.preset);
    const auto unit = coder_->Code(input->second.data(), message.encode.timestamp, message.encode.force_keyframe != 0);
    if (unit.bytes > output->second.bytes()) return message;
    std::memcpy(output->second.data(), unit.data, unit.bytes);
    message.encode.bytes = unit.bytes;
    message.encode.is_keyframe = unit.keyframe;
    message.status = Status::kOk;
    const timespec until{done_ns / 1'000'000'000, done_ns % 1'000'000'000};
    clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &until, nullptr);
    return message;
  }

  standin::Descriptor socket_;
  const standin::Profile& profile_;
  standin::Engine& engine_;
  standin::Settings settings_{};
  std::unique_ptr<standin::Coder> coder_;
  std::map<std::uint32_t, standin::SharedMemory> buffers_;
  bool entered_ = false;
};

void ServeClients(int listener, const standin::Profile& profile) {
  standin::Engine engine(profile);
  std::atomic<int> clients = 0;
  pollfd ready{listener, POLLIN, 0};
  while (poll(&ready, 1, kLingerMs) > 0 || clients > 0) {
    if (!(ready.revents & POLLIN)) continue;
    standin::Descriptor client(accept4(listener, nullptr, nullptr, SOCK_CLOEXEC));
    if (!client) continue;
    ++clients;
    std::thread([&, socket = std::move(client)]() mutable {
      try {
        Session(std::move(socket), profile, engine).Serve();
      } catch (const std::exception&) {
        // The client sees a closed connection, as it would of a device that is lost.
      }
      --clients;
    }).detach();
  }
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) {
    std::fprintf(stderr, "usage: kettle-gpu PROFILE (started by the stand-in driver, not by hand)\n");
    return 2;
  }
  prctl(PR_SET_TIMERSLACK, 1000);  // nanoseconds: engine times are milliseconds
  try {
    const standin::Profile profile = standin::ReadProfile(argv[1]);
    const standin::Descriptor listener = standin::Listen(standin::DeviceAddress(argv[1]));
    if (!listener) return 0;  // another one was faster
    ServeClients(listener.get(), profile);
  } catch (const std::exception& error) {
    std::fprintf(stderr, "kettle-gpu: %s\n", error.what());
    return 2;
  }
  return 0;
}
