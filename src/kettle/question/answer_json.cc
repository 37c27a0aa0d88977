// SPDX-License-Identifier: Apache-2.0
#include <nlohmann/json.hpp>

#include "kettle/question/answer.h"

namespace kettle {

using Json = nlohmann::json;

namespace {

Json DifferenceJson(const std::optional<Difference>& difference) {
  if (!difference) return nullptr;
  return {{"value", difference->value}, {"interval", difference->interval ? Json(*difference->interval) : Json()}};
}

Json CurveJson(const RateCurve& curve) {
  Json points = Json::array();
  for (const RatePoint& point : curve) points.push_back({{"kbps", point.kbps}, {"score", point.quality}});
  return points;
}

Json VariantJson(const VariantAnswer& answer, const std::vector<std::string>& footage) {
  Json entry = {{"label", answer.variant.label},
                {"settings", answer.variant.settings},
                {"verdict", Name(answer.verdict)},
                {"words", answer.words}};
  if (!answer.trouble.empty()) return entry;
  Json by_footage = Json::object();
  for (std::size_t i = 0; i < answer.footage_curves.size(); ++i)
    by_footage[footage[i]] = CurveJson(answer.footage_curves[i]);
  entry.update({{"curve", CurveJson(answer.curve)},
                {"curves_by_footage", by_footage},
                {"score", answer.score},
                {"worst_second_score", answer.worst_second_score},
                {"blockiness", answer.blockiness},
                {"cpu_cores", answer.cpu_cores},
                {"feeding_cores", answer.feeding_cores},
                {"engine_share", answer.engine_share},
                {"throughput_fps", answer.throughput_fps},
                {"latency_p99_ms", answer.latency_p99_ms},
                {"mean_kbps", answer.mean_kbps},
                {"peak_second_kbps", answer.peak_second_kbps},
                {"simulated", answer.simulated},
                {"gain", DifferenceJson(answer.gain)},
                {"seconds", answer.seconds},
                {"cost_share", DifferenceJson(answer.cost_share)},
                {"bd_rate", answer.bd_rate ? Json(*answer.bd_rate) : Json()}});
  return entry;
}

}  // namespace

void to_json(Json& j, const Answer& answer) {
  Json variants = Json::array(), hull = Json::array(), best = Json::array();
  for (const VariantAnswer& variant : answer.variants) variants.push_back(VariantJson(variant, answer.footage));
  const auto label = [&](std::size_t curve) { return answer.variants[curve].variant.label; };
  for (const HullPoint& point : answer.hull)
    hull.push_back({{"kbps", point.kbps}, {"score", point.quality}, {"variant", label(point.curve)}});
  for (const BestStretch& stretch : answer.best)
    best.push_back({{"from_kbps", stretch.from_kbps}, {"to_kbps", stretch.to_kbps}, {"variant", label(stretch.curve)}});
  j = {{"name", answer.question.name},
       {"title", answer.question.title},
       {"answer", answer.words},
       {"caveat", answer.question.caveat},
       {"asked_kbps", answer.question.asked_rate.kbps()},
       {"footage", answer.footage},
       {"variants", variants},
       {"hull", hull},
       {"best", best}};
}

}  // namespace kettle
