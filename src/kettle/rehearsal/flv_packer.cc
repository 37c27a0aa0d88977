// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/flv_packer.h"

#include <cstdint>

#include "kettle/rtmp/amf.h"

namespace kettle {

namespace {

constexpr std::size_t kFileHeaderBytes = 13, kTagHeaderBytes = 11, kTrailerBytes = 4;  // FLV 10.1, E.2 to E.4

std::uint32_t Big24(const std::string& bytes, std::size_t at) {
  const auto byte = [&](std::size_t i) {
    return static_cast<std::uint32_t>(static_cast<unsigned char>(bytes[at + i]));
  };
  return byte(0) << 16 | byte(1) << 8 | byte(2);
}

}  // namespace

FlvPacker::FlvPacker(const std::vector<const AVCodecContext*>& tracks) {
  const Muxer::Container flv{"flv", {{"flvflags", "no_duration_filesize"}}, false};
  muxer_ = std::make_unique<Muxer>(flv, tracks, [this](std::int64_t, std::string_view bytes) { bytes_.append(bytes); });
  bytes_.erase(0, kFileHeaderBytes);
  opening_ = TakeTags();
  for (RtmpMessage& message : opening_)
    if (message.type == RtmpType::kData) message.body = WriteAmf({"@setDataFrame"}) + message.body;
}

std::vector<RtmpMessage> FlvPacker::TakeTags() {
  std::vector<RtmpMessage> messages;
  std::size_t at = 0;
  while (bytes_.size() >= at + kTagHeaderBytes) {
    const std::size_t size = Big24(bytes_, at + 1);
    if (bytes_.size() < at + kTagHeaderBytes + size + kTrailerBytes) break;
    const auto extended = static_cast<std::uint32_t>(static_cast<unsigned char>(bytes_[at + 7]));
    messages.push_back({static_cast<RtmpType>(bytes_[at]), extended << 24 | Big24(bytes_, at + 4), 0,
                        bytes_.substr(at + kTagHeaderBytes, size)});
    at += kTagHeaderBytes + size + kTrailerBytes;
  }
  bytes_.erase(0, at);
  return messages;
}

std::vector<FlvPacker::Packed> FlvPacker::Write(int track, const AVPacket& packet) {
  muxer_->Write(track, packet);
  const std::optional<Picture> picture =
      track == 0 ? std::optional(Picture{packet.pts, (packet.flags & AV_PKT_FLAG_KEY) != 0}) : std::nullopt;
  std::vector<Packed> packed;
  for (RtmpMessage& message : TakeTags()) packed.push_back({std::move(message), picture});
  return packed;
}

std::vector<FlvPacker::Packed> FlvPacker::Pack(int track, const AVPacket& packet) {
  if (!begun_ && track != muxer_->earliest_track()) {
    held_.emplace_back(track, PacketPtr(av_packet_clone(&packet)));
    return {};
  }
  begun_ = true;
  std::vector<Packed> packed = Write(track, packet);
  for (const auto& [other, held] : held_)
    for (Packed& one : Write(other, *held)) packed.push_back(std::move(one));
  held_.clear();
  return packed;
}

}  // namespace kettle
