// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/probe.h"

#include <array>
#include <cstring>
#include <memory>

#include "kettle/encoders/catalogue.h"
#include "kettle/media/scaler.h"
#include "kettle/realtime/packet_log.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr int kProbeFrames = 12;  // more than any usual run of B-frames
constexpr int kMostAtOnce = 16;
constexpr std::array<FrameSize, 9> kUsualSizes = {{{8192, 8192},
                                                   {8192, 4320},
                                                   {7680, 4320},
                                                   {4096, 4096},
                                                   {4096, 2160},
                                                   {3840, 2160},
                                                   {2560, 1440},
                                                   {1920, 1080},
                                                   {1280, 720}}};

FramePtr GreyPicture(FrameSize size) {
  FramePtr picture = NewPicture(size);
  for (int plane = 0; plane < 3; ++plane)
    std::memset(
        picture->data[plane], 128,
        static_cast<std::size_t>(picture->linesize[plane]) * static_cast<std::size_t>(picture->height >> (plane > 0)));
  return picture;
}

// What comes out for a few frames. Throws Error.
PacketLog EncodeFew(const EncodeSettings& settings, std::string* device_name) {
  const EncoderConfig config = ConfigFor(settings);
  Encoder encoder(config);
  if (device_name) *device_name = encoder.device_name();
  Scaler scaler(config.size, config.pixel_format);
  FramePtr grey = GreyPicture(settings.size);
  PacketLog log(settings.frame_rate);
  for (int i = 0; i <= kProbeFrames; ++i) {
    const FramePtr picture = i < kProbeFrames ? scaler.Scale(*grey) : nullptr;
    if (picture) picture->pts = i;
    encoder.Send(picture.get());
    while (const PacketPtr packet = encoder.Receive()) log.PacketOut(packet->pts, 0, packet->size);
  }
  return log;
}

bool Opens(const EncodeSettings& settings) {
  try {
    const Encoder encoder(ConfigFor(settings));
    return true;
  } catch (const Error&) {
    return false;
  }
}

// Whether a few frames come through, with B-frames if those are asked for.
bool Encodes(const EncodeSettings& settings) {
  try {
    const PacketLog log = EncodeFew(settings, nullptr);
    return log.packets() == kProbeFrames && (settings.b_frames.value_or(0) == 0 || log.longest_b_run() > 0);
  } catch (const Error&) {
    return false;
  }
}

}  // namespace

ProbeOutcome RunProbe(const ProbeTask& task) {
  ProbeOutcome outcome;
  try {
    const int packets = EncodeFew(task.settings, &outcome.device_name).packets();
    outcome.works = packets == kProbeFrames;
    outcome.bus_address = BusAddressOf(task.settings);
    if (!outcome.works)
      outcome.reason = fmt::format("{} frames went in but {} packets came out", kProbeFrames, packets);
  } catch (const Error& error) {
    outcome.reason = Reason(FindFamily(task.settings.encoder), error.what());
  }
  return outcome;
}

LimitsOutcome RunLimits(const ProbeTask& task) {
  LimitsOutcome outcome;
  const EncoderFamily& family = FindFamily(task.settings.encoder);
  EncodeSettings settings = task.settings;
  settings.b_frames = 2;
  outcome.b_frames = family.features.contains(Feature::kBFrames) && Encodes(settings);
  settings = task.settings;
  settings.bit_depth = 10;
  outcome.ten_bit = Encodes(settings);
  outcome.largest = family.largest;
  if (family.device == DeviceKind::kCpu) return outcome;

  settings = task.settings;
  outcome.largest = task.settings.size;
  for (const FrameSize size : kUsualSizes) {
    settings.size = size;
    if (!Opens(settings)) continue;
    outcome.largest = size;
    break;
  }
  std::vector<std::unique_ptr<Encoder>> open;
  try {
    while (open.size() < kMostAtOnce) open.push_back(std::make_unique<Encoder>(ConfigFor(task.settings)));
  } catch (const Error&) {
    // One too many: that is what was asked.
  }
  outcome.at_once = static_cast<int>(open.size());
  outcome.more_at_once = open.size() == kMostAtOnce;
  return outcome;
}

}  // namespace kettle
