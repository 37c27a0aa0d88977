// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/flv_packer.h"

#include <algorithm>
#include <cmath>

#include "kettle/coded/samples.h"
#include "kettle/rtmp/amf.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

std::string_view DataOf(const AVPacket& packet) {
  return {reinterpret_cast<const char*>(packet.data), static_cast<std::size_t>(packet.size)};
}

FlvCodec CodecOf(const AVCodecContext& pictures) {
  const char* name = avcodec_get_name(pictures.codec_id);
  if (const auto codec = FlvCodecOf(name)) return *codec;
  FailMachine("RTMP does not carry {}: H.264, HEVC or AV1", name);
}

AmfObject AboutPictures(const AVCodecContext& pictures, FlvCodec codec) {
  return {
      {"width", static_cast<double>(pictures.width)}, {"height", static_cast<double>(pictures.height)},
      {"framerate", av_q2d(pictures.framerate)},      {"videodatarate", static_cast<double>(pictures.bit_rate) / 1000},
      {"videocodecid", MetadataNumber(codec)},        {"encoder", "fast-kettle"}};
}

void AddSound(const AVCodecContext& sound, AmfObject& about) {
  about.emplace_back("audiodatarate", static_cast<double>(sound.bit_rate) / 1000);
  about.emplace_back("audiosamplerate", static_cast<double>(sound.sample_rate));
  about.emplace_back("audiosamplesize", 16.0);
  about.emplace_back("stereo", true);
  about.emplace_back("audiocodecid", kAacMetadata);
}

}  // namespace

FlvPacker::FlvPacker(const std::vector<const AVCodecContext*>& tracks)
    : codec_id_(tracks.front()->codec_id), codec_(CodecOf(*tracks.front())) {
  const AVCodecContext& pictures = *tracks.front();
  pictures_ = {pictures.time_base, 0};
  AmfObject about = AboutPictures(pictures, codec_);
  if (tracks.size() > 1) AddSound(*tracks[1], about);
  opening_.push_back({RtmpType::kData, 0, 0, WriteAmf({"@setDataFrame", "onMetaData", about})});
  opening_.push_back({RtmpType::kVideo, 0, 0, VideoHeaderBody(codec_, ConfigurationRecord(pictures))});
  if (tracks.size() < 2) return;
  const AVCodecContext& sound = *tracks[1];
  sound_ = {sound.time_base, static_cast<double>(sound.initial_padding) / std::max(1, sound.sample_rate)};
  const std::string_view config(reinterpret_cast<const char*>(sound.extradata),
                                static_cast<std::size_t>(sound.extradata_size));
  opening_.push_back({RtmpType::kAudio, 0, 0, SoundHeaderBody(config)});
}

int FlvPacker::Milliseconds(const Track& track, std::int64_t time) const {
  const double seconds = static_cast<double>(time) * av_q2d(track.time_base) + *shift_seconds_;
  return std::max(0, static_cast<int>(std::lround(seconds * 1000)));
}

FlvPacker::Packed FlvPacker::PackPicture(const AVPacket& packet) const {
  const bool keyframe = (packet.flags & AV_PKT_FLAG_KEY) != 0;
  // Both rounded, so that the times shown stand as evenly as milliseconds allow.
  const int decoded = Milliseconds(pictures_, packet.dts), shown = Milliseconds(pictures_, packet.pts);
  const std::string sample = SampleOf(codec_id_, DataOf(packet));
  // AV1 has one time: pictures come out in the order in which they are shown.
  const int sent = codec_ == FlvCodec::kAv1 ? shown : decoded;
  return {{RtmpType::kVideo, static_cast<std::uint32_t>(sent), 0,
           VideoBody(codec_, keyframe, std::max(0, shown - sent), sample)},
          Picture{packet.pts, keyframe},
          static_cast<double>(packet.pts) * av_q2d(pictures_.time_base)};
}

FlvPacker::Packed FlvPacker::PackSound(const AVPacket& packet) const {
  return {
      {RtmpType::kAudio, static_cast<std::uint32_t>(Milliseconds(sound_, packet.pts)), 0, SoundBody(DataOf(packet))},
      std::nullopt,
      static_cast<double>(packet.pts) * av_q2d(sound_.time_base)};
}

std::vector<FlvPacker::Packed> FlvPacker::Pack(int track, const AVPacket& packet) {
  std::vector<Packed> packed;
  if (track != 0) {
    if (shift_seconds_) {
      packed.push_back(PackSound(packet));
    } else if (PacketPtr copy{av_packet_clone(&packet)}) {
      held_.push_back(std::move(copy));
    } else {
      FailMachine("out of memory");
    }
    return packed;
  }
  if (!shift_seconds_)
    shift_seconds_ =
        std::max({0.0, sound_.lead_seconds, -static_cast<double>(packet.dts) * av_q2d(pictures_.time_base)});
  packed.push_back(PackPicture(packet));
  for (const PacketPtr& sound : held_) packed.push_back(PackSound(*sound));
  held_.clear();
  return packed;
}

}  // namespace kettle
