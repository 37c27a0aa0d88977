// SPDX-License-Identifier: Apache-2.0
#include "report/quality_csv.h"

#include <fmt/format.h>

#include <fstream>

#include "kettle/store/file.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace {

constexpr const char* kHeader =
    "trial,footage,encoder,preset,size,frame_rate,bit_rate_kbps,frame,psnr_y_db,psnr_u_db,psnr_v_db,ssim_y,ms_ssim_y,"
    "blockiness";

// `frame` counts the source's, from 0.
std::string Rows(const Trial& trial) {
  const EncodeSettings& s = trial.settings;
  std::string label = trial.footage;
  for (std::size_t at = 0; (at = label.find('"', at)) != label.npos; at += 2) label.insert(at, 1, '"');
  const std::string start = fmt::format("{},\"{}\",{},{},{},{},{:.0f}", trial.id(), label, s.encoder, s.preset,
                                        s.size.str(), s.frame_rate.str(), s.bit_rate.kbps());
  std::string rows;
  for (std::size_t i = 0; i < trial.picture_metrics.size(); ++i) {
    const PictureMetrics& m = trial.picture_metrics[i];
    rows += fmt::format("{},{},{:.3f},{:.3f},{:.3f},{:.5f},{:.5f},{:.3f}\n", start, i, PsnrDb(m.mse_y), PsnrDb(m.mse_u),
                        PsnrDb(m.mse_v), m.ssim_y, m.ms_ssim_y, m.blockiness);
  }
  return rows;
}

}  // namespace

QualityCsv::QualityCsv(std::filesystem::path file) : file_(std::move(file)) {
  std::ifstream stream(file_);
  std::string line;
  if (!std::getline(stream, line) || line != kHeader) return;
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
  std::string text = std::string(kHeader) + '\n';
  for (const auto& [id, lines] : rows_) text += lines;
  WriteFile(file_, text);
}

}  // namespace kettle
