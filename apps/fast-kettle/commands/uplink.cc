// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <tuple>

#include "commands/commands.h"
#include "figure/uplink_figures.h"
#include "kettle/plan/targets.h"
#include "kettle/rtmp/url.h"
#include "kettle/units/error.h"
#include "kettle/uplink/measurement.h"
#include "kettle/uplink/rate_choice.h"
#include "past_runs/keep_run.h"
#include "report/sentence.h"
#include "tables/uplink_tables.h"

namespace kettle::app {

namespace {

using nlohmann::json;

constexpr double kMostDelaySeconds = 1.5;

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

// The encoder and preset that make a test stream quickest, by codec.
const std::map<std::string, std::pair<std::string, std::string>>& TestEncoders() {
  static const std::map<std::string, std::pair<std::string, std::string>> encoders = {
      {"h264", {"x264", "superfast"}}, {"hevc", {"x265", "ultrafast"}}, {"av1", {"svt-av1", "12"}}};
  return encoders;
}

// As asked for, else H.264 or the first that every destination accepts.
std::string TestCodec(const UplinkOptions& options, const Show& show) {
  if (!options.codec.empty()) {
    if (!TestEncoders().contains(options.codec)) FailInput("--codec {}: give h264, hevc or av1", options.codec);
    return options.codec;
  }
  for (const char* codec : {"h264", "hevc", "av1"})
    if (std::all_of(show.destinations.begin(), show.destinations.end(),
                    [&](const Destination& to) { return to.Accepts(codec); }))
      return codec;
  return "h264";
}

// Encoded once, sent again and again.
TestStream MakeTestStream(Session& session, const std::string& codec) {
  constexpr FrameRate kRate{60, 1};
  Footage pictures = PrepareFootage({"start-line", {640, 360}, kRate, 2}, DefaultCacheFolder(), [](double) {});
  EncodeSettings settings;
  std::tie(settings.encoder, settings.preset) = TestEncoders().at(codec);
  settings.size = {640, 360};
  settings.frame_rate = kRate;
  settings.rate_control = RateControl::kCappedVariable;  // what all of them have
  settings.bit_rate = BitRate::FromKbps(600);
  settings.maximum_bit_rate = BitRate::FromKbps(900);
  settings.keyframe_seconds = 1;
  const auto file = session.scratch() / "test-stream.mkv";
  session.runner().Encode(settings, pictures, file);
  return TestStream(ReadCodedPictures(file), kRate.fps());
}

// How much a measurement may send, and why so much.
struct SendLimit {
  double kbps = 0;
  Message how;
};
SendLimit LimitFor(const UplinkOptions& options, const Show& show) {
  if (!options.most.empty()) {
    const double kbps = BitRate::Parse(options.most).kbps();
    if (kbps < kLeastVideoKbps || kbps > kMostTestKbps)
      FailInput("--most: give {:g} kbit/s to {:g} Mbit/s, not {}", kLeastVideoKbps, kMostTestKbps / 1000, options.most);
    return {kbps, Message{"uplink.as-asked"}};
  }
  constexpr double kToBeSure = 1.2;  // a line that carries just what is needed shows that it does
  const FrameRate rate = show.stream_rate.value_or(show.source_rate);
  const LineNeed need = NeedOf(Recipients(show), show.reserve, show.stream_bit_rate, show.line.kind, rate.fps());
  return {std::clamp(need.kbps * kToBeSure, 2 * kLeastVideoKbps, kMostTestKbps),
          Message{"uplink.enough-for", {{"need", need.how}}}};
}

std::vector<IngestReport> Measure(Session& session, const Show& show, const std::vector<Addressed>& addresses) {
  const UplinkOptions& options = session.request().uplink;
  const SendLimit limit = LimitFor(options, show);
  const StreamKey key = options.key_file.empty() ? StreamKey{"test", ""} : ReadKeyFile(options.key_file);
  const TestStream stream = MakeTestStream(session, TestCodec(options, show));
  std::vector<IngestReport> reports;
  session.progress().Stage(fmt::format("measuring your uplink: sending at most {} ({}) for {:g} s to each ingest",
                                       Mbps(limit.kbps), Sentence(limit.how), options.seconds),
                           static_cast<int>(addresses.size()));
  for (const Addressed& address : addresses) {
    const MeasureRequest request{address.url, key, options.seconds, limit.kbps};
    reports.push_back(MeasureIngest(request, stream, [&](double share) {
      ThrowIfStopped();
      session.progress().Show(address.name, share);
    }));
    session.progress().StepDone();
  }
  session.progress().Clear();
  RankIngests(reports);
  return reports;
}

// The show's stream with the encoder and preset that were asked for.
EncodeSettings SettingsFor(const Session& session, const Show& show, BitRate bit_rate) {
  EncodeSettings settings;
  settings.encoder = session.request().uplink.encoder;
  settings.preset = session.request().uplink.preset;
  settings.size = show.stream_size.value_or(show.source_size);
  settings.frame_rate = show.stream_rate.value_or(show.source_rate);
  settings.bit_rate = settings.maximum_bit_rate = bit_rate;
  for (const Destination& to : show.destinations)
    settings.keyframe_seconds = std::min(settings.keyframe_seconds, to.keyframe_seconds);
  return settings;
}

// One encode for each rate control.
std::vector<RateControlSample> EncodeSamples(Session& session, const Show& show, const Footage& pictures,
                                             BitRate bit_rate, const std::vector<double>& buffer_seconds) {
  const std::vector<EncodeSettings> candidates =
      RateControlCandidates(SettingsFor(session, show, bit_rate), buffer_seconds);
  session.progress().Stage("encoding with each rate control", static_cast<int>(candidates.size()));
  std::vector<RateControlSample> samples;
  for (const EncodeSettings& candidate : candidates) {
    ThrowIfStopped();
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

QueueDelayChart DelayChart(const RateChoice& choice, const LineTrace& line, const SendingModel& model) {
  std::vector<DelayCurve> curves;
  for (const RateControlAnswer& answer : choice.answers) {
    if (std::any_of(curves.begin(), curves.end(), [&](const DelayCurve& c) { return c.name == answer.sample.title(); }))
      continue;
    if (answer.sample.buffer_seconds != choice.answers.front().sample.buffer_seconds) continue;
    SendingModel at = model;
    at.scale = choice.budget_kbps / answer.sample.mean_kbps();
    curves.push_back({answer.sample.title(), SimulateSending(answer.sample.stream, line, at, true)});
  }
  return MakeQueueDelayChart(curves, choice.budget_kbps, kMostDelaySeconds);
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
                      BitRate bit_rate, const std::vector<double>& buffer_seconds, std::optional<BitRate> encoded,
                      double line_share) {
  const auto copies = static_cast<double>(budget.one_for_all.size());
  LineAnswer answer{LineLeft(show.line, show.reserve), {}, {}};
  answer.model.rule.most_delay_seconds = kMostDelaySeconds;
  answer.model.audio_kbps = budget.audio_kbps / copies;
  answer.model.line_share = line_share > 0 ? line_share : 1 / copies;
  answer.choice =
      ChooseRateControl(EncodeSamples(session, show, pictures, encoded.value_or(bit_rate), buffer_seconds), answer.line,
                        MostKbps(answer.line, Recipients(show)), bit_rate.kbps(), answer.model);
  return answer;
}

namespace {

// What is known of the line: as the show says, or as measured.
void MeasureLine(Session& session, Show& show, UplinkResult& result) {
  const std::vector<Addressed> addresses = Addresses(session, show);
  if (addresses.empty()) return;
  result.sent_how = LimitFor(session.request().uplink, show).how;
  result.reports = Measure(session, show, addresses);
  if (!result.reports.front().measured()) throw Error(Fault::kInput, result.reports.front().trouble);
  show.line.trace = result.reports.front().Trace();
  show.line.readings.clear();
  result.simulated =
      std::any_of(result.reports.begin(), result.reports.end(), [](const IngestReport& r) { return r.simulated; });
}

// Which rate control, by real encodes of the show's first footage.
LineAnswer ChooseForLine(Session& session, const Show& show, UplinkResult& result) {
  const FootageRequest wanted{show.footage.front(), show.source_size, show.source_rate,
                              session.request().footage_seconds};
  const Footage pictures = PrepareFootage(wanted, DefaultCacheFolder(), [&](double share) {
    ThrowIfStopped();
    session.progress().Show("drawing " + wanted.source, share * 0.9);
  });
  const BitRate all = BitRate::FromKbps(result.budget.one_encode_kbps());
  session.progress().Stage("finding the bit rate from which more bits stop paying", 4);
  TrialBook book(session.runner(), {}, [&](const auto&) { session.progress().StepDone(); });
  result.enough = FindEnoughBits(SettingsFor(session, show, all), pictures, book);
  session.progress().Clear();
  // Encodes of more than that would only take longer; the model takes them to the line's own rate.
  const BitRate encoded = BitRate::FromKbps(std::min(all.kbps(), result.enough->kbps.value_or(all.kbps())));
  LineAnswer answer = AskTheLine(session, show, result.budget, pictures, all, {0.5, 1, 2}, encoded);
  result.choice = answer.choice;
  return answer;
}

}  // namespace

int RunUplink(Session& session) {
  Show show = LoadShow(session);
  UplinkResult result;
  MeasureLine(session, show, result);
  const FrameRate rate = show.stream_rate.value_or(show.source_rate);
  result.budget = MakeBudget(show.line, show.reserve, Recipients(show), rate.fps());
  if (result.simulated) result.budget.carried_how = Message{"uplink.simulated", {{"how", result.budget.carried_how}}};
  result.warnings = QuestionReadings(show.line.readings);
  if (show.line.trace)
    for (const Message& note : show.line.trace->notes())
      result.warnings.push_back(Message{"target.trace-note", {{"note", note}}});
  std::optional<LineAnswer> answer;
  if (result.feasible()) answer = ChooseForLine(session, show, result);

  json body = LineJson(show.line);
  body.update(json(result));
  session.Write("uplink", body);
  if (answer) {
    session.DrawChart(MakeLineChart(answer->line, result.budget, answer->choice));
    session.DrawChart(DelayChart(answer->choice, answer->line, answer->model));
  }
  if (session.request().json)
    PrintJson(body);
  else
    PrintUplink(result, PlaceOf(session));
  KeepRun(session, {"uplink",
                    show.title,
                    Message{"history.uplink", {{"kbps", result.budget.one_encode_kbps()}}},
                    result.simulated,
                    {"uplink.json"},
                    {fmt::format("{:.0f} kbit/s of upload", result.budget.carried_kbps)}});
  return result.feasible() ? 0 : 1;
}

}  // namespace kettle::app
