// SPDX-License-Identifier: Apache-2.0
#include "kettle/screen/capture.h"

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavdevice/avdevice.h>
#include <libavformat/avformat.h>
#include <libswscale/swscale.h>
}

#include <dlfcn.h>

#include <algorithm>
#include <cmath>
#include <memory>

#include "kettle/machine/cpu_time.h"
#include "kettle/media/encoder.h"
#include "kettle/media/scaler.h"
#include "kettle/media/writer.h"
#include "kettle/units/clock.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

struct InputDeleter {
  void operator()(AVFormatContext* p) const { avformat_close_input(&p); }
};
using Input = std::unique_ptr<AVFormatContext, InputDeleter>;

// libavdevice brings in much that no other command needs, so it is loaded here, for the one function that it is needed
// for; the devices themselves are libavformat's inputs.
void RegisterDevices() {
  const std::string name = fmt::format("libavdevice.so.{}", LIBAVDEVICE_VERSION_MAJOR);
  void* library = dlopen(name.c_str(), RTLD_NOW);
  using Register = void();
  const auto all = library ? reinterpret_cast<Register*>(dlsym(library, "avdevice_register_all")) : nullptr;
  if (!all)
    FailMachine("{} is not installed, and capturing needs it: sudo apt install libavdevice{}", name,
                LIBAVDEVICE_VERSION_MAJOR);
  all();
}

Input OpenScreen(const ScreenCaptureRequest& request) {
  RegisterDevices();
  const AVInputFormat* grabber = av_find_input_format("x11grab");
  if (!grabber) FailMachine("the installed libavdevice cannot capture X11");
  AVDictionary* options = nullptr;
  av_dict_set(&options, "framerate", request.rate.str().c_str(), 0);
  if (!request.window.empty()) av_dict_set(&options, "window_id", request.window.c_str(), 0);
  AVFormatContext* context = nullptr;
  const int result = avformat_open_input(&context, request.display.c_str(), grabber, &options);
  av_dict_free(&options);
  if (result < 0)
    FailInput("display {}{} cannot be captured: is it there, and may you see it (DISPLAY, XAUTHORITY)?",
              request.display, request.window.empty() ? "" : ", window " + request.window);
  return Input(context);
}

// The pictures come raw, 32 bits a pixel.
class Pictures {
 public:
  explicit Pictures(AVFormatContext& input) : parameters_(*input.streams[0]->codecpar) {
    const AVCodec* codec = avcodec_find_decoder(parameters_.codec_id);
    decoder_.reset(avcodec_alloc_context3(codec));
    if (!decoder_ || avcodec_parameters_to_context(decoder_.get(), &parameters_) < 0 ||
        avcodec_open2(decoder_.get(), codec, nullptr) < 0)
      FailMachine("the captured pictures cannot be read");
    AvoidGathers();
    scaler_.reset(sws_getContext(parameters_.width, parameters_.height, decoder_->pix_fmt, size().width, size().height,
                                 AV_PIX_FMT_YUV420P, SWS_BILINEAR, nullptr, nullptr, nullptr));
    if (!scaler_) FailMachine("the captured pictures cannot be converted");
    // From full-range RGB to limited-range BT.709.
    sws_setColorspaceDetails(scaler_.get(), sws_getCoefficients(SWS_CS_DEFAULT), 1, sws_getCoefficients(SWS_CS_ITU709),
                             0, 0, 1 << 16, 1 << 16);
  }

  FrameSize size() const { return {parameters_.width & ~1, parameters_.height & ~1}; }

  FramePtr Convert(const AVPacket& packet) {
    if (avcodec_send_packet(decoder_.get(), &packet) < 0 || avcodec_receive_frame(decoder_.get(), raw_.get()) < 0)
      FailMachine("a captured picture cannot be read");
    FramePtr picture = NewPicture(size());
    sws_scale(scaler_.get(), raw_->data, raw_->linesize, 0, raw_->height, picture->data, picture->linesize);
    av_frame_unref(raw_.get());
    return picture;
  }

 private:
  const AVCodecParameters& parameters_;
  CodecContextPtr decoder_;
  SwsContextPtr scaler_;
  FramePtr raw_{av_frame_alloc()};
};

EncoderConfig NextToLossless(FrameSize size, FrameRate rate) {
  EncoderConfig config;
  config.library_name = "libx264";
  config.size = size;
  config.rate = rate;
  config.keyframe_frames = static_cast<int>(std::lround(rate.fps()));
  config.options = {{"preset", "ultrafast"}, {"crf", "10"}};
  return config;
}

}  // namespace

ScreenCaptureOutcome CaptureScreen(const ScreenCaptureRequest& request, const std::function<bool(double)>& progress) {
  const SteadyClock clock;
  const LibavLog quiet;  // the encoder's own statistics tell nobody anything
  const Input input = OpenScreen(request);
  Pictures pictures(*input);
  ScreenCaptureOutcome outcome;
  outcome.size = pictures.size();
  Encoder encoder(NextToLossless(pictures.size(), request.rate));
  MediaWriter writer(request.file, encoder.context());
  const auto drain = [&] {
    while (const PacketPtr packet = encoder.Receive()) {
      outcome.bytes += packet->size;
      writer.Write(*packet);
    }
  };
  const auto wanted = static_cast<std::int64_t>(std::llround(request.seconds * request.rate.fps()));
  const double cpu_before = OwnCpuSeconds();
  const std::int64_t start_ns = clock.now_ns();
  std::int64_t last = -1;
  const PacketPtr packet = NewPacket();
  while (last + 1 < wanted && progress(static_cast<double>(last + 1) / static_cast<double>(wanted))) {
    if (av_read_frame(input.get(), packet.get()) < 0) FailMachine("the display is gone");
    const double passed = static_cast<double>(clock.now_ns() - start_ns) * 1e-9;
    // It counts for the moment at which it was taken; one that comes after the end, for the last.
    const std::int64_t number =
        std::clamp<std::int64_t>(std::llround(passed * request.rate.fps()), last + 1, wanted - 1);
    FramePtr picture = pictures.Convert(*packet);
    av_packet_unref(packet.get());
    outcome.missed += static_cast<int>(number - last - 1);
    picture->pts = last = number;
    ++outcome.frames;
    encoder.Send(picture.get());
    drain();
  }
  encoder.Send(nullptr);
  drain();
  writer.Finish();
  outcome.seconds = static_cast<double>(clock.now_ns() - start_ns) * 1e-9;
  outcome.cpu_cores = (OwnCpuSeconds() - cpu_before) / std::max(0.1, outcome.seconds);
  return outcome;
}

std::string WhyNoCapture(const std::string& display, const std::string& wayland_display,
                         const std::string& session_type) {
  if (session_type == "wayland" || !wayland_display.empty())
    return "this is a Wayland session, which shows its screen to no other program this way: record a few seconds of "
           "your "
           "game with the program that you stream with, at its best quality, and give that clip instead";
  if (display.empty()) return "there is no display here (DISPLAY is not set)";
  return "";
}

}  // namespace kettle
