// SPDX-License-Identifier: Apache-2.0
#include "tables/uplink_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "report/sentence.h"
#include "terminal.h"

namespace kettle::app {

std::string Mbps(double kbps) { return fmt::format("{:.3g} Mbit/s", kbps / 1000); }

namespace {

std::string Kbps(double kbps) { return fmt::format("{:.0f} kbit/s", kbps); }

// `how`: why no more was sent.
void PrintIngests(const std::vector<IngestReport>& reports, const std::string& how) {
  fmt::print("{}\n", Paint("Ingests, the best for a stream first", Tone::kStrong));
  Table table({{"ingest"},
               Number("connected"),
               Number("round trip"),
               Number("jitter"),
               Number("when full"),
               Number("sustained"),
               Number("95 % of the time"),
               Number("dips"),
               Number("retransmitted"),
               {""}});
  for (const IngestReport& r : reports) {
    if (!r.measured()) {
      std::vector<Cell> row = {{r.url}};
      row.resize(9, Number("-"));
      row.push_back({r.trouble, Tone::kBad});
      table.Row(std::move(row));
      continue;
    }
    const std::string note = !r.trouble.empty() ? r.trouble : r.filled ? "" : "could carry more than was sent";
    table.Row({{r.url + (r.simulated ? " (simulated)" : "")},
               Number(fmt::format("{:.0f} ms", r.connect_ms)),
               Number(fmt::format("{:.1f} ms", r.round_trip_ms)),
               Number(fmt::format("{:.1f} ms", r.jitter_ms)),
               Number(fmt::format("{:.0f} ms", r.loaded_round_trip_ms)),
               Number(Kbps(r.sustained_kbps)),
               Number(Kbps(r.dependable_kbps())),
               Number(fmt::format("{} of {:.0f} s", r.dips, r.seconds)),
               Number(fmt::format("{:.2f} %", r.resent_share * 100)),
               {note, r.trouble.empty() ? Tone::kDim : Tone::kBad}});
  }
  fmt::print("{}", table.str());
  if (std::any_of(reports.begin(), reports.end(), [](const IngestReport& r) { return r.measured() && !r.filled; }))
    fmt::print("  Sent: at most {}, {}; --most RATE sends more.\n", Mbps(reports.front().most_kbps), how);
  fmt::print("\n");
}

void PrintSum(const Budget& budget) {
  fmt::print("{}\n", Paint("What your stream may send", Tone::kStrong));
  Table table({{""}, Number("kbit/s"), {""}});
  const auto row = [&](const std::string& what, double kbps, const std::string& why, Tone tone = Tone::kPlain) {
    table.Row({{what, tone}, Number(fmt::format("{:.0f}", kbps), tone), {why, Tone::kDim}});
  };
  row("your uplink carries", budget.carried_kbps, Sentence(budget.carried_how));
  for (const auto& [what, kbps] : budget.reserved) row("- " + what, -kbps, "reserved");
  row("- kept free", budget.budget_kbps - std::max(0.0, budget.carried_kbps - budget.reserved_kbps()),
      fmt::format("{:.0f} % of the rest is used: {}", budget.safety_share * 100, Sentence(budget.safety_how)));
  row("= budget", budget.budget_kbps, "for everything this stream sends", Tone::kStrong);
  row("- sound", -budget.audio_kbps, "");
  row("- overhead", -budget.wrapping_kbps, "FLV and RTMP headers");
  row("= video", budget.video_kbps, budget.one_for_all.size() > 1 ? "to all destinations together" : "", Tone::kStrong);
  fmt::print("{}\n", table.str());
}

void PrintShares(const Budget& budget) {
  const std::size_t count = budget.one_for_all.size();
  if (count == 1) {
    fmt::print("{}\n  {} of video to {}, limited by {}.\n\n", Paint("What the destination gets", Tone::kStrong),
               Kbps(budget.one_encode_kbps()), budget.one_for_all.front().name, Sentence(budget.binding_limit));
    return;
  }
  fmt::print("{}\n", Paint("What each destination gets, in video", Tone::kStrong));
  Table table(
      {{"destination"}, Number("one encode for all"), {"limited by"}, Number("one encode each"), {"limited by"}});
  double one = 0, each = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const RecipientShare &a = budget.one_for_all[i], &b = budget.each[i];
    table.Row({{a.name},
               Number(Kbps(a.video_kbps)),
               {Sentence(a.limit), Tone::kDim},
               Number(Kbps(b.video_kbps)),
               {Sentence(b.limit), Tone::kDim}});
    one += a.video_kbps;
    each += b.video_kbps;
  }
  fmt::print("{}", table.str());
  fmt::print("  One encode for all sends {} in total; one for each sends {} and takes {} encodes instead of one.\n",
             Kbps(one), Kbps(each), count);
  fmt::print("  Limited by {}.\n\n", Sentence(budget.binding_limit));
}

}  // namespace

std::vector<std::string> RateControlVerdict(const RateChoice& choice) {
  const RateControlAnswer* constant = nullptr;
  const RateControlAnswer* variable = nullptr;
  for (const RateControlAnswer& answer : choice.answers) {
    auto& first = answer.sample.kind == RateControl::kConstantBitRate ? constant : variable;
    if (!first) first = &answer;
  }
  if (!choice.chosen()) return {"With every rate control some frames are dropped on this uplink."};
  std::vector<std::string> words;
  std::string text = fmt::format("Taken: {}, {}", choice.answers.front().sample.title(), Kbps(choice.chosen_kbps()));
  if (choice.answers.front().highest_kbps < choice.budget_kbps)
    text += fmt::format(" (at the budget's {} frames would be dropped in the dips)", Kbps(choice.budget_kbps));
  words.push_back(text + ".");
  if (constant && variable) {
    const double gain = constant->highest_kbps - variable->highest_kbps;
    words.push_back(gain > 0   ? fmt::format("Constant bit rate gets {} more through than variable.", Kbps(gain))
                    : gain < 0 ? fmt::format("Variable bit rate gets {} more through than constant.", Kbps(-gain))
                               : "Constant and variable bit rate get the same through.");
  }
  if (const SendingOutcome& least = choice.answers.front().at_least; least.dropped > 0)
    words.push_back(
        fmt::format("Your uplink has outages: {} of {} frames are dropped at any rate.", least.dropped, least.frames));
  return words;
}

namespace {

void PrintRateControls(const RateChoice& choice) {
  fmt::print(
      "{}\n",
      Paint("Constant or variable bit rate? Real encodes, sent over this uplink by the send-queue model (predicted)",
            Tone::kStrong));
  Table table({{"rate control"},
               Number("highest rate"),
               Number("dropped at budget"),
               Number("longest delay"),
               Number("buffer underflows"),
               {""}});
  for (const RateControlAnswer& answer : choice.answers) {
    const bool best = &answer == &choice.answers.front() && choice.chosen();
    const Tone tone = best ? Tone::kGood : Tone::kPlain;
    table.Row({{answer.sample.title(), tone},
               Number(answer.highest_kbps > 0 ? Kbps(answer.highest_kbps) + (answer.at_most ? " or more" : "") : "none",
                      tone),
               Number(fmt::format("{} of {}", answer.at_budget.dropped, answer.at_budget.frames), tone),
               Number(fmt::format("{:.2f} s", answer.at_budget.peak_delay_seconds), tone),
               Number(fmt::format("{}", answer.buffer.underflows), tone),
               {best ? "taken" : "", tone}});
  }
  fmt::print("{}  Highest rate: the highest average at which less than {:g} % of the frames are dropped.\n  {}\n\n",
             table.str(), choice.allowed_loss * 100, fmt::join(RateControlVerdict(choice), "\n  "));
}

std::string TooLittle(const Budget& budget) {
  const double missing = MissingKbps(budget);
  const std::string cure = missing > 0 ? fmt::format("it takes {:.0f} kbit/s more upload, or less reserved", missing)
                                       : "that limit would have to be higher";
  return fmt::format("Too little is left for video (limited by {}): each destination needs at least {:g} kbit/s; {}.",
                     Sentence(budget.binding_limit), kLeastVideoKbps, cure);
}

Headline HeadlineOf(const UplinkResult& result) {
  if (!result.feasible()) return {TooLittle(result.budget), Tone::kBad, ""};
  const RateChoice& choice = *result.choice;
  const std::string limit = Sentence(result.budget.binding_limit);
  if (!choice.chosen())
    return {
        fmt::format("Your uplink leaves {} for video (limited by {}), but its outages would drop frames at any rate.",
                    Kbps(result.budget.one_encode_kbps()), limit),
        Tone::kBad, ""};
  if (const auto& enough = result.enough; enough && enough->kbps && *enough->kbps < choice.chosen_kbps())
    return {fmt::format("Your line takes {} of video; the picture stops improving at about {} ({}, {} at {}).",
                        Kbps(choice.chosen_kbps()), Kbps(std::ceil(*enough->kbps / 100) * 100), enough->footage,
                        enough->settings.size.str(), enough->settings.frame_rate.str()),
            Tone::kGood, "fast-kettle plan --show my-show.toml, with your own clip and these readings in its [uplink]"};
  return {fmt::format("Stream video at {}, {}; limited by {}.", Kbps(choice.chosen_kbps()),
                      choice.answers.front().sample.title(), limit),
          Tone::kGood, "fast-kettle plan --show my-show.toml, with these readings in its [uplink]"};
}

}  // namespace

void to_json(nlohmann::json& json, const UplinkResult& result) {
  json = result.budget;
  if (!result.reports.empty()) {
    json["ingests"] = result.reports;
    json["sent_how"] = result.sent_how;
  }
  json["warnings"] = result.warnings;
  json["simulated"] = result.simulated;
  if (result.enough) json["enough"] = *result.enough;
  if (!result.choice) return;
  json["rate_control"] = *result.choice;
  json["verdict"] = fmt::format("{}", fmt::join(RateControlVerdict(*result.choice), " "));
}

void from_json(const nlohmann::json& json, UplinkResult& result) {
  json.get_to(result.budget);
  if (json.contains("ingests")) {
    json["ingests"].get_to(result.reports);
    json.at("sent_how").get_to(result.sent_how);
  }
  json.at("warnings").get_to(result.warnings);
  json.at("simulated").get_to(result.simulated);
  if (json.contains("enough")) result.enough = json["enough"].get<EnoughBits>();
  if (json.contains("rate_control")) result.choice = json["rate_control"].get<RateChoice>();
}

void PrintUplink(const UplinkResult& result, const ResultPlace& place) {
  const Headline headline = HeadlineOf(result);
  PrintHeadline(headline);
  for (const Message& warning : result.warnings)
    fmt::print("{}\n", Paint("Please check: " + Sentence(warning), Tone::kBad));
  if (result.simulated)
    fmt::print("{}\n\n", Paint("SIMULATED: the ingest and its line are stand-ins; the figures say nothing about a real "
                               "one.",
                               Tone::kStrong));
  if (!result.reports.empty()) PrintIngests(result.reports, Sentence(result.sent_how));
  PrintSum(result.budget);
  PrintShares(result.budget);
  if (result.choice) {
    PrintRateControls(*result.choice);
    fmt::print("In {}/: uplink.json; line and queue-delay as SVG and PNG.\n", place.folder.string());
  }
  PrintClosing(headline);
}

}  // namespace kettle::app
