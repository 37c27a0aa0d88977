// SPDX-License-Identifier: Apache-2.0
#include "figure/figure_folder.h"

#include <functional>
#include <map>
#include <nlohmann/json.hpp>

#include "figure/capacity_figure.h"
#include "figure/figures.h"
#include "figure/pictures_figure.h"
#include "figure/rate_quality.h"
#include "figure/trade_figure.h"
#include "figure/uplink_figures.h"
#include "kettle/input/input.h"
#include "kettle/units/error.h"
#include "timeline/rehearsal_figures.h"
#include "timeline/watch_figure.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

using Drawing = std::function<void(const fs::path&, const nlohmann::json&)>;

template <class... Charts>
std::map<std::string, Drawing> DrawingsOf() {
  return {{Charts::kName, [](const fs::path& folder, const nlohmann::json& json) {
             const auto chart = json.get<Charts>();
             Draw(folder, chart);
           }}...};
}

const std::map<std::string, Drawing>& Drawings() {
  static const std::map<std::string, Drawing> drawings =
      DrawingsOf<CapacityChart, GameFrames, LineChart, PicturesChart, ProofTimesChart, QueueDelayChart,
                 RateQualityChart, RehearsalChart, SoakChart, SpeedQualityChart, TradeChart, WatchChart>();
  return drawings;
}

}  // namespace

void FigureFolder::Keep(const std::string& name, const nlohmann::json& chart) const {
  const auto earlier = ReadResult(folder_, "figures");
  nlohmann::json figures = nlohmann::json::object();
  if (earlier && earlier->contains("figures") && (*earlier)["figures"].is_object()) figures = (*earlier)["figures"];
  figures[name] = chart;
  WriteResult(folder_, "figures", {{"figures", figures}}, provenance_);
}

std::vector<std::string> DrawAgain(const fs::path& folder) {
  const auto file = ReadResult(folder, "figures");
  if (!file) return {};
  std::vector<std::string> names;
  try {
    for (const auto& [name, chart] : file->at("figures").items()) {
      const auto drawing = Drawings().find(name);
      if (drawing == Drawings().end()) continue;
      drawing->second(folder, chart);
      names.push_back(name);
    }
  } catch (const nlohmann::json::exception& error) {
    FailInput("{}: an incomplete figures.json: {}", folder.string(), InPlainWords(error));
  } catch (const std::out_of_range&) {
    FailInput("{}: an incomplete figures.json", folder.string());
  }
  return names;
}

}  // namespace kettle
