// SPDX-License-Identifier: Apache-2.0
// One encode session of the stand-in libva: what the client's parameter buffers ask, and the way to the device.
#pragma once

#include <va/va.h>
#include <va/va_enc_av1.h>
#include <va/va_enc_h264.h>
#include <va/va_enc_hevc.h>

#include <deque>
#include <map>
#include <optional>
#include <vector>

#include "channel.h"
#include "va_abilities.h"

namespace standin {

struct VaSurface {
  int width = 0, height = 0, pitch = 0;
  bool ten_bit = false;
  std::uint32_t id = 0;  // of its memory, the same in every session
  std::optional<SharedMemory> memory;
  VABufferID coded = VA_INVALID_ID;  // what it is being coded into

  std::size_t bytes() const { return static_cast<std::size_t>(pitch) * static_cast<std::size_t>(height) * 3 / 2; }
  SharedMemory& Memory();  // made when it is first needed
};

// A buffer of the client's: parameters, or room for a coded picture.
struct VaBuffer {
  VABufferType type{};
  std::vector<std::uint8_t> data;  // parameters; of a coded picture, what the client reads
  unsigned element_bytes = 0;
  VASurfaceID image_of = VA_INVALID_ID;  // this buffer is that surface's memory
  // Of a coded picture:
  std::uint32_t id = 0;
  std::optional<SharedMemory> memory;
  std::vector<std::uint8_t> headers;  // that the client wrote, to stand before the slice
  bool pending = false;
  VAStatus status = VA_STATUS_SUCCESS;
  std::uint32_t bytes = 0;  // that the device made
  int number = 0;           // in the order of coding, from 0
  VACodedBufferSegment segment{};
};

struct VaConfig {
  VAProfile profile{};
  VAEntrypoint entrypoint{};
  unsigned rate_control = VA_RC_CQP;
};

class VaSession {
 public:
  // `client_headers`: the stream has the parameter sets that the client writes; otherwise the device's own.
  VaSession(VaConfig config, bool client_headers, Descriptor socket)
      : config_(config), client_headers_(client_headers), socket_(std::move(socket)) {}

  void Begin(VaSurface& surface) {
    surface_ = &surface;
    headers_.clear();
  }
  void Take(const VaBuffer& buffer);  // one of vaRenderPicture
  // Sends the picture to the device. `buffers` are the display's.
  VAStatus End(std::map<VABufferID, VaBuffer>& buffers);
  // Waits until that picture is done.
  VAStatus Wait(VaBuffer& coded, std::map<VABufferID, VaBuffer>& buffers);
  void Close();

 private:
  Codec codec() const { return CodecOf(config_.profile); }
  void TakeMisc(const VAEncMiscParameterBuffer& misc);
  void TakeParameters(const VaBuffer& buffer);
  VABufferID CodedBuffer() const;
  int ConstantQp() const;
  bool IsKeyframe() const;
  AskedType Type() const;
  Settings MakeSettings() const;
  void SetRates(Settings& settings) const;
  ClientSyntax MakeSyntax() const;
  VAStatus Initialise();
  bool SubmitInOrderOfDisplay(const Message& message);
  bool SendToDevice(Message message);
  void AskFor(int number);
  bool Share(std::uint32_t id, const SharedMemory& memory);

  VaConfig config_;
  bool client_headers_;
  Descriptor socket_;
  bool initialised_ = false, next_is_slice_ = false;
  int pictures_ = 0, overruns_ = 0;
  // Of B-frames: the picture that stands after them, before them in the order of coding.
  std::optional<Message> held_;
  std::deque<std::uint32_t> outputs_;  // in the order of coding, of pictures that the device has not got
  int b_frames_ = 0, held_number_ = 0, sent_ = 0, delay_ = 0;
  VaSurface* surface_ = nullptr;
  std::vector<std::uint8_t> headers_;
  std::map<std::uint32_t, bool> shared_;
  VAEncSequenceParameterBufferH264 h264_sequence_{};
  VAEncPictureParameterBufferH264 h264_picture_{};
  VAEncSliceParameterBufferH264 h264_slice_{};
  VAEncPictureParameterBufferHEVC hevc_picture_{};
  VAEncSliceParameterBufferHEVC hevc_slice_{};
  VAEncPictureParameterBufferAV1 av1_picture_{};
  VAEncMiscParameterRateControl rates_{};
  VAEncMiscParameterHRD buffer_{};
  unsigned frame_rate_ = 30, quality_level_ = 0;
};

}  // namespace standin
