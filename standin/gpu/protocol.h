// SPDX-License-Identifier: Apache-2.0
// What the stand-in driver libraries and the stand-in devices say to each other.
//
// One SOCK_SEQPACKET connection is one encode session; every message is one `Message`. Pictures and
// bitstreams never travel over it: they lie in shared memory (memfd) handed over with SCM_RIGHTS.
#pragma once

#include <cstdint>

namespace standin {

enum class Kind : std::uint32_t {
  kHello,       // client: `device.index`        device: kHello with `device`
  kOpen,        // client: `device.index`        device: kOpen with `status`
  kInitialise,  // client: `settings`            device: kInitialise with `status`, `header`
  kAddBuffer,   // client: `buffer` and its descriptor, no answer
  kEncode,      // client: `encode`              device: one kEncoded for each picture, in coded order, when it is done
  kFlush,       // client: `pictures`            device: kEncoded for those held back, until it gave so many in all
  kEncoded,
  kGame,   // client: `game`                     device: kGame; the share lasts until the client goes
  kClose,  // client: the session is over        device: kClose, once its place is free again
};

enum class Status : std::uint32_t {
  kOk,
  kSessionLimit,
  kUnsupported,
  kFailed,
  kCrash,  // the driver is to crash now
};

enum class Codec : std::int32_t { kH264, kHevc, kAv1 };
inline constexpr int kCodecs = 3;

// How a device is reached. Each interface counts its own devices.
enum class Interface : std::uint32_t { kNvenc, kVaapi };

struct DeviceInfo {
  Interface interface;
  std::uint32_t index, count;  // among those of its interface
  char name[96], driver_version[64], bus_address[16];
  std::int32_t compute_major, compute_minor;
  // By Codec; no width: the codec is not offered.
  std::int32_t max_width[kCodecs], max_height[kCodecs], b_frames[kCodecs];
  std::uint32_t ten_bit[kCodecs];
  std::uint32_t low_power, packed_headers;  // of VA-API: the entry point there is, and who writes the headers
  std::uint32_t gpu_percent, encoder_percent, sessions;  // of the last second, and now
};

struct Settings {
  Codec codec;
  std::int32_t width, height;
  std::int32_t rate_numerator, rate_denominator;  // frames per second
  std::int32_t preset;                            // 1 (fastest) to 7 (slowest)
  std::int32_t average_kbps, maximum_kbps, buffer_kbit;
  std::int32_t constant_qp;     // below zero: another rule; of AV1 the quantiser's index, 0 to 255
  std::int32_t target_quality;  // below zero: the bit rates rule
  std::int32_t keyframe_frames;
  std::int32_t profile_idc;  // of H.264
  std::int32_t b_frames, look_ahead_frames;
  std::uint32_t adaptive_quantisation, multi_pass, ten_bit;
  std::uint32_t repeat_headers, access_unit_delimiter;
  std::int32_t pitch;  // bytes from one luma row to the next; YV12: chroma rows are half of it, P010: the same
  std::int32_t full_range, colour_primaries, transfer, matrix;
  std::uint32_t semi_planar;           // NV12 in place of YV12
  std::uint32_t client_headers;        // the client writes parameter sets and messages: slices go with ClientSyntax
  std::uint32_t client_order;          // the client says which pictures are B-frames, of H.264
  std::uint32_t cabac, transform_8x8;  // of H.264, where the client says it
};

// What a client's H.264 parameter sets and its place in the stream say of one picture's slice header.
struct ClientSyntax {
  std::uint32_t parameter_set, frame_num, frame_num_bits, idr_id, order_count_type, order_count, order_count_bits;
  std::uint32_t idr;
  std::uint32_t reference, references;  // whether others refer to it; how many the picture parameter set has by default
  std::uint32_t cabac, transform_8x8, deblocking_control, initial_qp;
  std::int32_t chroma_qp_offset, second_chroma_qp_offset;
};

struct Buffer {
  std::uint32_t id, bytes;
};

// What a picture is to be coded as: by a client that decides itself, which order the pictures are coded in too.
enum class AskedType : std::uint32_t { kAny, kPredicted, kBidirectional };

struct Encode {
  std::uint32_t input, output;  // buffer ids; the answer's output holds the next picture in coded order
  std::int64_t submitted_ns;    // CLOCK_MONOTONIC, the same clock in both processes
  std::uint64_t timestamp;
  std::uint32_t force_keyframe;
  AskedType asked_type;
  std::uint32_t bytes;         // filled by the device, as the rest
  std::uint32_t picture_type;  // 0: P, 1: B, 2: IDR
  std::int32_t qp;             // of a client that says it for each picture; below zero: the coder's
  ClientSyntax syntax;         // for `client_headers`
  std::uint32_t overrun;       // the coding took longer than the simulated time: the figure is this machine's
};

inline constexpr std::uint32_t kHeaderBytes = 1024;
inline constexpr std::uint32_t kAllPictures = ~0u;  // of a flush
// In a longer one a client that waits for a picture too early has no more of them; in a shorter one it may.
inline constexpr int kShortStream = 16;  // pictures

// What a simulated game takes of the shader units.
struct Game {
  std::uint32_t index;  // of the device
  double share;         // 0 to 0.95
};

struct Message {
  Kind kind;
  Status status;
  union {
    DeviceInfo device;
    Settings settings;
    Buffer buffer;
    Encode encode;
    Game game;
    std::uint32_t pictures;
    struct {
      std::uint32_t bytes;
      std::int32_t delay;  // pictures that the coder holds back
      std::uint8_t data[kHeaderBytes];
    } header;
  };
};

// Name of the environment variable that holds the profile's absolute path.
inline constexpr const char* kProfileVariable = "KETTLE_STANDIN_GPU";
// And of one that tells devices of the same profile apart, for those who must not share them; need not be set.
inline constexpr const char* kInstanceVariable = "KETTLE_STANDIN_INSTANCE";

}  // namespace standin
