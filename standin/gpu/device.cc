// SPDX-License-Identifier: Apache-2.0
// kettle-gpu PROFILE: the stand-in graphics devices, one process for all sessions of a profile. Started
// on demand by the driver libraries; leaves some seconds after its last client has gone.
#include <poll.h>
#include <sched.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#include <atomic>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <deque>
#include <map>
#include <memory>
#include <mutex>
#include <set>
#include <stdexcept>
#include <thread>

#include "channel.h"
#include "coded_store.h"
#include "coder.h"
#include "engine.h"
#include "profile.h"
#include "replaying_coder.h"
#include "resuming_coder.h"

namespace {

using standin::Fault;
using standin::FaultKind;
using standin::Kind;
using standin::Message;
using standin::Status;

constexpr int kLookMs = 100;
constexpr std::int64_t kTolerated_ns = 3'000'000;  // late by less is not worth a word

std::int64_t Now() {
  timespec now{};
  clock_gettime(CLOCK_MONOTONIC, &now);
  return now.tv_sec * 1'000'000'000 + now.tv_nsec;
}

void SleepUntil(std::int64_t ns) {
  const timespec until{ns / 1'000'000'000, ns % 1'000'000'000};
  clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &until, nullptr);
}

bool Codes(std::size_t codec) { return codec != static_cast<std::size_t>(standin::Codec::kAv1) || standin::CodesAv1(); }

// One device: its engine, and who is connected, for when it is lost.
class Device {
 public:
  Device(const standin::Profile& profile, std::size_t index)
      : profile_(profile), index_(index), engine_(profile.devices[index]) {}

  const standin::DeviceProfile& profile() const { return profile_.devices[index_]; }
  standin::Engine& engine() { return engine_; }

  standin::DeviceInfo Info() const {
    const standin::DeviceProfile& p = profile();
    standin::DeviceInfo info{};
    info.interface = p.interface;
    for (std::size_t i = 0; i < profile_.devices.size(); ++i) {
      if (profile_.devices[i].interface != p.interface) continue;
      ++info.count;
      if (i < index_) ++info.index;
    }
    info.low_power = p.low_power;
    info.packed_headers = p.packed_headers;
    std::strncpy(info.name, p.name.c_str(), sizeof info.name - 1);
    std::strncpy(info.driver_version, profile_.driver_version.c_str(), sizeof info.driver_version - 1);
    std::strncpy(info.bus_address, p.bus_address.c_str(), sizeof info.bus_address - 1);
    info.compute_major = p.compute_major;
    info.compute_minor = p.compute_minor;
    for (std::size_t codec = 0; codec < standin::kCodecs; ++codec) {
      const standin::CodecAbility& ability = p.codecs[codec];
      info.max_width[codec] = ability.offered && Codes(codec) ? ability.max_width : 0;
      info.max_height[codec] = ability.max_height;
      info.b_frames[codec] = ability.b_frames;
      info.ten_bit[codec] = ability.ten_bit;
    }
    info.gpu_percent = static_cast<std::uint32_t>(std::lround(engine_.ShaderUse(Now()) * 100));
    info.encoder_percent = static_cast<std::uint32_t>(std::lround(engine_.EncoderUse(Now()) * 100));
    info.sessions = static_cast<std::uint32_t>(engine_.sessions());
    return info;
  }

  // The fault that strikes in this session, if there is one.
  Fault FaultOf(int session) const {
    for (const Fault& fault : profile_.faults)
      if (fault.device == static_cast<int>(index_) && (fault.session == 0 || fault.session == session)) return fault;
    return {};
  }

  void Join(int socket) {
    std::lock_guard lock(mutex_);
    sockets_.insert(socket);
  }
  void Part(int socket) {
    std::lock_guard lock(mutex_);
    sockets_.erase(socket);
  }
  // Every session on it ends at once.
  void Lose() {
    std::lock_guard lock(mutex_);
    for (const int socket : sockets_) shutdown(socket, SHUT_RDWR);
  }

 private:
  const standin::Profile& profile_;
  const std::size_t index_;
  standin::Engine engine_;
  std::mutex mutex_;
  std::set<int> sockets_;
};

// What a fault shows instead of the picture: every luma sample half the range away.
void Disfigure(standin::SharedMemory& picture, const standin::Settings& s) {
  for (std::ptrdiff_t i = 0; i < static_cast<std::ptrdiff_t>(s.pitch) * s.height; ++i) picture.data()[i] ^= 0x80;
}

// One client's connection, served until it hangs up.
class Session {
 public:
  Session(standin::Descriptor socket, std::vector<std::unique_ptr<Device>>& devices, standin::CodedBefore& before)
      : socket_(std::move(socket)), devices_(devices), before_(before) {}
  ~Session() {
    Leave();
    for (const std::uint32_t device : played_on_) devices_[device]->engine().SetGameShare(std::nullopt);
  }
  Session(const Session&) = delete;
  Session& operator=(const Session&) = delete;

  void Serve() {
    while (auto received = standin::Receive(socket_.get()))
      if (!Handle(*received)) return;
  }

 private:
  bool Answer(const Message& message) { return standin::Send(socket_.get(), message); }

  bool Handle(standin::Received& received) {
    Message& message = received.message;
    switch (message.kind) {
      case Kind::kHello: return Hello(message.device);
      case Kind::kOpen: return Open(message.device);
      case Kind::kInitialise: return Answer(Initialise(message.settings));
      case Kind::kAddBuffer:
        buffers_.emplace(message.buffer.id, standin::SharedMemory::Map(std::move(received.fd), message.buffer.bytes));
        return true;
      case Kind::kEncode: return Encode(message.encode);
      case Kind::kFlush: return Flush(message.pictures);
      case Kind::kGame: return Game(message.game);
      case Kind::kClose: Leave(); return Answer({.kind = Kind::kClose, .status = Status::kOk, .device = {}});
      case Kind::kEncoded: break;
    }
    return false;
  }

  void Leave() {
    if (number_ == 0) return;
    device_->Part(socket_.get());
    device_->engine().Leave();
    number_ = 0;
  }

  bool Game(const standin::Game& game) {
    if (game.index >= devices_.size()) return false;
    played_on_.insert(game.index);
    devices_[game.index]->engine().SetGameShare(game.share);
    return Answer({.kind = Kind::kGame, .status = Status::kOk, .game = game});
  }

  // The nth of those that are reached by that interface; null if there are not so many.
  Device* Find(const standin::DeviceInfo& wanted) const {
    std::uint32_t index = 0;
    for (const auto& device : devices_)
      if (device->profile().interface == wanted.interface && index++ == wanted.index) return device.get();
    return nullptr;
  }

  bool Hello(const standin::DeviceInfo& wanted) {
    const Device* device = Find(wanted);
    const standin::DeviceInfo info = device ? device->Info() : standin::DeviceInfo{.interface = wanted.interface};
    return Answer({.kind = Kind::kHello, .status = device ? Status::kOk : Status::kUnsupported, .device = info});
  }

  bool Open(const standin::DeviceInfo& wanted) {
    Device* device = Find(wanted);
    if (!device || number_ > 0) return false;
    device_ = device;
    number_ = device_->engine().Enter();
    Status status = number_ > 0 ? Status::kOk : Status::kSessionLimit;
    if (number_ > 0) {
      device_->Join(socket_.get());
      fault_ = device_->FaultOf(number_);
      if (fault_.kind == FaultKind::kRefuse && fault_.frame == 0) status = Status::kFailed;
    }
    return Answer({.kind = Kind::kOpen, .status = status, .device = {}});
  }

  Message Initialise(const standin::Settings& s) {
    Message answer{.kind = Kind::kInitialise, .status = Status::kUnsupported, .header = {}};
    if (!device_) return answer;
    const standin::CodecAbility& ability = device_->profile().codecs.at(static_cast<std::size_t>(s.codec));
    if (!ability.offered || s.width > ability.max_width || s.height > ability.max_height ||
        s.b_frames > ability.b_frames || (s.ten_bit && !ability.ten_bit))
      return answer;
    try {
      const auto make = [s] { return standin::MakeCoder(s); };
      // A stream that differs begins anew with an intra picture: a client's own order of B-frames has no place for it.
      coder_ = s.client_order && s.b_frames > 0 ? standin::MakeResumingCoder(s, make)
                                                : standin::MakeReplayingCoder(s, make, before_);
    } catch (const std::exception&) {
      return answer;
    }
    settings_ = s;
    answer.status = Status::kOk;
    answer.header.delay = coder_->delay();
    answer.header.bytes = static_cast<std::uint32_t>(coder_->header().size());
    if (answer.header.bytes > standin::kHeaderBytes) throw std::runtime_error("parameter sets too long");
    std::memcpy(answer.header.data, coder_->header().data(), coder_->header().size());
    return answer;
  }

  // Waits until the client has gone: it will not hear from us again.
  bool Hang() {
    while (standin::Receive(socket_.get())) {
    }
    return false;
  }

  bool Encode(const standin::Encode& encode) {
    const auto input = buffers_.find(encode.input);
    if (!coder_ || input == buffers_.end()) return false;
    const int frame = frames_++;
    const bool struck = fault_.kind != FaultKind::kNone && frame >= fault_.frame;
    Message failure{.kind = Kind::kEncoded, .status = Status::kFailed, .encode = encode};
    if (struck) switch (fault_.kind) {
        case FaultKind::kRefuse: return Answer(failure);
        case FaultKind::kCrash: failure.status = Status::kCrash; return Answer(failure);
        case FaultKind::kHang: return Hang();
        case FaultKind::kLost: device_->Lose(); return false;
        case FaultKind::kWrong: Disfigure(input->second, settings_); break;
        case FaultKind::kSlow:
        case FaultKind::kNone: break;
      }
    const standin::Work work{.width = settings_.width,
                             .height = settings_.height,
                             .preset = settings_.preset,
                             .codec = settings_.codec,
                             .look_ahead = settings_.look_ahead_frames > 0,
                             .adaptive_quantisation = settings_.adaptive_quantisation != 0,
                             .multi_pass = settings_.multi_pass != 0,
                             .factor = struck && fault_.kind == FaultKind::kSlow ? fault_.factor : 1};
    done_ns_ = device_->engine().Book(encode.submitted_ns, work);
    outputs_.push_back(encode.output);
    return Deliver(coder_->Code(input->second.data(),
                                {encode.timestamp, encode.force_keyframe != 0, encode.syntax, encode.asked_type}));
  }

  bool Flush(std::uint32_t pictures) {
    while (coder_ && given_ < pictures) {
      const auto unit = coder_->Flush();
      if (!unit) return true;
      if (!Deliver(unit)) return false;
    }
    return true;
  }

  // The next coded picture goes to the oldest output that waits for one.
  bool Deliver(const std::optional<standin::CodedUnit>& unit) {
    if (!unit) return true;
    if (outputs_.empty()) return false;
    Message message{.kind = Kind::kEncoded, .status = Status::kFailed, .encode = {}};
    message.encode.output = outputs_.front();
    outputs_.pop_front();
    ++given_;
    const auto output = buffers_.find(message.encode.output);
    if (output == buffers_.end() || unit->bytes > output->second.bytes()) return Answer(message);
    std::memcpy(output->second.data(), unit->data, unit->bytes);
    message.encode.bytes = unit->bytes;
    message.encode.timestamp = unit->timestamp;
    message.encode.picture_type = unit->picture_type;
    message.status = Status::kOk;
    message.encode.overrun = Now() > done_ns_ + kTolerated_ns;
    SleepUntil(done_ns_);
    return Answer(message);
  }

  standin::Descriptor socket_;
  std::vector<std::unique_ptr<Device>>& devices_;
  standin::CodedBefore& before_;
  Device* device_ = nullptr;
  std::set<std::uint32_t> played_on_;  // devices that this client's simulated game uses
  int number_ = 0;                     // of the session on its device; 0: not open
  Fault fault_;
  standin::Settings settings_{};
  std::unique_ptr<standin::Coder> coder_;
  std::map<std::uint32_t, standin::SharedMemory> buffers_;
  std::deque<std::uint32_t> outputs_;  // that wait for a picture, oldest first
  int frames_ = 0;
  std::uint32_t given_ = 0;  // pictures
  std::int64_t done_ns_ = 0;
};

// A card waits for no processor. Its stand-in codes on one, and goes before all else there where it may (RLIMIT_RTPRIO,
// or root); elsewhere it is delayed as other programs are.
void GoFirst() {
  prctl(PR_SET_TIMERSLACK, 1000);  // nanoseconds: engine times are milliseconds
  const sched_param lowest{sched_get_priority_min(SCHED_RR)};
  sched_setscheduler(0, SCHED_RR, &lowest);  // for the sessions' threads too
}

// What it keeps for the next time is written after what others want, but not never.
void GoLast() {
  constexpr int kNice = 10;
  const sched_param none{0};
  sched_setscheduler(0, SCHED_BATCH, &none);
  setpriority(PRIO_PROCESS, 0, kNice);
}

void ServeClients(standin::Descriptor listener, const standin::Profile& profile) {
  constexpr std::size_t kMostKeptBytes = 256u << 20;
  constexpr std::uint64_t kMostOnDisk = 256u << 20;
  const standin::CodedStore store(standin::CodedStoreFolder(), standin::LoadedCode(), kMostOnDisk);
  standin::CodedBefore before(kMostKeptBytes, &store);
  std::vector<std::unique_ptr<Device>> devices;
  for (std::size_t i = 0; i < profile.devices.size(); ++i) devices.push_back(std::make_unique<Device>(profile, i));
  std::atomic<int> clients = 0;
  std::atomic<std::int64_t> idle_since_ns = Now();  // counts while there is no client
  pollfd ready{listener.get(), POLLIN, 0};
  const auto linger_ns = static_cast<std::int64_t>(profile.linger_seconds * 1e9);
  while (clients > 0 || Now() - idle_since_ns < linger_ns) {
    if (poll(&ready, 1, kLookMs) <= 0) continue;
    standin::Descriptor client(accept4(listener.get(), nullptr, nullptr, SOCK_CLOEXEC));
    if (!client) continue;
    ++clients;
    std::thread([&, socket = std::move(client)]() mutable {
      try {
        Session(std::move(socket), devices, before).Serve();
      } catch (const std::exception&) {
        // The client sees a closed connection, as it would of a device that is lost.
      }
      idle_since_ns = Now();
      --clients;
    }).detach();
  }
  listener = {};  // who comes now starts another process
  GoLast();
  store.Add(before.Kept());
}

}  // namespace

int main(int argc, char** argv) {
  const bool check = argc == 3 && std::string(argv[1]) == "--check";
  if (argc != 2 && !check) {
    std::fprintf(stderr, "usage: kettle-gpu [--check] PROFILE (started by the stand-in driver, not by hand)\n");
    return 2;
  }
  try {
    const standin::Profile profile = standin::ReadProfile(argv[argc - 1]);
    if (check) {  // its cards, by how they are reached
      for (const standin::DeviceProfile& device : profile.devices)
        std::printf("%s %s\n", device.interface == standin::Interface::kVaapi ? "vaapi" : "nvenc",
                    device.bus_address.c_str());
      return 0;
    }
    GoFirst();
    standin::Descriptor listener = standin::Listen(standin::DeviceAddress(argv[1]));
    if (!listener) return 0;  // another one was faster
    ServeClients(std::move(listener), profile);
  } catch (const std::exception& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 2;
  }
  return 0;
}
