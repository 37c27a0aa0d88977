// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/inspect.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "kettle/media/scaler.h"
#include "kettle/units/error.h"
#include "kettle/units/statistics.h"

namespace kettle {

bool HasVariableRate(std::vector<MediaReader::PacketTime> packets) {
  constexpr double kRoundingSeconds = 0.0025;
  std::sort(packets.begin(), packets.end(), [](const auto& a, const auto& b) { return a.seconds < b.seconds; });
  std::vector<double> gaps;
  for (std::size_t i = 1; i < packets.size(); ++i) gaps.push_back(packets[i].seconds - packets[i - 1].seconds);
  const auto low = Quantile(gaps, 0.02), high = Quantile(gaps, 0.98);
  return low && *high - *low > std::max(kRoundingSeconds, 0.1 * *low);
}

std::vector<Message> PictureNotes(const StreamFacts& facts, FrameSize size, bool variable_rate) {
  std::vector<Message> notes;
  if (size.width % 2 || size.height % 2)
    notes.push_back(
        Message{"footage.odd-sides",
                {{"size", size.str()}, {"scaled_to", FrameSize{size.width / 2 * 2, size.height / 2 * 2}.str()}}});
  if (variable_rate) notes.push_back(Message{"footage.variable-rate"});
  if (facts.interlaced) notes.push_back(Message{"footage.interlaced"});
  if (!facts.hdr.empty()) notes.push_back(Message{"footage.hdr", {{"transfer", facts.hdr}}});
  if (facts.bit_depth > 8) notes.push_back(Message{"footage.bit-depth", {{"bits", facts.bit_depth}}});
  if (!facts.chroma.empty() && facts.chroma != "4:2:0")
    notes.push_back(Message{"footage.chroma", {{"chroma", facts.chroma}}});
  return notes;
}

ClipReport InspectWholeClip(const std::filesystem::path& path, const std::function<void(double)>& progress) {
  ClipReport report;
  report.file = path.filename().string();
  MediaReader reader(path);
  report.facts = reader.facts();
  report.size = reader.size();
  report.rate = reader.rate();
  {
    MediaReader packets(path);
    auto times = packets.ReadPackets();
    report.variable_rate = HasVariableRate(times);
    report.seconds = packets.reached_seconds();
    report.frames = static_cast<int>(times.size());
  }
  if (report.rate.numerator <= 0) {
    if (report.frames == 0 || report.seconds <= 0) FailInput("{}: no picture in it can be read", path.string());
    report.rate = {static_cast<int>(std::lround(report.frames / report.seconds)), 1};
  }
  const FrameSize even{report.size.width / 2 * 2, report.size.height / 2 * 2};
  ContentMeter meter(report.rate);
  int decoded = 0;
  while (const auto picture = reader.Next()) {
    report.facts.interlaced = report.facts.interlaced || IsInterlaced(*picture->frame);
    meter.Add(std::shared_ptr<const AVFrame>(FitPicture(*picture->frame, even).release(), LibavDeleter()));
    if (++decoded % 15 == 0) progress(std::min(1.0, static_cast<double>(decoded) / std::max(1, report.frames)));
  }
  if (decoded == 0) FailInput("{}: no picture in it can be decoded", path.string());
  report.frames = decoded;
  report.content = meter.Result();
  report.notes = PictureNotes(report.facts, report.size, report.variable_rate);
  return report;
}

void to_json(nlohmann::json& json, const Content& c) {
  json = {{"si", c.si},
          {"ti", c.ti},
          {"mean_si", c.mean_si},
          {"mean_ti", c.mean_ti},
          {"motion", c.motion},
          {"word", c.word()},
          {"busiest_second", c.busiest_second},
          {"calmest_second", c.calmest_second}};
}

void to_json(nlohmann::json& json, const ClipReport& r) {
  json = {{"file", r.file},
          {"container", r.facts.container},
          {"codec", r.facts.codec},
          {"size", r.size.str()},
          {"frame_rate", r.rate},
          {"variable_frame_rate", r.variable_rate},
          {"frames", r.frames},
          {"duration_seconds", r.seconds},
          {"bit_depth", r.facts.bit_depth},
          {"chroma", r.facts.chroma},
          {"hdr", !r.facts.hdr.empty()},
          {"interlaced", r.facts.interlaced},
          {"content", r.content},
          {"notes", r.notes}};
}

}  // namespace kettle
