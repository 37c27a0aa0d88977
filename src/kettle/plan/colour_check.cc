// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/colour_check.h"

#include <nlohmann/json.hpp>

#include "kettle/footage/y4m.h"
#include "kettle/media/reader.h"
#include "kettle/media/scaler.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

std::string Text(const char* name) { return name ? name : "unknown"; }

ColourStage StageOf(const std::string& stage, const AVFrame& picture) {
  return {stage,
          Text(av_get_pix_fmt_name(static_cast<AVPixelFormat>(picture.format))),
          Text(av_color_space_name(picture.colorspace)),
          Text(av_color_primaries_name(picture.color_primaries)),
          Text(av_color_transfer_name(picture.color_trc)),
          Text(av_color_range_name(picture.color_range))};
}

FramePtr FirstPicture(const std::filesystem::path& file) {
  auto picture = MediaReader(file).Next();
  if (!picture) FailInput("{}: no picture in it", file.string());
  return std::move(picture->frame);
}

double ConversionCores(const AVFrame& picture, FrameRate rate, const Clock& clock) {
  const FrameSize size{picture.width, picture.height};
  const FramePtr captured = Scaler(size, AV_PIX_FMT_BGRA).Scale(picture);
  Scaler to_encoder(size);
  std::vector<double> seconds;
  for (int i = 0; i < 12; ++i) {
    const std::int64_t start = clock.now_ns();
    to_encoder.Scale(*captured);
    seconds.push_back(static_cast<double>(clock.now_ns() - start) * 1e-9);
  }
  return *Median(seconds) * rate.fps();
}

}  // namespace

bool ColourStage::SaysTheSame(const ColourStage& other) const {
  return pixel_format == other.pixel_format && matrix == other.matrix && primaries == other.primaries &&
         transfer == other.transfer && range == other.range;
}

ColourCheck CheckColour(const std::filesystem::path& source, const std::filesystem::path& stream,
                        const std::filesystem::path& recording, FrameRate rate, const Clock& clock) {
  const FramePtr picture = Y4mFile(source).Frame(0);
  ColourCheck check;
  check.stages = {StageOf("source", *picture)};
  const ColourCoding is = CodingOf(*picture);
  ColourCoding taken_for{ColourCoding::Matrix::kBt601, false};
  for (const auto& [stage, file] : {std::pair{"stream", stream}, {"recording", recording}}) {
    const FramePtr coded = FirstPicture(file);
    check.stages.push_back(StageOf(stage, *coded));
    if (check.stages.back().SaysTheSame(check.stages.front())) continue;
    check.strays.emplace_back(stage);
    taken_for = CodingOf(*coded);
  }
  check.error = ErrorIfTakenFor(ViewOf(*picture), is, taken_for);
  check.conversion_cores = ConversionCores(*picture, rate, clock);
  return check;
}

KETTLE_JSON(ColourError, mean, most)
KETTLE_JSON(ColourStage, stage, pixel_format, matrix, primaries, transfer, range)

void to_json(nlohmann::json& json, const ColourCheck& check) {
  json = {{"stages", check.stages},
          {"strays", check.strays},
          {"error_grey_levels", check.error},
          {"conversion_cores", check.conversion_cores}};
}

void from_json(const nlohmann::json& json, ColourCheck& check) {
  json.at("stages").get_to(check.stages);
  json.at("strays").get_to(check.strays);
  json.at("error_grey_levels").get_to(check.error);
  json.at("conversion_cores").get_to(check.conversion_cores);
}

}  // namespace kettle
