// SPDX-License-Identifier: Apache-2.0
// What the stand-in graphics cards can do, and how they fail: read from a TOML file, documented in profiles/README.md.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "protocol.h"

namespace standin {

inline constexpr int kPresets = 7;

// What a device's generation can do in one codec. AV1 is offered where its coder is built in (CodesAv1).
struct CodecAbility {
  bool offered = true;
  int b_frames = 0;  // at most so many in a row
  bool ten_bit = false;
  int max_width = 4096, max_height = 4096;
};

struct DeviceProfile {
  Interface interface = Interface::kNvenc;
  std::string name, bus_address;  // the latter as the kernel writes it, "0000:01:00.0"
  int compute_major = 7, compute_minor = 5;
  int session_limit = 3;
  std::array<CodecAbility, kCodecs> codecs{CodecAbility{}, {.offered = false}, {.offered = false}};  // by Codec
  // Of VA-API: only the low-power entry point, and whether the driver takes the client's headers as they are.
  bool low_power = false, packed_headers = true;
  // Millions of luma samples the encode engine codes in one second, for presets p1 (fastest) to p7.
  std::array<double, kPresets> megapixels_per_second{};
  std::array<double, kCodecs> codec_speed{1, 1, 1};  // of the above, by Codec

  // What runs on the shader units beside the engine, in millions of luma samples a second; zero: it costs nothing.
  double look_ahead_speed = 0, adaptive_quantisation_speed = 0, multi_pass_speed = 0;
  double game_share = 0;  // of the shader units that a simulated game takes, 0 to 0.95

  // Frames that lie on another device cross over at this many millions of luma samples a second; zero: they lie here.
  double crossing_speed = 0;
};

enum class FaultKind { kNone, kRefuse, kCrash, kHang, kSlow, kWrong, kLost };

// A fault that strikes once: in the `session`th encode session that the device opens, at its `frame`th frame. Session 0
// is whichever gets that far. Frame 0 of a refusal is the opening itself.
struct Fault {
  FaultKind kind = FaultKind::kNone;
  int device = 0;
  int session = 1;
  int frame = 0;
  double factor = 10;  // of a slow-down
};

struct Profile {
  std::string driver_version = "1.0 (simulated)";
  double linger_seconds = 2;           // that the devices' process stays after its last client
  std::vector<DeviceProfile> devices;  // at least one
  std::vector<Fault> faults;
};

// Throws std::runtime_error with one line that names the file and the key.
Profile ReadProfile(const std::string& path);

}  // namespace standin
