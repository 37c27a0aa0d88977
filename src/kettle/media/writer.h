// SPDX-License-Identifier: Apache-2.0
// Writes one encoder's packets to a media file.
#pragma once

#include <filesystem>

#include "kettle/media/libav.h"

struct AVFormatContext;

namespace kettle {

// Writes one video stream to a file; the container follows from the file name (.mkv, .flv).
class MediaWriter {
 public:
  // `encoder` is only read here. Throws Error(kMachine).
  MediaWriter(const std::filesystem::path& path, const AVCodecContext& encoder);
  ~MediaWriter();  // closes the file; without Finish it lacks its index
  MediaWriter(const MediaWriter&) = delete;
  MediaWriter& operator=(const MediaWriter&) = delete;

  void Write(const AVPacket& packet);  // timestamps count frames; throws Error(kMachine)
  void Finish();                       // writes the index; throws Error(kMachine)

 private:
  AVFormatContext* format_ = nullptr;
  AVRational time_base_{};
  std::filesystem::path path_;
};

}  // namespace kettle
