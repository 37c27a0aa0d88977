// SPDX-License-Identifier: Apache-2.0
// A connection between a driver library and the stand-in device, and memory they share.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "protocol.h"

namespace standin {

// Owns a file descriptor.
class Descriptor {
 public:
  Descriptor() = default;
  explicit Descriptor(int fd) : fd_(fd) {}
  Descriptor(Descriptor&& other) noexcept : fd_(std::exchange(other.fd_, -1)) {}
  Descriptor& operator=(Descriptor&& other) noexcept {
    std::swap(fd_, other.fd_);
    return *this;
  }
  ~Descriptor();
  int get() const { return fd_; }
  explicit operator bool() const { return fd_ >= 0; }

 private:
  int fd_ = -1;
};

// A block of memory that both processes map. Created by the driver, mapped again by the device.
class SharedMemory {
 public:
  static SharedMemory Create(std::size_t bytes);              // throws std::runtime_error
  static SharedMemory Map(Descriptor fd, std::size_t bytes);  // throws std::runtime_error
  SharedMemory(SharedMemory&& other) noexcept;
  SharedMemory& operator=(SharedMemory&&) = delete;
  ~SharedMemory();
  std::uint8_t* data() const { return data_; }
  std::size_t bytes() const { return bytes_; }
  int fd() const { return fd_.get(); }

 private:
  SharedMemory(Descriptor fd, std::size_t bytes);
  Descriptor fd_;
  std::uint8_t* data_ = nullptr;
  std::size_t bytes_ = 0;
};

// The abstract socket name of the device that plays `profile_path` for this user: depends on the
// file's contents, so an edited profile is another device. Throws std::runtime_error if unreadable.
std::string DeviceAddress(const std::string& profile_path);

Descriptor Listen(const std::string& address);   // empty if the address is taken
Descriptor Connect(const std::string& address);  // empty if nobody listens

// Sends one message, with a descriptor if `fd` is not negative. False if the other side is gone.
bool Send(int socket, const Message& message, int fd = -1);

struct Received {
  Message message;
  Descriptor fd;
};
// Waits for one message; nothing if the other side is gone.
std::optional<Received> Receive(int socket);

// Connects to the device of the profile named in the environment, starting `kettle-gpu` (which lies
// in ../bin beside the driver libraries' folder) if nobody listens. Empty if that fails.
Descriptor ConnectToDevice();

// What the devices of that profile are that are reached by an interface. Empty if they do not answer.
std::vector<DeviceInfo> AskDevices(Interface interface);

}  // namespace standin
