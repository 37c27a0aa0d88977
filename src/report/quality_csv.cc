// SPDX-License-Identifier: Apache-2.0
#include "report/quality_csv.h"

#include <fstream>

#include "kettle/store/file.h"
#include "kettle/units/csv.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace {

struct Frame {
  const Trial& trial;
  std::size_t index;  // of the encode, from 0

  const PictureMetrics& metrics() const { return trial.picture_metrics[index]; }
};

CsvColumn<Frame> OfTrial(const char* name, std::string (*cell)(const Trial&)) {
  return {name, [=](const Frame& frame) { return cell(frame.trial); }};
}
CsvColumn<Frame> Decibels(const char* name, double PictureMetrics::*mse) {
  return {name, [=](const Frame& frame) { return CsvNumber(PsnrDb(frame.metrics().*mse), 3); }};
}
CsvColumn<Frame> Metric(const char* name, double PictureMetrics::*field, int digits) {
  return {name, [=](const Frame& frame) { return CsvNumber(frame.metrics().*field, digits); }};
}

// Empty for a picture that was not scored.
CsvColumn<Frame> OfScored(const char* name, std::optional<double> PictureMetrics::*field, int digits) {
  return {name, [=](const Frame& frame) {
            const std::optional<double>& value = frame.metrics().*field;
            return value ? CsvNumber(*value, digits) : std::string();
          }};
}

const std::vector<CsvColumn<Frame>>& FrameColumns() {
  static const std::vector<CsvColumn<Frame>> columns = {
      OfTrial("trial", [](const Trial& t) { return t.id(); }),
      OfTrial("footage", [](const Trial& t) { return CsvText(t.footage); }),
      OfTrial("encoder", [](const Trial& t) { return t.settings.encoder; }),
      OfTrial("preset", [](const Trial& t) { return t.settings.preset; }),
      OfTrial("size", [](const Trial& t) { return t.settings.size.str(); }),
      OfTrial("frame_rate", [](const Trial& t) { return t.settings.frame_rate.str(); }),
      OfTrial("bit_rate_kbps", [](const Trial& t) { return CsvNumber(t.settings.bit_rate.kbps(), 0); }),
      {"frame", [](const Frame& frame) { return std::to_string(frame.index); }},
      Decibels("psnr_y_db", &PictureMetrics::mse_y),
      Decibels("psnr_u_db", &PictureMetrics::mse_u),
      Decibels("psnr_v_db", &PictureMetrics::mse_v),
      Metric("ssim_y", &PictureMetrics::ssim_y, 5),
      OfScored("ms_ssim_y", &PictureMetrics::ms_ssim_y, 5),
      OfScored("blockiness", &PictureMetrics::blockiness, 3),
      OfScored("score", &PictureMetrics::score, 2)};
  return columns;
}

std::string Rows(const Trial& trial) {
  std::string rows;
  for (std::size_t i = 0; i < trial.picture_metrics.size(); ++i) rows += CsvLine(FrameColumns(), Frame{trial, i});
  return rows;
}

}  // namespace

QualityCsv::QualityCsv(std::filesystem::path file) : file_(std::move(file)) {
  std::ifstream stream(file_);
  std::string line;
  if (!std::getline(stream, line) || line + '\n' != CsvHeader(FrameColumns())) return;
  while (std::getline(stream, line)) rows_[line.substr(0, line.find(','))] += line + '\n';
}

void QualityCsv::Keep(const std::vector<Trial>& trials) {
  std::map<std::string, std::string> rows;
  bool changed = !IsThere(file_);
  for (const Trial& trial : trials) {
    const std::string id = trial.id();
    const auto known = rows_.find(id);
    if (!trial.picture_metrics.empty() && known == rows_.end()) {
      rows[id] = Rows(trial);
      changed = true;
    } else if (known != rows_.end()) {
      rows[id] = known->second;
    }
  }
  changed = changed || rows.size() != rows_.size();
  rows_ = std::move(rows);
  if (!changed) return;
  std::string text = CsvHeader(FrameColumns());
  for (const auto& [id, lines] : rows_) text += lines;
  WriteFile(file_, text);
}

}  // namespace kettle
