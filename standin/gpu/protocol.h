// SPDX-License-Identifier: Apache-2.0
// What the stand-in driver libraries and the stand-in device say to each other.
//
// One SOCK_SEQPACKET connection is one encode session; every message is one `Message`. Pictures and
// bitstreams never travel over it: they lie in shared memory (memfd) handed over with SCM_RIGHTS.
#pragma once

#include <cstdint>

namespace standin {

enum class Kind : std::uint32_t {
  kHello,       // client: who are you?          device: kHello with `device`
  kOpen,        // client: one session, please   device: kOpen with `status`
  kInitialise,  // client: `settings`            device: kInitialise with `status`, `header`
  kAddBuffer,   // client: `buffer` and its descriptor, no answer
  kEncode,      // client: `encode`              device: kEncoded, once the engine is done with it
  kEncoded,
};

enum class Status : std::uint32_t { kOk, kSessionLimit, kUnsupported, kFailed };

struct DeviceInfo {
  char name[96];
  std::uint32_t count;
  std::int32_t compute_major, compute_minor;
  std::int32_t max_width, max_height;
};

struct Settings {
  std::int32_t width, height;
  std::int32_t rate_numerator, rate_denominator;  // frames per second
  std::int32_t preset;                            // 1 (fastest) to 7 (slowest)
  std::int32_t average_kbps, maximum_kbps, buffer_kbit;
  std::int32_t constant_qp;  // below zero: the bit rates rule
  std::int32_t keyframe_frames;
  std::int32_t profile_idc;
  std::uint32_t repeat_headers, access_unit_delimiter;
  std::int32_t pitch;  // bytes from one luma row to the next; chroma rows are half of it
  std::int32_t full_range, colour_primaries, transfer, matrix;
};

struct Buffer {
  std::uint32_t id, bytes;
};

struct Encode {
  std::uint32_t input, output;  // buffer ids
  std::int64_t submitted_ns;    // CLOCK_MONOTONIC, the same clock in both processes
  std::uint64_t timestamp;
  std::uint32_t force_keyframe;
  std::uint32_t bytes, is_keyframe;  // filled by the device
};

inline constexpr std::uint32_t kHeaderBytes = 512;

struct Message {
  Kind kind;
  Status status;
  union {
    DeviceInfo device;
    Settings settings;
    Buffer buffer;
    Encode encode;
    struct {
      std::uint32_t bytes;
      std::uint8_t data[kHeaderBytes];
    } header;
  };
};

// Name of the environment variable that holds the profile's absolute path.
inline constexpr const char* kProfileVariable = "KETTLE_STANDIN_GPU";

}  // namespace standin
