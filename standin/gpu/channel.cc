// SPDX-License-Identifier: Apache-2.0
#include "channel.h"

#include <dlfcn.h>
#include <fcntl.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <stdexcept>
#include <thread>

extern char** environ;

namespace standin {

Descriptor::~Descriptor() {
  if (fd_ >= 0) close(fd_);
}

SharedMemory::SharedMemory(Descriptor fd, std::size_t bytes) : fd_(std::move(fd)), bytes_(bytes) {
  void* memory = mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_SHARED, fd_.get(), 0);
  if (memory == MAP_FAILED) throw std::runtime_error("cannot map shared memory");
  data_ = static_cast<std::uint8_t*>(memory);
}

SharedMemory SharedMemory::Create(std::size_t bytes) {
  Descriptor fd(memfd_create("kettle-gpu", MFD_CLOEXEC));
  if (!fd || ftruncate(fd.get(), static_cast<off_t>(bytes)) != 0)
    throw std::runtime_error("cannot create shared memory");
  return SharedMemory(std::move(fd), bytes);
}

SharedMemory SharedMemory::Map(Descriptor fd, std::size_t bytes) { return SharedMemory(std::move(fd), bytes); }

SharedMemory::SharedMemory(SharedMemory&& other) noexcept
    : fd_(std::move(other.fd_)), data_(std::exchange(other.data_, nullptr)), bytes_(other.bytes_) {}

SharedMemory::~SharedMemory() {
  if (data_) munmap(data_, bytes_);
}

std::string DeviceAddress(const std::string& profile_path) {
  std::ifstream file(profile_path, std::ios::binary);
  if (!file) throw std::runtime_error("cannot read " + profile_path);
  std::uint64_t hash = 14695981039346656037ull;  // FNV-1a, 64 bit
  for (std::istreambuf_iterator<char> it(file), end; it != end; ++it)
    hash = (hash ^ static_cast<unsigned char>(*it)) * 1099511628211ull;
  const char* instance = std::getenv(kInstanceVariable);
  return "kettle-gpu-" + std::to_string(getuid()) + "-" + std::to_string(hash) + (instance ? instance : "");
}

namespace {

socklen_t FillAddress(const std::string& name, sockaddr_un& address) {
  address = {};
  address.sun_family = AF_UNIX;  // abstract: sun_path starts with a zero byte, no file is left behind
  std::memcpy(address.sun_path + 1, name.data(), name.size());
  return static_cast<socklen_t>(offsetof(sockaddr_un, sun_path) + 1 + name.size());
}

}  // namespace

Descriptor Listen(const std::string& name) {
  Descriptor fd(socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0));
  sockaddr_un address;
  const socklen_t length = FillAddress(name, address);
  if (bind(fd.get(), reinterpret_cast<sockaddr*>(&address), length) != 0) return {};
  if (listen(fd.get(), 64) != 0) return {};
  return fd;
}

Descriptor Connect(const std::string& name) {
  Descriptor fd(socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0));
  sockaddr_un address;
  const socklen_t length = FillAddress(name, address);
  if (connect(fd.get(), reinterpret_cast<sockaddr*>(&address), length) != 0) return {};
  return fd;
}

bool Send(int socket, const Message& message, int fd) {
  iovec part{const_cast<Message*>(&message), sizeof message};
  msghdr header{};
  header.msg_iov = &part;
  header.msg_iovlen = 1;
  alignas(cmsghdr) char control[CMSG_SPACE(sizeof(int))] = {};
  if (fd >= 0) {
    header.msg_control = control;
    header.msg_controllen = sizeof control;
    cmsghdr* entry = CMSG_FIRSTHDR(&header);
    entry->cmsg_level = SOL_SOCKET;
    entry->cmsg_type = SCM_RIGHTS;
    entry->cmsg_len = CMSG_LEN(sizeof(int));
    std::memcpy(CMSG_DATA(entry), &fd, sizeof fd);
  }
  return sendmsg(socket, &header, MSG_NOSIGNAL) == static_cast<ssize_t>(sizeof message);
}

std::optional<Received> Receive(int socket) {
  Received received;
  iovec part{&received.message, sizeof received.message};
  msghdr header{};
  header.msg_iov = &part;
  header.msg_iovlen = 1;
  alignas(cmsghdr) char control[CMSG_SPACE(sizeof(int))] = {};
  header.msg_control = control;
  header.msg_controllen = sizeof control;
  ssize_t bytes;
  do bytes = recvmsg(socket, &header, MSG_CMSG_CLOEXEC);
  while (bytes < 0 && errno == EINTR);
  if (bytes != static_cast<ssize_t>(sizeof received.message)) return std::nullopt;
  if (cmsghdr* entry = CMSG_FIRSTHDR(&header); entry && entry->cmsg_type == SCM_RIGHTS) {
    int fd;
    std::memcpy(&fd, CMSG_DATA(entry), sizeof fd);
    received.fd = Descriptor(fd);
  }
  return received;
}

namespace {

std::filesystem::path DeviceProgram() {
  Dl_info info{};
  dladdr(reinterpret_cast<const void*>(&DeviceAddress), &info);
  const auto folder = std::filesystem::canonical(info.dli_fname).parent_path();
  // Of a program beside it, or of a driver library in a folder of the same installation.
  for (auto prefix = folder; prefix != prefix.root_path(); prefix = prefix.parent_path())
    if (std::filesystem::exists(prefix / "bin" / "kettle-gpu")) return prefix / "bin" / "kettle-gpu";
  return folder / "kettle-gpu";
}

void StartDevice(const std::string& profile) {
  const std::string program = DeviceProgram();
  // A grandchild, so that it is nobody's zombie and outlives the worker that happened to start it.
  const std::string script = "exec setsid \"$0\" \"$1\" </dev/null >/dev/null 2>&1 &";
  const char* arguments[] = {"sh", "-c", script.c_str(), program.c_str(), profile.c_str(), nullptr};
  pid_t pid;
  if (posix_spawn(&pid, "/bin/sh", nullptr, nullptr, const_cast<char* const*>(arguments), environ) == 0)
    waitpid(pid, nullptr, 0);
}

}  // namespace

Descriptor ConnectToDevice() {
  const char* profile = std::getenv(kProfileVariable);
  if (!profile) return {};
  const std::string address = DeviceAddress(profile);
  for (int attempt = 0; attempt < 400; ++attempt) {
    Descriptor socket = Connect(address);
    // The device may be leaving just as we come: only an answered greeting counts.
    if (socket && Send(socket.get(), Message{.kind = Kind::kHello, .status = Status::kOk, .device = {}}) &&
        Receive(socket.get()))
      return socket;
    if (attempt % 100 == 0) StartDevice(profile);
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  }
  return {};
}

std::vector<DeviceInfo> AskDevices(Interface interface) {
  std::vector<DeviceInfo> devices;
  const Descriptor socket = ConnectToDevice();
  std::uint32_t count = socket ? 1 : 0;
  for (std::uint32_t index = 0; index < count; ++index) {
    Message question{.kind = Kind::kHello, .status = Status::kOk, .device = {}};
    question.device.interface = interface;
    question.device.index = index;
    const auto answer = Send(socket.get(), question) ? Receive(socket.get()) : std::nullopt;
    if (!answer || answer->message.status != Status::kOk) return devices;
    devices.push_back(answer->message.device);
    count = answer->message.device.count;
  }
  return devices;
}

}  // namespace standin
