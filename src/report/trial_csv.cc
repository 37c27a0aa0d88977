// SPDX-License-Identifier: Apache-2.0
#include "report/trial_csv.h"

#include <fmt/format.h>

#include <functional>

namespace kettle {

namespace {

struct Column {
  const char* name;
  std::function<std::string(const Trial&)> value;
  bool needs_result = true;  // empty for a trial that is not done
};

std::string Figure(double value, int digits) { return fmt::format("{:.{}f}", value, digits); }

std::string QuotedText(const std::string& text) {
  std::string quoted = "\"";
  for (const char c : text) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + "\"";
}

std::function<std::string(const Trial&)> OfQuality(double Quality::*field, int digits) {
  return [=](const Trial& t) { return t.quality ? Figure((*t.quality).*field, digits) : ""; };
}

const std::vector<Column>& Columns() {
  static const std::vector<Column> columns = {
      {"trial", [](const Trial& t) { return t.id(); }, false},
      {"encoder", [](const Trial& t) { return t.settings.encoder; }, false},
      {"preset", [](const Trial& t) { return t.settings.preset; }, false},
      {"device", [](const Trial& t) { return t.device; }, false},
      {"device_index", [](const Trial& t) { return fmt::format("{}", t.settings.device); }, false},
      {"simulated", [](const Trial& t) { return std::string(t.simulated ? "true" : "false"); }, false},
      {"footage", [](const Trial& t) { return QuotedText(t.footage); }, false},
      {"size", [](const Trial& t) { return t.settings.size.str(); }, false},
      {"frame_rate", [](const Trial& t) { return t.settings.frame_rate.str(); }, false},
      {"rate_control", [](const Trial& t) { return std::string(Name(t.settings.rate_control)); }, false},
      {"bit_rate_kbps", [](const Trial& t) { return Figure(t.settings.bit_rate.kbps(), 0); }, false},
      {"maximum_bit_rate_kbps", [](const Trial& t) { return Figure(t.settings.maximum_bit_rate.kbps(), 0); }, false},
      {"asked", [](const Trial& t) { return QuotedText(Extras(t.settings)); }, false},
      {"status", [](const Trial& t) { return std::string(Name(t.status)); }, false},
      {"detail", [](const Trial& t) { return QuotedText(t.detail); }, false},
      {"frames", [](const Trial& t) { return fmt::format("{}", t.frames); }},
      {"truncated", [](const Trial& t) { return std::string(t.truncated ? "true" : "false"); }},
      {"throughput_fps", [](const Trial& t) { return Figure(t.throughput_fps, 2); }},
      {"repeats", [](const Trial& t) { return fmt::format("{}", t.repeats.size()); }},
      {"interval", [](const Trial& t) { return t.interval ? Figure(*t.interval, 4) : ""; }},
      {"marks", [](const Trial& t) { return QuotedText(fmt::format("{}", fmt::join(t.marks(), "; "))); }},
      {"headroom", [](const Trial& t) { return Figure(t.headroom, 4); }},
      {"cpu_cores", [](const Trial& t) { return Figure(t.cpu_cores, 3); }},
      {"feeding_cores", [](const Trial& t) { return Figure(t.feeding_cores, 3); }},
      {"stand_in_cores", [](const Trial& t) { return Figure(t.stand_in_cores, 3); }},
      {"other_cores", [](const Trial& t) { return Figure(t.other_cores, 3); }},
      {"stolen_cores", [](const Trial& t) { return Figure(t.stolen_cores, 3); }},
      {"latency_p50_ms", [](const Trial& t) { return Figure(t.latency.p50_ms, 2); }},
      {"latency_p99_ms", [](const Trial& t) { return Figure(t.latency.p99_ms, 2); }},
      {"latency_max_ms", [](const Trial& t) { return Figure(t.latency.max_ms, 2); }},
      {"mean_kbps", [](const Trial& t) { return Figure(t.mean_kbps, 1); }},
      {"peak_second_kbps", [](const Trial& t) { return Figure(t.peak_second_kbps, 1); }},
      {"peak_memory_bytes", [](const Trial& t) { return fmt::format("{}", t.peak_memory_bytes); }},
      {"b_frames", [](const Trial& t) { return fmt::format("{}", t.b_frames); }},
      {"psnr_y_db", OfQuality(&Quality::psnr_y_db, 3)},
      {"psnr_u_db", OfQuality(&Quality::psnr_u_db, 3)},
      {"psnr_v_db", OfQuality(&Quality::psnr_v_db, 3)},
      {"ssim_y", OfQuality(&Quality::ssim_y, 5)},
      {"ms_ssim_y", OfQuality(&Quality::ms_ssim_y, 5)},
      {"blockiness", OfQuality(&Quality::blockiness, 3)},
      {"p5_psnr_y_db", OfQuality(&Quality::p5_psnr_y_db, 3)},
      {"p5_ms_ssim_y", OfQuality(&Quality::p5_ms_ssim_y, 5)},
      {"worst_second_psnr_y_db", OfQuality(&Quality::worst_second_psnr_y_db, 3)},
      {"worst_second_ssim_y", OfQuality(&Quality::worst_second_ssim_y, 5)},
      {"worst_second_ms_ssim_y", OfQuality(&Quality::worst_second_ms_ssim_y, 5)},
      {"worst_second_blockiness", OfQuality(&Quality::worst_second_blockiness, 3)}};
  return columns;
}

}  // namespace

std::string TrialCsv(const std::vector<Trial>& trials) {
  std::string csv;
  for (const Column& column : Columns()) csv += (csv.empty() ? "" : ",") + std::string(column.name);
  csv += '\n';
  for (const Trial& trial : trials) {
    std::string row;
    for (const Column& column : Columns()) {
      if (&column != &Columns().front()) row += ',';
      if (!column.needs_result || trial.done()) row += column.value(trial);
    }
    csv += row + '\n';
  }
  return csv;
}

}  // namespace kettle
