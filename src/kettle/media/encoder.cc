// SPDX-License-Identifier: Apache-2.0
#include "kettle/media/encoder.h"

#include <mutex>

#include "kettle/units/error.h"

namespace kettle {

namespace {

// SVT-AV1 2 keeps books for the whole process without a lock, and writes into them as it opens and closes.
std::mutex& OpenAndCloseMutex() {
  static std::mutex mutex;
  return mutex;
}

void Describe(AVCodecContext& context, const EncoderConfig& config) {
  context.width = config.size.width;
  context.height = config.size.height;
  context.pix_fmt = config.pixel_format;
  context.time_base = {config.rate.denominator, config.rate.numerator};
  context.framerate = {config.rate.numerator, config.rate.denominator};
  context.sample_aspect_ratio = {1, 1};
  context.color_range = AVCOL_RANGE_MPEG;
  context.color_primaries = AVCOL_PRI_BT709;
  context.color_trc = AVCOL_TRC_BT709;
  context.colorspace = AVCOL_SPC_BT709;
  context.flags |= AV_CODEC_FLAG_GLOBAL_HEADER;  // FLV and Matroska keep headers apart
  if (config.bit_rate > 0) context.bit_rate = config.bit_rate;
  if (config.maximum_bit_rate > 0) context.rc_max_rate = config.maximum_bit_rate;
  if (config.buffer_bits > 0) context.rc_buffer_size = static_cast<int>(config.buffer_bits);
  if (config.keyframe_frames > 0) context.gop_size = config.keyframe_frames;
}

// Opens the context; returns what went wrong in the library's last words, empty if nothing did.
std::string Open(AVCodecContext& context, const AVCodec& codec, const EncoderConfig& config, std::string& device_name) {
  AVDictionary* options = nullptr;
  for (const auto& [key, value] : config.options) av_dict_set(&options, key.c_str(), value.c_str(), 0);
  LibavLog log;
  const int result = [&] {
    const std::scoped_lock lock(OpenAndCloseMutex());
    return avcodec_open2(&context, &codec, &options);
  }();
  std::string unused;
  if (const AVDictionaryEntry* entry = av_dict_get(options, "", nullptr, AV_DICT_IGNORE_SUFFIX)) unused = entry->key;
  av_dict_free(&options);
  if (result < 0) {
    // The libraries name the cause in their first lines and wind down in the last ones.
    std::string words = LibavError(result);
    for (const std::string& line : log.lines()) words += "; " + line;
    return words;
  }
  for (const std::string& line : log.lines()) {
    const auto from = line.find("< "), to = line.find(" >");
    if (line.find("GPU #") != line.npos && from != line.npos && to != line.npos)
      device_name = line.substr(from + 2, to - from - 2);
  }
  if (!unused.empty()) return fmt::format("it has no option \"{}\"", unused);
  return "";
}

// During an encode the cause is in what the library has logged, if someone collects that.
void CheckEncoding(int result) {
  if (result >= 0) return;
  std::string words = LibavError(result);
  for (const std::string& line : LibavLog::All()) words += "; " + line;
  FailMachine("encoding: {}", words);
}

}  // namespace

void Encoder::Closer::operator()(AVCodecContext* context) const {
  const std::scoped_lock lock(OpenAndCloseMutex());
  avcodec_free_context(&context);
}

Encoder::Encoder(const EncoderConfig& config) {
  if (!config.hardware.empty()) device_ = OpenHardware(config.hardware, config.hardware_device, device_name_);
  if (config.hardware == "vaapi") surfaces_ = SurfacePool(*device_, config.pixel_format, config.size);
  std::string trouble = OpenContext(config);
  EncoderConfig low_power = config;
  if (config.hardware == "vaapi" && trouble.find("No usable encoding entrypoint") != trouble.npos) {
    low_power.options["low_power"] = "1";  // all that newer Intel drivers have
    trouble = OpenContext(low_power);
  }
  if (!trouble.empty()) FailMachine("{} did not open: {}", config.library_name, trouble);
  if (config.hardware == "vaapi" && context_->extradata_size == 0) {
    const std::vector<std::uint8_t> header = HeaderOfAPicture(config);
    if (const std::string again = OpenContext(low_power); !again.empty())
      FailMachine("{} did not open again: {}", config.library_name, again);
    colour_tag_.emplace(*context_, header);
    SetExtradata(*context_, colour_tag_->header().data(), colour_tag_->header().size());
  }
}

// What went wrong; empty if nothing did.
std::string Encoder::OpenContext(const EncoderConfig& config) {
  const AVCodec* codec = avcodec_find_encoder_by_name(config.library_name.c_str());
  if (!codec) FailMachine("the installed libavcodec has no encoder \"{}\"", config.library_name);
  context_.reset();  // before the next one takes its place on the device
  context_.reset(avcodec_alloc_context3(codec));
  if (!context_) FailMachine("out of memory");
  Describe(*context_, config);
  if (device_) context_->hw_device_ctx = av_buffer_ref(device_.get());
  if (surfaces_) {
    context_->hw_frames_ctx = av_buffer_ref(surfaces_.get());
    context_->pix_fmt = AV_PIX_FMT_VAAPI;
  }
  return Open(*context_, *codec, config, device_name_);
}

// Some VA-API drivers write the parameter sets themselves, into the stream: they are taken from one picture, encoded
// for nothing but that.
std::vector<std::uint8_t> Encoder::HeaderOfAPicture(const EncoderConfig& config) {
  const FramePtr picture = NewPicture(config.size, config.pixel_format);
  picture->pts = 0;
  Send(picture.get());
  Send(nullptr);
  const PacketPtr packet = Receive();
  if (!packet) FailMachine("{} gave no picture", config.library_name);
  return ParameterSets(*context_, *packet);
}

void Encoder::Send(const AVFrame* picture) {
  FramePtr surface;
  if (picture && surfaces_) surface = Upload(*surfaces_, *picture);
  CheckEncoding(avcodec_send_frame(context_.get(), surface ? surface.get() : picture));
}

PacketPtr Encoder::Receive() {
  PacketPtr packet = NewPacket();
  const int result = avcodec_receive_packet(context_.get(), packet.get());
  if (result == AVERROR(EAGAIN) || result == AVERROR_EOF) return nullptr;
  CheckEncoding(result);
  if (colour_tag_ && packet->flags & AV_PKT_FLAG_KEY) colour_tag_->Apply(*packet);
  return packet;
}

}  // namespace kettle
