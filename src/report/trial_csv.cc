// SPDX-License-Identifier: Apache-2.0
#include "report/trial_csv.h"

#include <fmt/format.h>

#include <functional>
#include <utility>

#include "kettle/units/csv.h"
#include "report/sentence.h"

namespace kettle {

namespace {

using Column = CsvColumn<Trial>;

// Empty for a trial that is not done.
Column OfResult(const char* name, std::function<std::string(const Trial&)> cell) {
  return {name, [cell = std::move(cell)](const Trial& t) { return t.done() ? cell(t) : std::string(); }};
}

Column Figure(const char* name, double Trial::*field, int digits) {
  return OfResult(name, [=](const Trial& t) { return CsvNumber(t.*field, digits); });
}

Column OfQuality(const char* name, double Quality::*field, int digits) {
  return OfResult(name, [=](const Trial& t) { return t.quality ? CsvNumber((*t.quality).*field, digits) : ""; });
}

Column OfScore(const char* name, double (*score)(const Quality&)) {
  return OfResult(name, [=](const Trial& t) { return t.quality ? CsvNumber(score(*t.quality), 2) : ""; });
}

const std::vector<Column>& Columns() {
  static const std::vector<Column> columns = {
      {"trial", [](const Trial& t) { return t.id(); }},
      {"encoder", [](const Trial& t) { return t.settings.encoder; }},
      {"preset", [](const Trial& t) { return t.settings.preset; }},
      {"device", [](const Trial& t) { return t.device; }},
      {"device_index", [](const Trial& t) { return std::to_string(t.settings.device); }},
      {"simulated", [](const Trial& t) { return std::string(t.simulated ? "true" : "false"); }},
      {"footage", [](const Trial& t) { return CsvText(t.footage); }},
      {"size", [](const Trial& t) { return t.settings.size.str(); }},
      {"frame_rate", [](const Trial& t) { return t.settings.frame_rate.str(); }},
      {"rate_control", [](const Trial& t) { return std::string(Name(t.settings.rate_control)); }},
      {"bit_rate_kbps", [](const Trial& t) { return CsvNumber(t.settings.bit_rate.kbps(), 0); }},
      {"maximum_bit_rate_kbps", [](const Trial& t) { return CsvNumber(t.settings.maximum_bit_rate.kbps(), 0); }},
      {"asked", [](const Trial& t) { return CsvText(Extras(t.settings)); }},
      {"status", [](const Trial& t) { return std::string(Name(t.status)); }},
      {"detail", [](const Trial& t) { return CsvText(t.detail); }},
      OfResult("frames", [](const Trial& t) { return std::to_string(t.frames); }),
      OfResult("truncated", [](const Trial& t) { return std::string(t.truncated ? "true" : "false"); }),
      Figure("throughput_fps", &Trial::throughput_fps, 2),
      OfResult("repeats", [](const Trial& t) { return std::to_string(t.repeats.size()); }),
      OfResult("interval", [](const Trial& t) { return t.interval ? CsvNumber(*t.interval, 4) : ""; }),
      OfResult("marks", [](const Trial& t) { return CsvText(Sentence(t.marks())); }),
      Figure("headroom", &Trial::headroom, 4),
      Figure("cpu_cores", &Trial::cpu_cores, 3),
      Figure("feeding_cores", &Trial::feeding_cores, 3),
      Figure("stand_in_cores", &Trial::stand_in_cores, 3),
      Figure("other_cores", &Trial::other_cores, 3),
      Figure("stolen_cores", &Trial::stolen_cores, 3),
      OfResult("latency_p50_ms", [](const Trial& t) { return CsvNumber(t.latency.p50_ms, 2); }),
      OfResult("latency_p99_ms", [](const Trial& t) { return CsvNumber(t.latency.p99_ms, 2); }),
      OfResult("latency_max_ms", [](const Trial& t) { return CsvNumber(t.latency.max_ms, 2); }),
      Figure("mean_kbps", &Trial::mean_kbps, 1),
      Figure("peak_second_kbps", &Trial::peak_second_kbps, 1),
      OfResult("peak_memory_bytes", [](const Trial& t) { return std::to_string(t.peak_memory_bytes); }),
      OfResult("b_frames", [](const Trial& t) { return std::to_string(t.b_frames); }),
      OfScore("score", [](const Quality& q) { return q.score(); }),
      OfScore("worst_second_score", [](const Quality& q) { return q.worst_second_score(); }),
      OfQuality("picture_score", &Quality::picture_score, 2),
      OfQuality("picture_score_interval", &Quality::picture_score_interval, 2),
      OfQuality("frame_rate_share", &Quality::frame_rate_share, 4),
      OfQuality("psnr_y_db", &Quality::psnr_y_db, 3),
      OfQuality("psnr_u_db", &Quality::psnr_u_db, 3),
      OfQuality("psnr_v_db", &Quality::psnr_v_db, 3),
      OfQuality("ssim_y", &Quality::ssim_y, 5),
      OfQuality("ms_ssim_y", &Quality::ms_ssim_y, 5),
      OfQuality("blockiness", &Quality::blockiness, 3),
      OfQuality("p5_psnr_y_db", &Quality::p5_psnr_y_db, 3),
      OfQuality("worst_second_psnr_y_db", &Quality::worst_second_psnr_y_db, 3),
      OfQuality("worst_second_ssim_y", &Quality::worst_second_ssim_y, 5),
      OfQuality("worst_second_ms_ssim_y", &Quality::worst_second_ms_ssim_y, 5),
      OfQuality("worst_second_blockiness", &Quality::worst_second_blockiness, 3)};
  return columns;
}

}  // namespace

std::string TrialCsv(const std::vector<Trial>& trials) { return Csv(Columns(), trials); }

}  // namespace kettle
