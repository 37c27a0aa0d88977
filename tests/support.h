// SPDX-License-Identifier: Apache-2.0
// What several tests share: temporary folders, made-up footage, a clock that nobody waits for.
#pragma once

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <atomic>
#include <cstdint>
#include <filesystem>
#include <fstream>
#include <functional>
#include <sstream>
#include <string>

#include "kettle/encoders/settings.h"
#include "kettle/footage/y4m.h"
#include "kettle/store/file.h"
#include "kettle/units/clock.h"
#include "kettle/units/error.h"

namespace kettle::test {

// A folder of its own for each test, removed with it.
class FolderTest : public ::testing::Test {
 protected:
  FolderTest() { std::filesystem::create_directory(path("")); }
  // In a folder with nothing else in it.
  std::filesystem::path path(const std::string& name) const { return folder_.path() / "test" / name; }
  std::string Put(const std::string& name, const std::string& content) const {
    std::filesystem::create_directories(path(name).parent_path());
    std::ofstream(path(name), std::ios::binary) << content;
    return path(name).string();
  }
  static std::string Get(const std::filesystem::path& file) {
    std::ostringstream text;
    text << std::ifstream(file, std::ios::binary).rdbuf();
    return text.str();
  }

 private:
  TemporaryFolder folder_{std::filesystem::temp_directory_path()};
};

// The one line that `action` complains with; fails if it does not, or with another fault.
inline std::string Complaint(Fault fault, const std::function<void()>& action) {
  try {
    action();
  } catch (const Error& error) {
    EXPECT_EQ(error.fault(), fault) << error.what();
    EXPECT_EQ(std::string(error.what()).find('\n'), std::string::npos) << "more than one line";
    return error.what();
  }
  ADD_FAILURE() << "nothing was thrown";
  return "";
}

// Time passes only when someone sleeps, or when a test says so.
class FakeClock final : public Clock {
 public:
  std::int64_t now_ns() const override { return now_; }
  void SleepUntil(std::int64_t deadline_ns) override { now_ = std::max(now_.load(), deadline_ns); }
  void Pass(std::int64_t ns) { now_ += ns; }

 private:
  std::atomic<std::int64_t> now_ = 1'000'000'000;  // lanes look at it in threads of their own
};

// Every look at it takes a second: whatever is timed is slow, on any machine.
class SlowClock final : public Clock {
 public:
  std::int64_t now_ns() const override { return now_ += 1'000'000'000; }
  void SleepUntil(std::int64_t) override {}

 private:
  mutable std::int64_t now_ = 0;
};

// Footage that moves: a diagonal pattern, shifted a little in every `hold`th picture.
inline std::string MakeY4m(const std::filesystem::path& file, FrameSize size, FrameRate rate, int frames,
                           int hold = 1) {
  Y4mWriter writer(file, size, rate);
  for (int i = 0; i < frames; ++i) {
    FramePtr picture = NewPicture(size);
    for (int plane = 0; plane < 3; ++plane) {
      const int shift = plane > 0;
      for (int y = 0; y < size.height >> shift; ++y)
        for (int x = 0; x < size.width >> shift; ++x)
          picture->data[plane][y * picture->linesize[plane] + x] = static_cast<std::uint8_t>(
              plane == 0 ? 16 + (x * 3 + y * 5 + i / hold * 7 + (x * y) / 16) % 200 : 128 + (x + i / hold) % 16);
    }
    writer.Write(*picture);
  }
  writer.Finish();
  return file.string();
}

inline EncodeSettings SmallSettings(const std::string& encoder = "x264", const std::string& preset = "ultrafast") {
  EncodeSettings settings;
  settings.encoder = encoder;
  settings.preset = preset;
  settings.size = {192, 128};
  settings.frame_rate = {25, 1};
  settings.bit_rate = settings.maximum_bit_rate = BitRate::FromKbps(400);
  return settings;
}

}  // namespace kettle::test
