// SPDX-License-Identifier: Apache-2.0
#include "kettle/uplink/rate_choice.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

constexpr double kStepKbps = 50;

SendingOutcome At(const RateControlSample& sample, double kbps, const LineTrace& line, SendingModel model) {
  model.scale = kbps / sample.mean_kbps();
  return SimulateSending(sample.stream, line, model);
}

RateControlAnswer Answer(const RateControlSample& sample, const LineTrace& line, double most_kbps, double budget_kbps,
                         const SendingModel& model, double allowed_loss) {
  RateControlAnswer answer;
  answer.sample = sample;
  const int steps = static_cast<int>(most_kbps / kStepKbps);
  int holds = static_cast<int>(std::ceil(kLeastVideoKbps / kStepKbps)) - 1, fails = steps + 1;
  answer.at_least = At(sample, kLeastVideoKbps, line, model);
  const double most_loss = answer.at_least.loss() + allowed_loss;
  // More bits never lose fewer frames, but for a step or two: the highest is looked for by halving.
  const auto loses = [&](int step) { return At(sample, step * kStepKbps, line, model).loss() > most_loss; };
  if (steps > holds && !loses(steps)) holds = steps;
  while (holds + 1 < fails && holds != steps) {
    const int middle = (holds + fails) / 2;
    (loses(middle) ? fails : holds) = middle;
  }
  answer.highest_kbps = holds * kStepKbps < kLeastVideoKbps ? 0 : holds * kStepKbps;
  answer.at_most = holds == steps;
  answer.maximum_kbps = std::round(answer.highest_kbps * sample.peak_ratio);
  if (answer.highest_kbps > 0) answer.at_highest = At(sample, answer.highest_kbps, line, model);
  answer.at_budget = At(sample, budget_kbps, line, model);
  answer.buffer = CheckDecoderBuffer(sample.stream, BitRate::FromKbps(sample.asked_kbps * sample.peak_ratio),
                                     sample.buffer_seconds, sample.kind == RateControl::kConstantBitRate);
  return answer;
}

}  // namespace

std::string RateControlSample::title() const {
  if (kind == RateControl::kConstantBitRate) return fmt::format("constant bit rate, {:g} s buffer", buffer_seconds);
  return fmt::format("variable bit rate, peaks {:.3g} times, {:g} s buffer", peak_ratio, buffer_seconds);
}

double RateControlSample::mean_kbps() const {
  double bytes = 0;
  for (const CodedStream::Frame& frame : stream.frames) bytes += frame.size_bytes;
  return stream.seconds > 0 ? bytes * 8 / 1000 / stream.seconds : 0;
}

std::vector<double> RateControlSample::SecondsKbps() const {
  std::vector<double> seconds(static_cast<std::size_t>(std::max(1.0, std::floor(stream.seconds))), 0.0);
  for (const CodedStream::Frame& frame : stream.frames)
    if (const auto second = static_cast<std::size_t>(frame.seconds); second < seconds.size())
      seconds[second] += frame.size_bytes * 8 / 1000.0;
  return seconds;
}

RateChoice ChooseRateControl(const std::vector<RateControlSample>& samples, const LineTrace& line, double most_kbps,
                             double budget_kbps, const SendingModel& model, double allowed_loss) {
  RateChoice choice{{}, most_kbps, budget_kbps, allowed_loss};
  for (const RateControlSample& sample : samples)
    choice.answers.push_back(Answer(sample, line, most_kbps, budget_kbps, model, allowed_loss));
  const auto rank = [](const RateControlAnswer& answer) {
    return std::tuple(-answer.highest_kbps, answer.sample.peak_ratio,
                      std::abs(std::log2(answer.sample.buffer_seconds)));
  };
  std::stable_sort(choice.answers.begin(), choice.answers.end(),
                   [&](const auto& a, const auto& b) { return rank(a) < rank(b); });
  return choice;
}

std::vector<EncodeSettings> RateControlCandidates(const EncodeSettings& settings,
                                                  const std::vector<double>& buffer_seconds) {
  std::vector<EncodeSettings> candidates;
  for (const double ratio : {1.0, 1.25, 1.5})
    for (const double buffer : buffer_seconds) {
      EncodeSettings candidate = settings;
      candidate.rate_control = ratio > 1 ? RateControl::kCappedVariable : RateControl::kConstantBitRate;
      candidate.maximum_bit_rate = BitRate::FromKbps(std::round(settings.bit_rate.kbps() * ratio));
      candidate.buffer_seconds = buffer;
      candidates.push_back(candidate);
    }
  return candidates;
}

void to_json(nlohmann::json& json, const RateChoice& choice) {
  const auto outcome = [](const SendingOutcome& o) {
    return nlohmann::json{{"frames", o.frames},
                          {"dropped", o.dropped},
                          {"stretches", o.stretches},
                          {"peak_delay_ms", o.peak_delay_seconds * 1000},
                          {"longest_freeze_ms", o.longest_freeze_seconds * 1000}};
  };
  json = {{"video_budget_kbps", choice.budget_kbps},
          {"asked_up_to_kbps", choice.most_kbps},
          {"chosen_kbps", choice.chosen_kbps()},
          {"allowed_loss", choice.allowed_loss},
          {"predicted", true}};
  json["rate_controls"] = nlohmann::json::array();
  for (const RateControlAnswer& answer : choice.answers) {
    nlohmann::json entry = {{"rate_control", Name(answer.sample.kind)},
                            {"peak_ratio", answer.sample.peak_ratio},
                            {"buffer_seconds", answer.sample.buffer_seconds},
                            {"encoded_kbps", answer.sample.mean_kbps()},
                            {"highest_kbps", answer.highest_kbps},
                            {"maximum_kbps", answer.maximum_kbps},
                            {"at_most", answer.at_most},
                            {"at_least", outcome(answer.at_least)},
                            {"at_budget", outcome(answer.at_budget)},
                            {"decoder_buffer_underflows", answer.buffer.underflows}};
    if (answer.highest_kbps > 0) entry["at_highest"] = outcome(answer.at_highest);
    json["rate_controls"].push_back(std::move(entry));
  }
}

namespace {

SendingOutcome OutcomeFrom(const nlohmann::json& json) {
  SendingOutcome outcome;
  KETTLE_READ_FIELDS(json, outcome, frames, dropped, stretches);
  outcome.peak_delay_seconds = json.at("peak_delay_ms").get<double>() / 1000;
  outcome.longest_freeze_seconds = json.at("longest_freeze_ms").get<double>() / 1000;
  return outcome;
}

RateControlAnswer AnswerFrom(const nlohmann::json& json) {
  RateControlAnswer answer;
  answer.sample.kind = ParseRateControl(json.at("rate_control"));
  json.at("peak_ratio").get_to(answer.sample.peak_ratio);
  json.at("buffer_seconds").get_to(answer.sample.buffer_seconds);
  KETTLE_READ_FIELDS(json, answer, highest_kbps, maximum_kbps, at_most);
  answer.at_least = OutcomeFrom(json.at("at_least"));
  answer.at_budget = OutcomeFrom(json.at("at_budget"));
  if (json.contains("at_highest")) answer.at_highest = OutcomeFrom(json["at_highest"]);
  json.at("decoder_buffer_underflows").get_to(answer.buffer.underflows);
  return answer;
}

}  // namespace

void from_json(const nlohmann::json& json, RateChoice& choice) {
  json.at("video_budget_kbps").get_to(choice.budget_kbps);
  json.at("asked_up_to_kbps").get_to(choice.most_kbps);
  json.at("allowed_loss").get_to(choice.allowed_loss);
  for (const auto& answer : json.at("rate_controls")) choice.answers.push_back(AnswerFrom(answer));
}

}  // namespace kettle
