// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/strip.h"

#include <algorithm>
#include <cstdlib>
#include <nlohmann/json.hpp>

#include "kettle/footage/y4m.h"
#include "kettle/quality/picture_metrics.h"
#include "kettle/store/file.h"
#include "kettle/task/shown.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

constexpr FrameSize kCell{400, 224};
constexpr int kEnlarged = 3;  // times

// One moment: the source and the encodes at the viewing size.
struct Moment {
  int frame = 0;
  std::vector<SharedFrame> pictures;
};

double ErrorOf(const Moment& moment, std::size_t encode) {
  return MeanSquaredError(LumaOf(*moment.pictures[0]), LumaOf(*moment.pictures[1 + encode]));
}

struct Crop {
  int left = 0, top = 0;
  FrameSize size;
};

// Where two pictures differ most, in squares of 8 samples.
Crop MostDifferent(const AVFrame& a, const AVFrame& b, FrameSize size) {
  constexpr int kStep = 8;
  Crop best{0, 0, size};
  std::int64_t most = -1;
  for (int top = 0; top + size.height <= a.height; top += kStep)
    for (int left = 0; left + size.width <= a.width; left += kStep) {
      std::int64_t difference = 0;
      for (int y = top; y < top + size.height; y += 2)
        for (int x = left; x < left + size.width; x += 2)
          difference += std::abs(a.data[0][y * a.linesize[0] + x] - b.data[0][y * b.linesize[0] + x]);
      if (difference > most) {
        most = difference;
        best.left = left;
        best.top = top;
      }
    }
  return best;
}

// Writes a part of a picture as RGB in `size`; enlarged parts keep their samples as squares.
StripCell WriteCell(const AVFrame& picture, const Crop& crop, FrameSize size, const std::string& file) {
  const bool enlarged = size.width > crop.size.width;
  SwsContextPtr context(sws_getContext(crop.size.width, crop.size.height, AV_PIX_FMT_YUV420P, size.width, size.height,
                                       AV_PIX_FMT_RGB24, enlarged ? SWS_POINT : SWS_BICUBIC, nullptr, nullptr,
                                       nullptr));
  if (!context) FailMachine("cannot draw a picture of {}", crop.size.str());
  sws_setColorspaceDetails(context.get(), sws_getCoefficients(SWS_CS_ITU709), 0, sws_getCoefficients(SWS_CS_ITU709), 1,
                           0, 1 << 16, 1 << 16);
  const std::uint8_t* planes[3] = {picture.data[0] + crop.top * picture.linesize[0] + crop.left,
                                   picture.data[1] + crop.top / 2 * picture.linesize[1] + crop.left / 2,
                                   picture.data[2] + crop.top / 2 * picture.linesize[2] + crop.left / 2};
  std::string samples(static_cast<std::size_t>(size.pixels() * 3), '\0');
  auto* to = reinterpret_cast<std::uint8_t*>(samples.data());
  const int stride = size.width * 3;
  CheckLibav(sws_scale(context.get(), planes, picture.linesize, 0, crop.size.height, &to, &stride), "drawing");
  WriteFile(file, samples);
  return {file, size, 0};
}

StripRow WriteRow(const Moment& moment, const Crop& crop, bool enlarged, FrameSize size, const std::string& folder) {
  StripRow row{moment.frame, enlarged, {}};
  for (std::size_t i = 0; i < moment.pictures.size(); ++i) {
    const std::string file = fmt::format("{}/cell-{}-{}-{}.rgb", folder, moment.frame, enlarged ? "crop" : "whole", i);
    row.cells.push_back(WriteCell(*moment.pictures[i], crop, size, file));
    if (i > 0) row.cells.back().psnr_y_db = PsnrDb(ErrorOf(moment, i - 1));
  }
  return row;
}

// Inside the cell, of the same shape as the picture, with even sides.
FrameSize FitCell(FrameSize picture) {
  const double scale =
      std::min(static_cast<double>(kCell.width) / picture.width, static_cast<double>(kCell.height) / picture.height);
  const auto even = [](double side) { return std::max(2, static_cast<int>(side / 2) * 2); };
  return {even(picture.width * scale), even(picture.height * scale)};
}

}  // namespace

StripOutcome RunStrip(const StripTask& task, const std::function<void(double)>& progress) {
  const Y4mFile reference(task.reference);
  Scaler viewed(task.viewing_size);
  std::vector<std::unique_ptr<Shown>> encodes;
  for (std::size_t i = 0; i < task.encoded.size(); ++i)
    encodes.push_back(std::make_unique<Shown>(task.encoded[i], task.encoded_rates.at(i), task.viewing_size));
  std::vector<Moment> moments;
  const int end = std::min(task.first_frame + task.frames, reference.frames());
  for (int frame = task.first_frame; frame < end; ++frame) {
    Moment moment{frame, {Share(viewed.Scale(*reference.Frame(frame)))}};
    for (const auto& encode : encodes) {
      encode->MoveTo(static_cast<double>(reference.rate().due_ns(frame)) * 1e-9);
      moment.pictures.push_back(encode->shown());
    }
    moments.push_back(std::move(moment));
    if (frame % 10 == 0) progress(static_cast<double>(frame - task.first_frame) / task.frames);
  }
  if (moments.empty()) FailMachine("there is no second from frame {} on", task.first_frame);
  const auto worst = std::max_element(moments.begin(), moments.end(),
                                      [](const Moment& a, const Moment& b) { return ErrorOf(a, 0) < ErrorOf(b, 0); });
  // Another moment of the same second, as far away as it gets.
  const Moment& other = worst - moments.begin() < moments.end() - worst ? moments.back() : moments.front();

  const FrameSize whole = task.viewing_size, cell = FitCell(whole);
  const FrameSize cropped{std::min(whole.width, kCell.width / kEnlarged / 2 * 2),
                          std::min(whole.height, kCell.height / kEnlarged / 2 * 2)};
  const Crop crop = MostDifferent(*worst->pictures[1], *worst->pictures.at(task.encoded.size() > 1 ? 2 : 1), cropped);
  const FrameSize large{cropped.width * kEnlarged, cropped.height * kEnlarged};
  StripOutcome outcome{cropped, crop.left, crop.top, {}};
  outcome.rows.push_back(WriteRow(*worst, {0, 0, whole}, false, cell, task.folder));
  outcome.rows.push_back(WriteRow(*worst, crop, true, large, task.folder));
  if (&other != &*worst) outcome.rows.push_back(WriteRow(other, crop, true, large, task.folder));
  return outcome;
}

KETTLE_JSON(StripCell, file, size, psnr_y_db)
KETTLE_JSON(StripRow, frame, enlarged, cells)

void to_json(nlohmann::json& json, const StripTask& t) {
  json = {{"reference", t.reference},
          {"encoded", t.encoded},
          {"encoded_rates", t.encoded_rates},
          {"viewing_size", t.viewing_size},
          {"first_frame", t.first_frame},
          {"frames", t.frames},
          {"folder", t.folder}};
}
void from_json(const nlohmann::json& json, StripTask& t) {
  t = {json.at("reference"),   json.at("encoded"), json.at("encoded_rates"), json.at("viewing_size").get<FrameSize>(),
       json.at("first_frame"), json.at("frames"),  json.at("folder")};
}
void to_json(nlohmann::json& json, const StripOutcome& o) {
  json = {{"crop", o.crop}, {"crop_left", o.crop_left}, {"crop_top", o.crop_top}, {"rows", o.rows}};
}
void from_json(const nlohmann::json& json, StripOutcome& o) {
  o = {json.at("crop").get<FrameSize>(), json.at("crop_left"), json.at("crop_top"),
       json.at("rows").get<std::vector<StripRow>>()};
}

}  // namespace kettle
