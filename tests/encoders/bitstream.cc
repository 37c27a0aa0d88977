// SPDX-License-Identifier: Apache-2.0
#include "encoders/bitstream.h"

extern "C" {
#include <libavcodec/bsf.h>
}

#include <algorithm>
#include <cstdlib>

#include "kettle/media/scaler.h"
#include "support.h"

namespace kettle::test {

namespace {

std::map<std::string, std::vector<long long>>* traced = nullptr;

// Lines of the filter: "12          pic_width_in_luma_samples      000 ... = 192".
void TakeLine(void*, int, const char* format, va_list arguments) {
  char text[2048];
  std::vsnprintf(text, sizeof text, format, arguments);
  const std::string line = text;
  const auto equals = line.rfind(" = ");
  if (!traced || equals == line.npos || line.empty() || !std::isdigit(static_cast<unsigned char>(line[0]))) return;
  const auto from = line.find_first_not_of(" ", line.find(' '));
  std::string name = line.substr(from, line.find(' ', from) - from);
  if (const auto bracket = name.find('['); bracket != name.npos) name.erase(bracket);
  (*traced)[name].push_back(std::atoll(line.c_str() + equals + 3));
}

void Trace(const Encoder& encoder, const std::vector<PacketPtr>& packets, Stream& stream) {
  AVBSFContext* filter = nullptr;
  ASSERT_EQ(av_bsf_alloc(av_bsf_get_by_name("trace_headers"), &filter), 0);
  avcodec_parameters_from_context(filter->par_in, &encoder.context());
  traced = &stream.elements;
  av_log_set_callback(TakeLine);
  av_bsf_init(filter);  // reads the parameter sets of the header
  for (const PacketPtr& packet : packets) {
    AVPacket* copy = av_packet_clone(packet.get());
    av_bsf_send_packet(filter, copy);
    while (av_bsf_receive_packet(filter, copy) == 0) av_packet_unref(copy);
    av_packet_free(&copy);
  }
  av_log_set_callback(av_log_default_callback);
  traced = nullptr;
  av_bsf_free(&filter);
}

FramePtr Moving(FrameSize size, int index) {
  FramePtr picture = NewPicture(size);
  for (int plane = 0; plane < 3; ++plane)
    for (int y = 0; y < size.height >> (plane > 0); ++y)
      for (int x = 0; x < size.width >> (plane > 0); ++x)
        picture->data[plane][y * picture->linesize[plane] + x] = static_cast<std::uint8_t>(
            plane == 0 ? 16 + ((x - index) * 3 + y * 5 + x * y / 16) % 200 : 118 + (x + index) % 20);
  return picture;
}

}  // namespace

bool Stream::Has(const std::string& element, long long value) const {
  const auto found = elements.find(element);
  return found != elements.end() && std::count(found->second.begin(), found->second.end(), value) > 0;
}

long long Stream::First(const std::string& element) const {
  const auto found = elements.find(element);
  return found == elements.end() ? -1 : found->second.front();
}

std::string Stream::text() const {
  std::string all = header;
  for (const Packet& packet : packets) all += packet.bytes;
  return all;
}

int Stream::longest_b_run() const {
  std::int64_t latest = -1;
  int run = 0, longest = 0;
  for (const Packet& packet : packets) {
    run = packet.pts < latest ? run + 1 : 0;
    latest = std::max(latest, packet.pts);
    longest = std::max(longest, run);
  }
  return longest;
}

std::vector<int> Stream::keyframes() const {
  std::vector<int> places;
  for (std::size_t i = 0; i < packets.size(); ++i)
    if (packets[i].keyframe) places.push_back(static_cast<int>(i));
  return places;
}

bool HasEncoder(const std::string& library_name) { return avcodec_find_encoder_by_name(library_name.c_str()); }

Stream EncodeStream(const EncodeSettings& settings, int frames) { return EncodeStream(ConfigFor(settings), frames); }

Stream EncodeStream(const EncoderConfig& config, int frames) {
  Encoder encoder(config);
  Scaler scaler(config.size, config.pixel_format);
  Stream stream;
  std::vector<PacketPtr> packets;
  for (int i = 0; i <= frames; ++i) {
    FramePtr picture = i < frames ? scaler.Scale(*Moving(config.size, i)) : nullptr;
    if (picture) picture->pts = i;
    encoder.Send(picture.get());
    while (PacketPtr packet = encoder.Receive()) {
      stream.packets.push_back(
          {packet->pts, (packet->flags & AV_PKT_FLAG_KEY) != 0, std::min(i + 1, frames),
           std::string(reinterpret_cast<const char*>(packet->data), static_cast<std::size_t>(packet->size))});
      packets.push_back(std::move(packet));
    }
  }
  stream.header.assign(reinterpret_cast<const char*>(encoder.context().extradata),
                       static_cast<std::size_t>(encoder.context().extradata_size));
  Trace(encoder, packets, stream);
  return stream;
}

}  // namespace kettle::test
