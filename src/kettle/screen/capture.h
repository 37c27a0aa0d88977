// SPDX-License-Identifier: Apache-2.0
// Records what a display shows, as footage: X11, by libavdevice.
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "kettle/units/units.h"

namespace kettle {

struct ScreenCaptureRequest {
  std::string display;  // ":0"
  std::string window;   // its X11 id, "0x3a00007"; empty: the whole display
  FrameRate rate{60, 1};
  double seconds = 20;
  std::filesystem::path file;  // .mkv
};

struct ScreenCaptureOutcome {
  FrameSize size;        // even: an odd last row or column is left out
  int frames = 0;        // in the file
  int missed = 0;        // that were due and came too late to be taken
  double seconds = 0;    // that it took
  double cpu_cores = 0;  // that capturing and coding took
  std::int64_t bytes = 0;
};

// H.264 (libx264 ultrafast, constant quality 10: next to nothing is lost), 4:2:0, BT.709, in Matroska. `progress` gets
// 0..1 and ends it by returning false: what was captured until then is whole. Throws Error(kInput): no such display or
// window; Error(kMachine) if it cannot be coded or written.
ScreenCaptureOutcome CaptureScreen(const ScreenCaptureRequest& request, const std::function<bool(double)>& progress);

// Why the screen of this session cannot be captured; empty if it can. Takes the environment's values: DISPLAY,
// WAYLAND_DISPLAY, XDG_SESSION_TYPE.
std::string WhyNoCapture(const std::string& display, const std::string& wayland_display,
                         const std::string& session_type);

}  // namespace kettle
