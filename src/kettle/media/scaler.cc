// SPDX-License-Identifier: Apache-2.0
#include "kettle/media/scaler.h"

extern "C" {
#include <libavutil/cpu.h>
}

#include <algorithm>
#include <cmath>

#include "kettle/units/error.h"

namespace kettle {

namespace {

struct FilterName {
  ScaleFilter filter;
  const char* name;
  int sws_flags;
};
constexpr FilterName kFilters[] = {{ScaleFilter::kBilinear, "bilinear", SWS_BILINEAR},
                                   {ScaleFilter::kBicubic, "bicubic", SWS_BICUBIC},
                                   {ScaleFilter::kLanczos, "lanczos", SWS_LANCZOS}};

}  // namespace

// libswscale's AVX2 code for rows gathers single bytes, which many processors do slowly: measured, its SSSE3 code,
// which writes the same bytes, took 0.4 of the time (docs/numbers.md). The library's own flag for this leaves out most
// of them.
void AvoidGathers() {
#if defined(__x86_64__)
  static const bool once = [] {
    av_force_cpu_flags(av_get_cpu_flags() | AV_CPU_FLAG_SLOW_GATHER);
    return true;
  }();
  static_cast<void>(once);
#endif
}

const char* Name(ScaleFilter filter) { return kFilters[static_cast<int>(filter)].name; }

ScaleFilter ParseScaleFilter(const std::string& text) {
  for (const FilterName& known : kFilters)
    if (text == known.name) return known.filter;
  FailInput("there is no scaler \"{}\"; known are bilinear, bicubic and lanczos", text);
}

FramePtr Scaler::Scale(const AVFrame& picture) {
  FramePtr result;
  if (picture.width == to_.width && picture.height == to_.height && picture.format == format_) {
    result.reset(av_frame_clone(&picture));
    if (!result) FailMachine("out of memory");
    return result;
  }
  AvoidGathers();
  context_.reset(sws_getCachedContext(context_.release(), picture.width, picture.height,
                                      static_cast<AVPixelFormat>(picture.format), to_.width, to_.height, format_,
                                      kFilters[static_cast<int>(filter_)].sws_flags, nullptr, nullptr, nullptr));
  if (!context_) FailMachine("cannot scale from {}x{} to {}", picture.width, picture.height, to_.str());
  result = NewPicture(to_, format_);
  CheckLibav(av_frame_copy_props(result.get(), &picture), "scaling");
  CheckLibav(
      sws_scale(context_.get(), picture.data, picture.linesize, 0, picture.height, result->data, result->linesize),
      "scaling");
  return result;
}

namespace {

int Even(double value) { return std::max(2, static_cast<int>(std::lround(value / 2)) * 2); }

int SwsColour(const AVFrame& picture) {
  // Unmarked pictures: BT.601 below 720 lines, BT.709 from there on, as players assume.
  if (picture.colorspace == AVCOL_SPC_BT470BG || picture.colorspace == AVCOL_SPC_SMPTE170M) return SWS_CS_ITU601;
  if (picture.colorspace == AVCOL_SPC_BT2020_NCL) return SWS_CS_BT2020;
  if (picture.colorspace == AVCOL_SPC_UNSPECIFIED && picture.height < 720) return SWS_CS_ITU601;
  return SWS_CS_ITU709;
}

bool FullRange(const AVFrame& picture) {
  return picture.color_range == AVCOL_RANGE_JPEG || picture.format == AV_PIX_FMT_YUVJ420P ||
         picture.format == AV_PIX_FMT_YUVJ422P || picture.format == AV_PIX_FMT_YUVJ444P;
}

// The ranges must be known before the context is made: afterwards it may have chosen a plain copy.
SwsContextPtr Converter(const AVFrame& picture, FrameSize to) {
  AvoidGathers();
  SwsContextPtr context(sws_alloc_context());
  if (!context) FailMachine("out of memory");
  const std::pair<const char*, int> options[] = {{"srcw", picture.width},
                                                 {"srch", picture.height},
                                                 {"src_format", picture.format},
                                                 {"src_range", FullRange(picture)},
                                                 {"dstw", to.width},
                                                 {"dsth", to.height},
                                                 {"dst_format", AV_PIX_FMT_YUV420P},
                                                 {"dst_range", 0},
                                                 {"sws_flags", SWS_BICUBIC | SWS_ACCURATE_RND}};
  for (const auto& [name, value] : options) av_opt_set_int(context.get(), name, value, 0);
  if (sws_init_context(context.get(), nullptr, nullptr) < 0)
    FailMachine("cannot convert a picture of {}x{} to {}", picture.width, picture.height, to.str());
  sws_setColorspaceDetails(context.get(), sws_getCoefficients(SwsColour(picture)), FullRange(picture),
                           sws_getCoefficients(SWS_CS_ITU709), 0, 0, 1 << 16, 1 << 16);
  return context;
}

}  // namespace

namespace {

// The field that comes first in time, as a picture of half the lines; refers to `picture`.
FramePtr FirstField(const AVFrame& picture) {
  FramePtr field(av_frame_clone(&picture));
  if (!field) FailMachine("out of memory");
  for (int plane = 0; plane < AV_NUM_DATA_POINTERS && field->data[plane]; ++plane) {
    if (!IsTopFieldFirst(picture)) field->data[plane] += field->linesize[plane];
    field->linesize[plane] *= 2;
  }
  field->height /= 2;
  const AVRational shape = picture.sample_aspect_ratio.num > 0 ? picture.sample_aspect_ratio : AVRational{1, 1};
  field->sample_aspect_ratio = av_mul_q(shape, {1, 2});
  SetInterlaced(*field, false, false);
  return field;
}

}  // namespace

FramePtr FitPicture(const AVFrame& picture, FrameSize to) {
  if (IsInterlaced(picture) && picture.height >= 4) return FitPicture(*FirstField(picture), to);
  double aspect = static_cast<double>(picture.width) / picture.height;
  if (picture.sample_aspect_ratio.num > 0 && picture.sample_aspect_ratio.den > 0)
    aspect *= av_q2d(picture.sample_aspect_ratio);
  const double target = static_cast<double>(to.width) / to.height;
  const int width = aspect >= target ? to.width : std::min(to.width, Even(to.height * aspect));
  const int height = aspect >= target ? std::min(to.height, Even(to.width / aspect)) : to.height;
  const int left = (to.width - width) / 4 * 2, top = (to.height - height) / 4 * 2;

  FramePtr result = NewPicture(to);
  const std::ptrdiff_t strides[4] = {result->linesize[0], result->linesize[1], result->linesize[2], 0};
  av_image_fill_black(result->data, strides, AV_PIX_FMT_YUV420P, AVCOL_RANGE_MPEG, to.width, to.height);

  const SwsContextPtr context = Converter(picture, {width, height});
  std::uint8_t* planes[4] = {result->data[0] + static_cast<std::ptrdiff_t>(top) * result->linesize[0] + left,
                             result->data[1] + static_cast<std::ptrdiff_t>(top / 2) * result->linesize[1] + left / 2,
                             result->data[2] + static_cast<std::ptrdiff_t>(top / 2) * result->linesize[2] + left / 2,
                             nullptr};
  CheckLibav(sws_scale(context.get(), picture.data, picture.linesize, 0, picture.height, planes, result->linesize),
             "scaling");
  return result;
}

}  // namespace kettle
