// SPDX-License-Identifier: Apache-2.0
#include "kettle/uplink/budget.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>

#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"
#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr double kNearlyAlways = 0.05;  // the share of the time, or of the readings, in which a line may carry less
constexpr double kRoundKbps = 50;       // offered rates are multiples of it

// The most of a line that is given away even if it was steady while it was looked at: a rule. A trace has shown more of
// it than readings have.
double MostShare(LinkKind kind, bool trace) {
  switch (kind) {
    case LinkKind::kWired: return trace ? 0.95 : 0.90;
    case LinkKind::kWireless: return trace ? 0.90 : 0.80;
    case LinkKind::kCellular: return trace ? 0.80 : 0.70;
  }
  return 0;
}

void ReadLine(const Line& line, Budget& budget) {
  std::vector<double> samples;
  if (line.trace)
    samples = line.trace->PerSecond();
  else
    for (const BitRate reading : line.readings) samples.push_back(reading.kbps());
  if (samples.empty()) FailInput("nothing is known about your uplink: give --reading, --trace or --to");
  const double usual = *Median(samples);
  // Of a few readings next to the lowest, of many what nearly all reach: one reading more changes little.
  budget.carried_kbps = *Quantile(samples, kNearlyAlways);
  if (line.trace)
    budget.carried_how = Message{"budget.trace", {{"seconds", samples.size()}}};
  else if (samples.size() > 1)
    budget.carried_how = Message{"budget.readings", {{"readings", samples.size()}}};
  else
    budget.carried_how = Message{"budget.only-reading"};
  // A line that was seen to vary will vary further.
  constexpr double kTrust = 0.5;
  const double unsteadiness = usual > 0 ? std::clamp((usual - budget.carried_kbps) / usual, 0.0, 1.0) : 1;
  const double most = MostShare(line.kind, line.trace.has_value());
  budget.safety_share = std::max(0.5, most - kTrust * unsteadiness);
  if (samples.size() == 1)
    budget.safety_how = Message{"budget.measured-once", {{"kind", Name(line.kind)}}};
  else
    budget.safety_how = Message{line.trace ? "budget.traced-dips" : "budget.dips",
                                {{"kind", Name(line.kind)}, {"percent", unsteadiness * 100}}};
}

double Rounded(double kbps) { return std::max(0.0, std::floor(kbps / kRoundKbps) * kRoundKbps); }

// The lowest of what a recipient and its audience allow, and which of them it is.
std::pair<double, Message> LimitOf(const Recipient& recipient) {
  double limit = std::numeric_limits<double>::infinity();
  Message which;
  if (recipient.video_max) {
    limit = recipient.video_max->kbps();
    which = Message{"budget.destination-maximum", {{"name", recipient.name}, {"rate", recipient.video_max->str()}}};
  }
  if (recipient.audience_max && recipient.audience_max->kbps() < limit) {
    limit = recipient.audience_max->kbps();
    which = Message{"budget.audience", {{"name", recipient.name}, {"rate", recipient.audience_max->str()}}};
  }
  return {limit, which};
}

Message LineLimit(std::size_t recipients) {
  if (recipients < 2) return Message{"budget.uplink"};
  return Message{"budget.shared-uplink", {{"destinations", recipients}}};
}

void ShareOut(const std::vector<Recipient>& recipients, Budget& budget) {
  const auto count = static_cast<double>(recipients.size());
  double strictest = budget.video_kbps / count;
  Message binding = LineLimit(recipients.size());
  for (const Recipient& recipient : recipients)
    if (const auto [limit, which] = LimitOf(recipient); limit < strictest) {
      strictest = limit;
      binding = which;
    }
  for (const Recipient& recipient : recipients)
    budget.one_for_all.push_back({recipient.name, Rounded(strictest), binding});
  budget.binding_limit = binding;

  // An encode each: what one cannot use is left to the others.
  std::vector<const Recipient*> order;
  for (const Recipient& recipient : recipients) order.push_back(&recipient);
  std::stable_sort(order.begin(), order.end(),
                   [](const Recipient* a, const Recipient* b) { return LimitOf(*a).first < LimitOf(*b).first; });
  double left = budget.video_kbps, sharers = count;
  for (const Recipient* recipient : order) {
    const auto [limit, which] = LimitOf(*recipient);
    const double fair = left / sharers--, given = std::min(limit, fair);
    budget.each.push_back({recipient->name, Rounded(given), limit < fair ? which : LineLimit(recipients.size())});
    left -= given;
  }
  // As the user named them.
  std::vector<RecipientShare> named;
  for (const Recipient& recipient : recipients)
    named.push_back(*std::find_if(budget.each.begin(), budget.each.end(),
                                  [&](const RecipientShare& share) { return share.name == recipient.name; }));
  budget.each = std::move(named);
}

nlohmann::json SharesJson(const std::vector<RecipientShare>& shares) {
  nlohmann::json json = nlohmann::json::array();
  for (const RecipientShare& share : shares)
    json.push_back({{"destination", share.name}, {"video_kbps", share.video_kbps}, {"limit", share.limit}});
  return json;
}

}  // namespace

double WrappingKbps(double fps) {
  constexpr double kBytesAFrame = 24, kSoundFramesASecond = 48000.0 / 1024;
  return (fps + kSoundFramesASecond) * kBytesAFrame * 8 / 1000;
}

Budget MakeBudget(const Line& line, const std::vector<std::pair<std::string, BitRate>>& reserve,
                  const std::vector<Recipient>& recipients, double fps) {
  Budget budget;
  ReadLine(line, budget);
  for (const auto& [what, rate] : reserve) budget.reserved.emplace_back(what, rate.kbps());
  const std::vector<Recipient> all = recipients.empty() ? std::vector<Recipient>{{"any destination"}} : recipients;
  budget.budget_kbps = std::max(0.0, (budget.carried_kbps - budget.reserved_kbps()) * budget.safety_share);
  for (const Recipient& recipient : all) budget.audio_kbps += recipient.audio.kbps();
  budget.wrapping_kbps = WrappingKbps(fps) * static_cast<double>(all.size());
  budget.video_kbps = std::max(0.0, budget.budget_kbps - budget.audio_kbps - budget.wrapping_kbps);
  ShareOut(all, budget);
  return budget;
}

LineNeed NeedOf(const std::vector<Recipient>& recipients, const std::vector<std::pair<std::string, BitRate>>& reserve,
                std::optional<BitRate> wanted, LinkKind kind, double fps) {
  constexpr double kUnlimitedKbps = 8000;
  const std::vector<Recipient> all =
      recipients.empty() ? std::vector<Recipient>{{"a destination without a stated limit"}} : recipients;
  LineNeed need;
  std::vector<Message> parts;
  for (const Recipient& recipient : all) {
    const double limit = LimitOf(recipient).first;
    double kbps = std::isinf(limit) ? kUnlimitedKbps : limit;
    if (wanted) kbps = std::min(limit, wanted->kbps());
    need.kbps += kbps + recipient.audio.kbps() + WrappingKbps(fps);
    parts.push_back(Message{"budget.video-for", {{"kbps", kbps}, {"name", recipient.name}}});
  }
  const double kept_free = 1 - MostShare(kind, true);
  need.kbps /= 1 - kept_free;
  for (const auto& [what, rate] : reserve) need.kbps += rate.kbps();
  if (reserve.empty())
    need.how = Message{"budget.need", {{"parts", parts}, {"percent", kept_free * 100}}};
  else
    need.how = Message{"budget.need-with-reserve", {{"parts", parts}, {"percent", kept_free * 100}}};
  return need;
}

double Budget::reserved_kbps() const {
  double sum = 0;
  for (const auto& [what, kbps] : reserved) sum += kbps;
  return sum;
}

LineTrace LineLeft(const Line& line, const std::vector<std::pair<std::string, BitRate>>& reserve) {
  constexpr double kReadingSeconds = 60;
  std::vector<LineTrace::Point> points;
  double seconds = 0, reserved = 0;
  if (line.trace) {
    points = line.trace->points();
    seconds = line.trace->seconds();
  } else {
    for (const BitRate reading : line.readings) {
      points.push_back({seconds, reading.kbps()});
      seconds += kReadingSeconds;
    }
  }
  for (const auto& [what, rate] : reserve) reserved += rate.kbps();
  for (LineTrace::Point& point : points) point.kbps = std::max(0.0, point.kbps - reserved);
  return LineTrace(std::move(points), seconds);
}

double MostKbps(const LineTrace& line, const std::vector<Recipient>& recipients) {
  double most = 0;
  for (const LineTrace::Point& point : line.points()) most = std::max(most, point.kbps);
  for (const Recipient& recipient : recipients) most = std::min(most, LimitOf(recipient).first);
  return most;
}

double MissingKbps(const Budget& budget) {
  const auto recipients = static_cast<double>(std::max<std::size_t>(1, budget.one_for_all.size()));
  const double needed = (kLeastVideoKbps * recipients + budget.audio_kbps + budget.wrapping_kbps) / budget.safety_share;
  return std::max(0.0, needed + budget.reserved_kbps() - budget.carried_kbps);
}

void to_json(nlohmann::json& json, const Budget& budget) {
  nlohmann::json reserved = nlohmann::json::array(), video = nlohmann::json::object();
  for (const auto& [what, kbps] : budget.reserved) reserved.push_back({{"for", what}, {"kbps", kbps}});
  for (const RecipientShare& share : budget.one_for_all) video[share.name] = share.video_kbps;
  KETTLE_WRITE_FIELDS(json, budget, carried_kbps, carried_how, safety_share, safety_how, budget_kbps, audio_kbps,
                      wrapping_kbps, video_kbps, binding_limit);
  json.update({{"reserved", reserved},
               {"video_budget_kbps", video},
               {"one_for_all", SharesJson(budget.one_for_all)},
               {"an_encode_each", SharesJson(budget.each)}});
}

namespace {

std::vector<RecipientShare> SharesFrom(const nlohmann::json& json) {
  std::vector<RecipientShare> shares;
  for (const auto& share : json) shares.push_back({share.at("destination"), share.at("video_kbps"), share.at("limit")});
  return shares;
}

}  // namespace

void from_json(const nlohmann::json& json, Budget& budget) {
  json.at("carried_kbps").get_to(budget.carried_kbps);
  json.at("carried_how").get_to(budget.carried_how);
  for (const auto& one : json.at("reserved")) budget.reserved.emplace_back(one.at("for"), one.at("kbps"));
  KETTLE_READ_FIELDS(json, budget, safety_share, safety_how, budget_kbps, audio_kbps, wrapping_kbps, video_kbps);
  budget.one_for_all = SharesFrom(json.at("one_for_all"));
  budget.each = SharesFrom(json.at("an_encode_each"));
  json.at("binding_limit").get_to(budget.binding_limit);
}

}  // namespace kettle
