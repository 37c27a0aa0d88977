// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "figure/uplink_figures.h"
#include "kettle/plan/targets.h"
#include "kettle/rtmp/url.h"
#include "kettle/units/error.h"
#include "kettle/uplink/measurement.h"
#include "kettle/uplink/rate_choice.h"

namespace kettle::app {

namespace {

using nlohmann::json;

constexpr double kMostDelaySeconds = 1.5;

std::string Mbps(double kbps) { return fmt::format("{:.3g} Mbit/s", kbps / 1000); }
std::string Kbps(double kbps) { return fmt::format("{:.0f} kbit/s", kbps); }

struct Addressed {
  std::string name;  // what the user sees
  IngestUrl url;
};

// "--to" takes an address, or a destination's name for all its ingests: then its limits count, unless others are named.
std::vector<Addressed> Addresses(const Session& session, Show& show) {
  const bool none_named = show.destinations.empty();
  std::vector<Addressed> addresses;
  for (const std::string& to : session.request().uplink.to) {
    if (to.find("://") != to.npos) {
      const IngestUrl url = IngestUrl::Parse(to);
      addresses.push_back({url.str(), url});
      continue;
    }
    const Destination destination = FindDestination(to, std::filesystem::path(session.request().show).parent_path(),
                                                    session.places().share / "demo" / "destinations");
    if (destination.ingests.empty())
      FailInput("--to {}: its file names no ingest; give an address: rtmp://host/app", to);
    if (none_named) show.destinations.push_back(destination);
    for (const auto& ingest : destination.ingests)
      addresses.push_back({destination.name + ", " + ingest.name, IngestUrl::Parse(ingest.address)});
  }
  return addresses;
}

// Encoded once, sent again and again.
TestStream MakeTestStream(Session& session) {
  constexpr FrameRate kRate{60, 1};
  Footage pictures = PrepareFootage({"start-line", {640, 360}, kRate, 2}, DefaultCacheFolder(), [](double) {});
  EncodeSettings settings;
  settings.encoder = "x264";
  settings.preset = "superfast";
  settings.size = {640, 360};
  settings.frame_rate = kRate;
  settings.bit_rate = settings.maximum_bit_rate = BitRate::FromKbps(600);
  settings.keyframe_seconds = 1;
  const auto file = session.scratch() / "test-stream.mkv";
  session.runner().Encode(settings, pictures, file);
  return TestStream(ReadCodedPictures(file), kRate.fps());
}

// How much a measurement may send, and why so much.
struct SendLimit {
  double kbps = 0;
  std::string how;
};
SendLimit LimitFor(const UplinkOptions& options, const Show& show) {
  if (!options.most.empty()) {
    const double kbps = BitRate::Parse(options.most).kbps();
    if (kbps < kLeastVideoKbps || kbps > kMostTestKbps)
      FailInput("--most: give {:g} kbit/s to {:g} Mbit/s, not {}", kLeastVideoKbps, kMostTestKbps / 1000, options.most);
    return {kbps, "as --most says"};
  }
  constexpr double kToBeSure = 1.2;  // a line that carries just what is needed shows that it does
  const FrameRate rate = show.stream_rate.value_or(show.source_rate);
  const LineNeed need = NeedOf(Takers(show), show.reserve, show.stream_bit_rate, show.line.kind, rate.fps());
  return {std::clamp(need.kbps * kToBeSure, 2 * kLeastVideoKbps, kMostTestKbps), "enough for " + need.how};
}

std::vector<IngestReport> Measure(Session& session, const Show& show, const std::vector<Addressed>& addresses) {
  const UplinkOptions& options = session.request().uplink;
  const SendLimit limit = LimitFor(options, show);
  const StreamKey key = options.key_file.empty() ? StreamKey{"test", ""} : ReadKeyFile(options.key_file);
  const TestStream stream = MakeTestStream(session);
  std::vector<IngestReport> reports;
  session.progress().Stage(fmt::format("measuring the line: sending at most {} ({}) for {:g} s to each ingest",
                                       Mbps(limit.kbps), limit.how, options.seconds),
                           static_cast<int>(addresses.size()));
  for (const Addressed& address : addresses) {
    const MeasureRequest request{address.url, key, options.seconds, limit.kbps};
    reports.push_back(MeasureIngest(request, stream, [&](double share) {
      if (StopRequested()) throw Error(Fault::kInterrupted, "interrupted");
      session.progress().Show(address.name, share);
    }));
    session.progress().StepDone();
  }
  session.progress().Clear();
  RankIngests(reports);
  return reports;
}

// `how`: why no more was sent.
void PrintIngests(const std::vector<IngestReport>& reports, const std::string& how) {
  fmt::print("{}\n", Paint("Ingests, the best for a stream first", Tone::kStrong));
  Table table({{"ingest"},
               Number("connected"),
               Number("round trip"),
               Number("jitter"),
               Number("when full"),
               Number("sustained"),
               Number("nearly always"),
               Number("dips"),
               Number("sent again"),
               {""}});
  for (const IngestReport& r : reports) {
    if (!r.measured()) {
      std::vector<Cell> row = {{r.url}};
      row.resize(9, Number("-"));
      row.push_back({r.trouble, Tone::kBad});
      table.Row(std::move(row));
      continue;
    }
    const std::string note = !r.trouble.empty() ? r.trouble : r.filled ? "" : "carries more than was sent";
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
    fmt::print("  {} at most were sent, {}; --most RATE sends more.\n", Mbps(reports.front().most_kbps), how);
  fmt::print("\n");
}

void PrintSum(const Budget& budget) {
  fmt::print("{}\n", Paint("What the stream may send", Tone::kStrong));
  Table table({{""}, Number("kbit/s"), {""}});
  const auto row = [&](const std::string& what, double kbps, const std::string& why, Tone tone = Tone::kPlain) {
    table.Row({{what, tone}, Number(fmt::format("{:.0f}", kbps), tone), {why, Tone::kDim}});
  };
  row("the line carries", budget.carried_kbps, budget.carried_how);
  for (const auto& [what, kbps] : budget.reserved) row("- " + what, -kbps, "reserved");
  row("- kept free", budget.budget_kbps - std::max(0.0, budget.carried_kbps - budget.reserved_kbps()),
      fmt::format("{:.0f} % of the rest is used: {}", budget.safety_share * 100, budget.safety_how));
  row("= budget", budget.budget_kbps, "for everything this stream sends", Tone::kStrong);
  row("- sound", -budget.audio_kbps, "");
  row("- wrapping", -budget.wrapping_kbps, "FLV and RTMP headers");
  row("= pictures", budget.video_kbps, budget.one_for_all.size() > 1 ? "to all destinations together" : "",
      Tone::kStrong);
  fmt::print("{}\n", table.str());
}

void PrintShares(const Budget& budget) {
  const std::size_t count = budget.one_for_all.size();
  if (count == 1) {
    fmt::print("{}\n  {} of video to {}. The limit: {}.\n\n", Paint("What the destination gets", Tone::kStrong),
               Kbps(budget.one_encode_kbps()), budget.one_for_all.front().name, budget.binding_limit);
    return;
  }
  fmt::print("{}\n", Paint("What each destination gets, in video", Tone::kStrong));
  Table table(
      {{"destination"}, Number("one encode for all"), {"limited by"}, Number("an encode each"), {"limited by"}});
  double one = 0, each = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const TakerShare &a = budget.one_for_all[i], &b = budget.each[i];
    table.Row({{a.name},
               Number(Kbps(a.video_kbps)),
               {a.limit, Tone::kDim},
               Number(Kbps(b.video_kbps)),
               {b.limit, Tone::kDim}});
    one += a.video_kbps;
    each += b.video_kbps;
  }
  fmt::print("{}", table.str());
  fmt::print(
      "  One encode for all sends {}; an encode each sends {} and costs the machine {} encodes in place of one.\n",
      Kbps(one), Kbps(each), count);
  fmt::print("  The limit: {}.\n\n", budget.binding_limit);
}

// One encode for each rate control.
std::vector<RateControlSample> EncodeSamples(Session& session, const Show& show, const Footage& pictures,
                                             BitRate bit_rate, const std::vector<double>& buffer_seconds) {
  EncodeSettings settings;
  settings.encoder = session.request().uplink.encoder;
  settings.preset = session.request().uplink.preset;
  settings.size = show.stream_size.value_or(show.source_size);
  settings.frame_rate = show.stream_rate.value_or(show.source_rate);
  settings.bit_rate = bit_rate;
  for (const Destination& to : show.destinations)
    settings.keyframe_seconds = std::min(settings.keyframe_seconds, to.keyframe_seconds);
  const std::vector<EncodeSettings> candidates = RateControlCandidates(settings, buffer_seconds);
  session.progress().Stage("encoding with each rate control", static_cast<int>(candidates.size()));
  std::vector<RateControlSample> samples;
  for (const EncodeSettings& candidate : candidates) {
    if (StopRequested()) throw Error(Fault::kInterrupted, "interrupted");
    RateControlSample sample{candidate.rate_control, candidate.maximum_bit_rate.kbps() / candidate.bit_rate.kbps(),
                             candidate.buffer_seconds, candidate.bit_rate.kbps()};
    session.progress().Show(sample.title(), 0.5);
    const auto file = session.scratch() / fmt::format("rate-control-{}.mkv", samples.size());
    session.runner().Encode(candidate, pictures, file);
    sample.stream = StreamOf(ReadCodedPictures(file), candidate.frame_rate.fps());
    samples.push_back(std::move(sample));
    session.progress().StepDone();
  }
  session.progress().Clear();
  return samples;
}

// In sentences.
std::vector<std::string> Verdict(const RateChoice& choice) {
  const RateControlAnswer* constant = nullptr;
  const RateControlAnswer* variable = nullptr;
  for (const RateControlAnswer& answer : choice.answers) {
    auto& first = answer.sample.kind == RateControl::kConstantBitRate ? constant : variable;
    if (!first) first = &answer;
  }
  if (!choice.chosen()) return {"No rate control keeps its frames on this line."};
  std::vector<std::string> words;
  std::string text = fmt::format("Taken: {} at {}", choice.answers.front().sample.title(), Kbps(choice.chosen_kbps()));
  if (choice.answers.front().highest_kbps < choice.budget_kbps)
    text += fmt::format(" (the budget's {} would lose frames in this line's dips)", Kbps(choice.budget_kbps));
  words.push_back(text + ".");
  if (constant && variable) {
    const double gain = constant->highest_kbps - variable->highest_kbps;
    words.push_back(gain > 0   ? fmt::format("Constant carries {} more than variable.", Kbps(gain))
                    : gain < 0 ? fmt::format("Variable carries {} more than constant.", Kbps(-gain))
                               : "Constant and variable carry the same.");
  }
  if (const SendingOutcome& least = choice.answers.front().at_least; least.dropped > 0)
    words.push_back(
        fmt::format("The line itself breaks off: {} of {} frames are lost at any rate.", least.dropped, least.frames));
  return words;
}

void PrintRateControls(const RateChoice& choice) {
  fmt::print("{}\n", Paint("Constant or variable? Real encodes on this line, by the send-queue model (predicted)",
                           Tone::kStrong));
  Table table({{"rate control"},
               Number("highest rate"),
               Number("dropped at budget"),
               Number("longest delay"),
               Number("decoder buffer runs dry"),
               {""}});
  for (const RateControlAnswer& answer : choice.answers) {
    const bool best = &answer == &choice.answers.front() && choice.chosen();
    const Tone tone = best ? Tone::kGood : Tone::kPlain;
    table.Row({{answer.sample.title(), tone},
               Number(answer.highest_kbps > 0 ? Kbps(answer.highest_kbps) + (answer.at_most ? " or more" : "") : "none",
                      tone),
               Number(fmt::format("{} of {}", answer.at_budget.dropped, answer.at_budget.frames), tone),
               Number(fmt::format("{:.2f} s", answer.at_budget.peak_delay_seconds), tone),
               Number(fmt::format("{} times", answer.buffer.underflows), tone),
               {best ? "taken" : "", tone}});
  }
  fmt::print("{}  Highest rate: the average at which less than {:g} % of the frames are lost for it.\n  {}\n\n",
             table.str(), choice.allowed_loss * 100, fmt::join(Verdict(choice), "\n  "));
}

void DrawDelays(const Session& session, const RateChoice& choice, const LineTrace& line, const SendingModel& model) {
  std::vector<DelayCurve> curves;
  for (const RateControlAnswer& answer : choice.answers) {
    if (std::any_of(curves.begin(), curves.end(), [&](const DelayCurve& c) { return c.name == answer.sample.title(); }))
      continue;
    if (answer.sample.buffer_seconds != choice.answers.front().sample.buffer_seconds) continue;
    SendingModel at = model;
    at.scale = choice.budget_kbps / answer.sample.mean_kbps();
    curves.push_back({answer.sample.title(), SimulateSending(answer.sample.stream, line, at, true)});
  }
  DrawQueueDelay(session.out(), curves, choice.budget_kbps, kMostDelaySeconds);
}

json LineJson(const Line& line) {
  json body = {{"link", Name(line.kind)}};
  if (line.trace) {
    json points = json::array();
    for (const LineTrace::Point& point : line.trace->points()) points.push_back({point.seconds, point.kbps});
    body["trace"] = points;
    body["trace_seconds"] = line.trace->seconds();
    body["notes"] = line.trace->notes();
  } else {
    json readings = json::array();
    for (const BitRate reading : line.readings) readings.push_back(reading.kbps());
    body["readings"] = readings;
  }
  return body;
}

}  // namespace

LineAnswer AskTheLine(Session& session, const Show& show, const Budget& budget, const Footage& pictures,
                      BitRate bit_rate, const std::vector<double>& buffer_seconds) {
  const auto copies = static_cast<double>(budget.one_for_all.size());
  LineAnswer answer{LineLeft(show.line, show.reserve), {}, {}};
  answer.model.rule.most_delay_seconds = kMostDelaySeconds;
  answer.model.audio_kbps = budget.audio_kbps / copies;
  answer.model.line_share = 1 / copies;
  answer.choice = ChooseRateControl(EncodeSamples(session, show, pictures, bit_rate, buffer_seconds), answer.line,
                                    MostKbps(answer.line, Takers(show)), bit_rate.kbps(), answer.model);
  return answer;
}

int RunUplink(Session& session) {
  Show show = LoadShow(session);
  const std::vector<Addressed> addresses = Addresses(session, show);
  std::vector<IngestReport> reports;
  if (!addresses.empty()) {
    reports = Measure(session, show, addresses);
    if (!reports.front().measured()) throw Error(Fault::kInput, reports.front().trouble);
    show.line.trace = reports.front().Trace();
    show.line.readings.clear();
  }
  const FrameRate rate = show.stream_rate.value_or(show.source_rate);
  const bool simulated = std::any_of(reports.begin(), reports.end(), [](const IngestReport& r) { return r.simulated; });
  Budget budget = MakeBudget(show.line, show.reserve, Takers(show), rate.fps());
  if (simulated) budget.carried_how += ", simulated";
  json body = LineJson(show.line);
  body.update(json(budget));
  if (!reports.empty()) body["ingests"] = reports;
  std::vector<std::string> warnings = QuestionReadings(show.line.readings);
  if (show.line.trace)
    for (const std::string& note : show.line.trace->notes()) warnings.push_back("the trace: " + note);
  body["warnings"] = warnings;
  body["simulated"] = simulated;

  const bool feasible = budget.one_encode_kbps() >= kLeastVideoKbps;
  std::optional<LineAnswer> answer;
  if (feasible) {
    const FootageRequest wanted{show.footage.front(), show.source_size, show.source_rate,
                                session.request().footage_seconds};
    const Footage pictures = PrepareFootage(wanted, DefaultCacheFolder(), [&](double share) {
      if (StopRequested()) throw Error(Fault::kInterrupted, "interrupted");
      session.progress().Show("drawing " + wanted.source, share * 0.9);
    });
    answer = AskTheLine(session, show, budget, pictures, BitRate::FromKbps(budget.one_encode_kbps()), {0.5, 1, 2});
    body["rate_control"] = answer->choice;
    body["verdict"] = fmt::format("{}", fmt::join(Verdict(answer->choice), " "));
  }
  session.Write("uplink", body);
  if (answer) {
    session.Draw([&] { DrawLine(session.out(), answer->line, budget, answer->choice); });
    session.Draw([&] { DrawDelays(session, answer->choice, answer->line, answer->model); });
  }
  if (session.request().json) {
    PrintJson(body);
    return feasible ? 0 : 1;
  }
  for (const std::string& warning : warnings) fmt::print("{}\n", Paint("Please check: " + warning, Tone::kBad));
  if (simulated)
    fmt::print("{}\n\n",
               Paint("SIMULATED: the ingest and its line are stand-ins; the figures say nothing of a real one.",
                     Tone::kStrong));
  if (!reports.empty()) PrintIngests(reports, LimitFor(session.request().uplink, show).how);
  PrintSum(budget);
  PrintShares(budget);
  if (!feasible) {
    const double missing = MissingKbps(budget);
    const std::string cure = missing > 0
                                 ? fmt::format("{:.0f} kbit/s more on the line would do, or less reserved", missing)
                                 : "that limit would have to be higher";
    fmt::print("{}\n",
               Paint(fmt::format("Nothing is left for pictures ({}): the least is {:g} kbit/s to each destination; {}.",
                                 budget.binding_limit, kLeastVideoKbps, cure),
                     Tone::kBad));
    return 1;
  }
  PrintRateControls(answer->choice);
  fmt::print("In {}/: uplink.json; line and queue-delay as SVG and PNG.\n", session.out().string());
  return 0;
}

}  // namespace kettle::app
