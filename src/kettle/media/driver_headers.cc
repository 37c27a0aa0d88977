// SPDX-License-Identifier: Apache-2.0
#include "kettle/media/driver_headers.h"

#include <string>
#include <utility>

#include "kettle/units/error.h"

namespace kettle {

namespace {

// Not yet initialised. Throws Error(kMachine).
BitstreamFilterPtr MakeFilter(const std::string& name, const AVCodecContext& context) {
  const AVBitStreamFilter* known = av_bsf_get_by_name(name.c_str());
  if (!known) FailMachine("the installed libavcodec has no filter \"{}\"", name);
  AVBSFContext* raw = nullptr;
  CheckLibav(av_bsf_alloc(known, &raw), "the parameter sets");
  BitstreamFilterPtr filter(raw);
  CheckLibav(avcodec_parameters_from_context(filter->par_in, &context), "the parameter sets");
  filter->time_base_in = context.time_base;
  return filter;
}

// The three code points are those of ISO/IEC 23091-2, which libavutil's values are too.
void SetColours(AVBSFContext& filter, const AVCodecContext& context) {
  const bool av1 = context.codec_id == AV_CODEC_ID_AV1;
  const auto set = [&](const char* option, int value) { av_opt_set_int(filter.priv_data, option, value, 0); };
  set(av1 ? "color_primaries" : "colour_primaries", context.color_primaries);
  set("transfer_characteristics", context.color_trc);
  set("matrix_coefficients", context.colorspace);
  set(av1 ? "color_range" : "video_full_range_flag", context.color_range == AVCOL_RANGE_JPEG);
}

std::vector<std::uint8_t> Header(const AVCodecParameters& parameters) {
  return {parameters.extradata, parameters.extradata + parameters.extradata_size};
}

}  // namespace

std::vector<std::uint8_t> ParameterSets(const AVCodecContext& context, const AVPacket& packet) {
  const BitstreamFilterPtr filter = MakeFilter("extract_extradata", context);
  CheckLibav(av_bsf_init(filter.get()), "the parameter sets");
  const PacketPtr copy(av_packet_clone(&packet));
  CheckLibav(av_bsf_send_packet(filter.get(), copy.get()), "the parameter sets");
  CheckLibav(av_bsf_receive_packet(filter.get(), copy.get()), "the parameter sets");
  std::size_t bytes = 0;
  const std::uint8_t* data = av_packet_get_side_data(copy.get(), AV_PKT_DATA_NEW_EXTRADATA, &bytes);
  if (!data) FailMachine("the driver gave no parameter sets");
  return {data, data + bytes};
}

ColourTag::ColourTag(const AVCodecContext& context, std::vector<std::uint8_t> header) : header_(std::move(header)) {
  const std::string name = avcodec_get_name(context.codec_id) + std::string("_metadata");
  if (!av_bsf_get_by_name(name.c_str())) return;
  const LibavLog quiet;
  BitstreamFilterPtr filter = MakeFilter(name, context);
  SetColours(*filter, context);
  SetExtradata(*filter->par_in, header_.data(), header_.size());
  if (av_bsf_init(filter.get()) < 0 || filter->par_out->extradata_size == 0) return;
  header_ = Header(*filter->par_out);
  filter_ = std::move(filter);
}

void ColourTag::Apply(AVPacket& keyframe) {
  if (!filter_) return;
  const LibavLog quiet;
  const PacketPtr tagged(av_packet_clone(&keyframe));
  if (!tagged || av_bsf_send_packet(filter_.get(), tagged.get()) < 0 ||
      av_bsf_receive_packet(filter_.get(), tagged.get()) < 0)
    return;
  av_packet_unref(&keyframe);
  av_packet_move_ref(&keyframe, tagged.get());
}

}  // namespace kettle
