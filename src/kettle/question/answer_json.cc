// SPDX-License-Identifier: Apache-2.0
#include <nlohmann/json.hpp>

#include "kettle/question/answer.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"

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
                {"trouble", answer.trouble},
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

Json RatesJson(const std::vector<BitRate>& rates) {
  Json json = Json::array();
  for (const BitRate rate : rates) json.push_back(rate.kbps());
  return json;
}

std::optional<Difference> DifferenceFrom(const Json& json) {
  if (json.is_null()) return std::nullopt;
  Difference difference{json.at("value"), {}};
  if (!json.at("interval").is_null()) difference.interval = json["interval"].get<double>();
  return difference;
}

RateCurve CurveFrom(const Json& json) {
  RateCurve curve;
  for (const Json& point : json) curve.push_back({point.at("kbps"), point.at("score")});
  return curve;
}

Verdict VerdictFrom(const std::string& name) {
  for (const Verdict verdict :
       {Verdict::kReference, Verdict::kBetter, Verdict::kWorse, Verdict::kSame, Verdict::kUnclear, Verdict::kFailed})
    if (name == Name(verdict)) return verdict;
  FailInput("\"{}\" is not a variant's verdict", name);
}

VariantAnswer VariantFrom(const Json& json, const std::vector<std::string>& footage) {
  VariantAnswer answer;
  answer.variant = {json.at("label"), json.at("settings")};
  answer.verdict = VerdictFrom(json.at("verdict"));
  json.at("trouble").get_to(answer.trouble);
  json.at("words").get_to(answer.words);
  if (!answer.trouble.empty()) return answer;
  answer.curve = CurveFrom(json.at("curve"));
  for (const std::string& label : footage)
    if (const Json& curves = json.at("curves_by_footage"); curves.contains(label))
      answer.footage_curves.push_back(CurveFrom(curves[label]));
  KETTLE_READ_FIELDS(json, answer, score, worst_second_score, blockiness, cpu_cores, feeding_cores, engine_share,
                     throughput_fps, latency_p99_ms, mean_kbps, peak_second_kbps, simulated);
  answer.gain = DifferenceFrom(json.at("gain"));
  json.at("seconds").get_to(answer.seconds);
  answer.cost_share = DifferenceFrom(json.at("cost_share"));
  if (!json.at("bd_rate").is_null()) answer.bd_rate = json["bd_rate"].get<double>();
  return answer;
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
       {"rates_kbps", RatesJson(answer.question.rates)},
       {"of_picture", answer.question.of_picture},
       {"footage", answer.footage},
       {"variants", variants},
       {"hull", hull},
       {"best", best}};
}

void from_json(const Json& j, Answer& answer) {
  KETTLE_READ_FIELDS(j, answer.question, name, title, caveat, of_picture);
  answer.question.asked_rate = BitRate::FromKbps(j.at("asked_kbps"));
  for (const double kbps : j.at("rates_kbps")) answer.question.rates.push_back(BitRate::FromKbps(kbps));
  j.at("footage").get_to(answer.footage);
  j.at("answer").get_to(answer.words);
  for (const Json& variant : j.at("variants")) {
    answer.variants.push_back(VariantFrom(variant, answer.footage));
    answer.question.variants.push_back(answer.variants.back().variant);
  }
}

}  // namespace kettle
