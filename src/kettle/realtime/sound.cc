// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/sound.h"

#include <cmath>
#include <numbers>

#include "kettle/units/error.h"

namespace kettle {

Sound::Sound(const SoundSettings& settings) : settings_(settings) {
  const AVCodec* aac = avcodec_find_encoder(AV_CODEC_ID_AAC);
  if (!aac) FailMachine("the installed libavcodec has no AAC encoder");
  for (int track = 0; track < settings.tracks; ++track) {
    CodecContextPtr encoder(avcodec_alloc_context3(aac));
    if (!encoder) FailMachine("out of memory");
    encoder->sample_fmt = AV_SAMPLE_FMT_FLTP;
    encoder->sample_rate = settings.sample_rate;
    encoder->ch_layout = AV_CHANNEL_LAYOUT_STEREO;
    encoder->time_base = {1, settings.sample_rate};
    encoder->bit_rate = std::int64_t{settings.kbps} * 1000;
    encoder->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    CheckLibav(avcodec_open2(encoder.get(), aac, nullptr), "AAC did not open");
    block_samples_ = encoder->frame_size;
    encoders_.push_back(std::move(encoder));
  }
}

std::vector<const AVCodecContext*> Sound::contexts() const {
  std::vector<const AVCodecContext*> contexts;
  for (const CodecContextPtr& encoder : encoders_) contexts.push_back(encoder.get());
  return contexts;
}

double Sound::SecondsOf(std::int64_t block) const {
  return static_cast<double>((block + 1) * block_samples_) / settings_.sample_rate;
}

void Sound::EncodeBlock(const std::function<void(int, const AVPacket&)>& take) {
  for (std::size_t track = 0; track < encoders_.size(); ++track) {
    AVCodecContext* encoder = encoders_[track].get();
    const FramePtr frame = NewFrame();
    frame->format = encoder->sample_fmt;
    frame->nb_samples = block_samples_;
    frame->sample_rate = settings_.sample_rate;
    av_channel_layout_copy(&frame->ch_layout, &encoder->ch_layout);
    CheckLibav(av_frame_get_buffer(frame.get(), 0), "out of memory");
    frame->pts = blocks_ * block_samples_;
    // A swelling chord, of another pitch on each track and side: an AAC encoder has work with it.
    for (int side = 0; side < 2; ++side) {
      auto* samples = reinterpret_cast<float*>(frame->extended_data[side]);
      for (int i = 0; i < block_samples_; ++i) {
        const double t = static_cast<double>(frame->pts + i) / settings_.sample_rate;
        const double pitch = 220.0 * static_cast<double>(track + 1) * (side == 0 ? 1 : 1.01);
        samples[i] = static_cast<float>(
            0.1 * (1 + std::sin(t)) *
            (std::sin(2 * std::numbers::pi * pitch * t) + 0.5 * std::sin(2 * std::numbers::pi * pitch * 2.5 * t)));
      }
    }
    Encode(track, frame.get(), take);
  }
  ++blocks_;
}

void Sound::End(const std::function<void(int, const AVPacket&)>& take) {
  for (std::size_t track = 0; track < encoders_.size(); ++track) Encode(track, nullptr, take);
}

void Sound::Encode(std::size_t track, const AVFrame* frame, const std::function<void(int, const AVPacket&)>& take) {
  AVCodecContext* encoder = encoders_[track].get();
  CheckLibav(avcodec_send_frame(encoder, frame), "encoding sound");
  const PacketPtr packet = NewPacket();
  while (avcodec_receive_packet(encoder, packet.get()) == 0) {
    take(static_cast<int>(track), *packet);
    av_packet_unref(packet.get());
  }
}

}  // namespace kettle
