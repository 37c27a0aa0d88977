// SPDX-License-Identifier: Apache-2.0
// One encode through libavcodec's public interface; the same path for every encoder.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>

#include "kettle/media/driver_headers.h"
#include "kettle/media/hardware.h"
#include "kettle/media/libav.h"
#include "kettle/units/units.h"

namespace kettle {

// What an encoder is opened with, in the library's own terms. Made by the catalogue.
struct EncoderConfig {
  std::string library_name;  // as avcodec_find_encoder_by_name knows it
  FrameSize size;
  FrameRate rate;
  std::int64_t bit_rate = 0, maximum_bit_rate = 0, buffer_bits = 0;  // bits a second; 0: not set
  int keyframe_frames = 0;                                           // 0: the library's default
  std::map<std::string, std::string> options;                        // an unknown one is an error
  AVPixelFormat pixel_format = AV_PIX_FMT_YUV420P;                   // of the pictures that Send takes
  std::string hardware;         // "vaapi", "qsv" or empty: needs no device opened for it
  std::string hardware_device;  // the path of its render node
};

class Encoder {
 public:
  // Throws Error(kMachine) with the library's own words.
  explicit Encoder(const EncoderConfig& config);

  // Gives one picture, whose pts counts frames; nullptr ends the stream. Throws Error(kMachine).
  void Send(const AVFrame* picture);
  // The next packet, if one is ready; its pts counts frames. Throws Error(kMachine).
  PacketPtr Receive();

  const AVCodecContext& context() const { return *context_; }
  // The device's own name if the library told one, otherwise empty.
  const std::string& device_name() const { return device_name_; }

 private:
  // Closes a context while no other is being opened or closed.
  struct Closer {
    void operator()(AVCodecContext* context) const;
  };

  std::string OpenContext(const EncoderConfig& config);
  std::vector<std::uint8_t> HeaderOfAPicture(const EncoderConfig& config);

  std::string device_name_;
  BufferPtr device_, surfaces_;  // for encoders that take pictures from a GPU's surfaces
  std::unique_ptr<AVCodecContext, Closer> context_;
  std::optional<ColourTag> colour_tag_;  // where the driver writes the parameter sets
};

}  // namespace kettle
