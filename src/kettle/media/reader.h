// SPDX-License-Identifier: Apache-2.0
// Decodes the pictures of a media file, by libavformat and libavcodec.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "kettle/media/libav.h"

struct AVFormatContext;

namespace kettle {

// What a clip's header says of its pictures.
struct StreamFacts {
  std::string container, codec;  // libavformat's and libavcodec's names
  int bit_depth = 8;
  std::string chroma;       // "4:2:0"; empty if it is not Y'CbCr
  std::string hdr;          // "PQ" or "HLG"; empty: no HDR
  bool interlaced = false;  // if the header tells; pictures may tell later
};

// Decodes the first video stream of any file that libavformat reads.
class MediaReader {
 public:
  // Throws Error(kInput) with one line: no such file, empty, not media, no picture in it.
  explicit MediaReader(const std::filesystem::path& path);
  ~MediaReader();
  MediaReader(const MediaReader&) = delete;
  MediaReader& operator=(const MediaReader&) = delete;

  struct Picture {
    FramePtr frame;
    double seconds;  // presentation time after the first picture's of the file
  };
  // The next picture in presentation order; nothing at the end. Broken packets are passed over.
  std::optional<Picture> Next();

  FrameSize size() const;  // as coded; may be odd
  FrameRate rate() const;  // the container's average rate; 0/1 if it tells none
  StreamFacts facts() const;

  // When each packet of the picture stream is shown, in seconds after the first, and its bytes, in
  // the file's order. Reads the whole file without decoding and ends at its end: call Seek then.
  struct PacketTime {
    double seconds;
    int bytes;
  };
  // `progress` is called with 0..1, as far as the file's size is known, and may throw.
  std::vector<PacketTime> ReadPackets(const std::function<void(double)>& progress = {});
  // Back to the last keyframe at or before `seconds` after the first picture. Where the file has no index
  // for that: false, and the position is the start (or unchanged, if nothing was read yet). On the way from there to
  // `seconds` only pictures that others refer to are decoded and given.
  bool Seek(double seconds);

  // How long the file's header says that it lasts, in seconds, if it does; and how far its packets of
  // any stream reach, known after ReadPackets. The first much longer than the second: cut off.
  std::optional<double> declared_seconds() const;
  double reached_seconds() const { return reached_seconds_; }

 private:
  std::optional<Picture> Decoded();
  bool IsOnTheWay(const AVPacket& packet) const;  // to where Seek was asked for
  double start_seconds() const;
  double frame_seconds() const;  // 0 if the rate is not known

  std::filesystem::path path_;
  AVFormatContext* format_ = nullptr;
  CodecContextPtr decoder_;
  int stream_ = -1;
  bool draining_ = false;
  double all_from_seconds_ = 0;  // after a Seek: before that, pictures that no other refers to are left out
  std::int64_t decoded_ = 0;     // pictures so far, for files without timestamps
  double reached_seconds_ = 0;
};

}  // namespace kettle
