// SPDX-License-Identifier: Apache-2.0
// Puts coded tracks into a container; the bytes go where the caller says.
#pragma once

#include <cstdint>
#include <exception>
#include <functional>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "kettle/media/libav.h"

namespace kettle {

class Muxer {
 public:
  // Takes bytes that belong at `offset`; may throw, and the muxer's caller then gets that.
  using Put = std::function<void(std::int64_t offset, std::string_view bytes)>;
  struct Container {
    std::string format;                          // libavformat's name: "matroska", "flv", "mp4"
    std::map<std::string, std::string> options;  // of that muxer
    bool seekable = true;                        // it may come back to earlier offsets
  };

  // The contexts are only read here. Throws Error(kMachine).
  Muxer(const Container& container, const std::vector<const AVCodecContext*>& tracks, Put put);
  ~Muxer();
  Muxer(const Muxer&) = delete;
  Muxer& operator=(const Muxer&) = delete;

  // The track whose first packet has the earliest decoding time of all.
  int earliest_track() const { return earliest_track_; }

  // Each track's packets in coding order, tracks roughly in step; what can be written is, at once. Timestamps are in
  // the encoder's time base. Throws Error(kMachine), or what `put` threw.
  void Write(int track, const AVPacket& packet);
  void Set(const char* option, const char* value);  // an option of that muxer, from now on
  void Flush();                                     // what the muxer holds back; throws likewise
  void Finish();                                    // writes the index; throws likewise

 private:
  static int WriteBytes(void* self, WrittenByte* bytes, int count);
  static std::int64_t Seek(void* self, std::int64_t offset, int whence);
  void Check(int code);

  Put put_;
  AVFormatContext* format_ = nullptr;
  std::vector<AVRational> time_bases_;
  double shift_seconds_ = 0;  // of all timestamps, so that none is negative
  int earliest_track_ = 0;
  std::int64_t position_ = 0, size_ = 0;
  std::exception_ptr error_;
};

}  // namespace kettle
