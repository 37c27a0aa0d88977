// SPDX-License-Identifier: Apache-2.0
#include "commands/bench_plan.h"

#include <fmt/ranges.h>

#include <algorithm>
#include <set>
#include <utility>

#include "commands/commands.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/option/grid.h"
#include "kettle/plan/plan.h"
#include "kettle/plan/targets.h"
#include "kettle/units/error.h"
#include "past_runs/bench_like.h"
#include "session/usable_encoders.h"

namespace kettle::app {

namespace {

// "--size: ..." in front of what is wrong with a value.
template <typename T, typename Parse>
std::vector<T> ParseAll(const char* option, const std::vector<std::string>& texts, const Parse& parse) {
  std::vector<T> values;
  for (const std::string& text : texts) try {
      values.push_back(parse(text));
    } catch (const Error& error) {
      FailInput("--{}: {}", option, error.what());
    }
  return values;
}

template <typename Parse>
auto ParseOne(const char* option, const std::string& text, const Parse& parse) {
  return ParseAll<decltype(parse(text))>(option, {text}, parse).front();
}

bool ParseSwitch(const std::string& text) {
  if (text == "on") return true;
  if (text != "off") FailInput("\"{}\" is neither on nor off", text);
  return false;
}

Grid ReadGrid(const BenchOptions& bench) {
  Grid grid;
  for (const std::string& name : bench.encoders) {
    if (name == DiscardingEncoder().name)
      FailInput("--encoder: \"{}\" is the harness's own, measured in every run; name a real one", name);
    grid.encoders.push_back(ParseOne("encoder", name, [](const std::string& text) { return FindFamily(text).name; }));
  }
  grid.named = !grid.encoders.empty();
  grid.presets = bench.presets;
  grid.sizes = ParseAll<FrameSize>("size", bench.sizes, FrameSize::Parse);
  grid.frame_rates = ParseAll<FrameRate>("frame-rate", bench.frame_rates, FrameRate::Parse);
  grid.rate_controls = ParseAll<RateControl>("rate-control", bench.rate_controls, ParseRateControl);
  grid.bit_rates = ParseAll<BitRate>("bit-rate", bench.bit_rates, BitRate::Parse);
  return grid;
}

// Without a show, the largest size and rate that are asked for are the source's.
Show ShowOfOptions(const Session& session, const Grid& grid) {
  ShowOverrides overrides = session.request().overrides;
  if (!overrides.contains("footage"))
    FailInput("bench needs a show (--show FILE), or pictures at least: --footage start-line, or a clip of your game");
  const bool clip = std::any_of(overrides["footage"].begin(), overrides["footage"].end(),
                                [](const std::string& item) { return !IsScene(item); });
  if (grid.sizes.empty() && !overrides.contains("source-size") && !clip)
    FailInput("bench without a show needs the picture's size: --size 1280x720");
  if (grid.frame_rates.empty() && !clip) FailInput("bench without a show needs the frame rate: --frame-rate 60");
  if (!grid.sizes.empty() && !overrides.contains("source-size"))
    overrides["source-size"] = {std::max_element(grid.sizes.begin(), grid.sizes.end(), [](FrameSize a, FrameSize b) {
                                  return a.pixels() < b.pixels();
                                })->str()};
  if (!grid.frame_rates.empty())
    overrides["frame-rate"] = {
        std::max_element(grid.frame_rates.begin(), grid.frame_rates.end(), [](FrameRate a, FrameRate b) {
          return a.fps() < b.fps();
        })->str()};
  const bool needs_rate =
      grid.rate_controls.empty() || std::any_of(grid.rate_controls.begin(), grid.rate_controls.end(),
                                                [](RateControl kind) { return kind != RateControl::kConstantQuality; });
  if (grid.bit_rates.empty() && needs_rate && session.request().bench.maximum_bit_rate.empty())
    FailInput("bench without a show needs a bit rate: --bit-rate \"4500 kbit/s\"");
  // The targets want one whatever rules in the end.
  overrides["stream-bit-rate"] = {grid.bit_rates.empty() ? "1000 kbit/s" : grid.bit_rates.front().str()};
  overrides.try_emplace("title", std::vector<std::string>{"Bench"});
  return ReadShow("", overrides, {session.places().share / "demo" / "destinations", "/"});
}

void ApplyOptions(const BenchOptions& bench, EncodeSettings& settings) {
  if (!bench.maximum_bit_rate.empty())
    settings.maximum_bit_rate = ParseOne("maximum-bit-rate", bench.maximum_bit_rate, BitRate::Parse);
  if (!bench.maximum_bit_rate.empty() && settings.maximum_bit_rate < settings.bit_rate)
    FailInput("--maximum-bit-rate: {} is less than the average of {}", settings.maximum_bit_rate.str(),
              settings.bit_rate.str());
  settings.quality_level = bench.quality_level;
  settings.buffer_seconds = bench.buffer_seconds.value_or(settings.buffer_seconds);
  settings.keyframe_seconds = bench.keyframe_seconds.value_or(settings.keyframe_seconds);
  if (!(settings.buffer_seconds > 0 && settings.buffer_seconds <= 60)) FailInput("--buffer: must be 0 to 60 s");
  if (!(settings.keyframe_seconds > 0 && settings.keyframe_seconds <= 60))
    FailInput("--keyframe-interval: must be 0 to 60 s");
  settings.b_frames = bench.b_frames;
  settings.look_ahead_frames = bench.look_ahead;
  if (!bench.adaptive_quantisation.empty())
    settings.adaptive_quantisation = ParseOne("adaptive-quantisation", bench.adaptive_quantisation, ParseSwitch);
  if (!bench.psychovisual.empty()) settings.psychovisual = ParseOne("psychovisual", bench.psychovisual, ParseSwitch);
  if (!bench.scaler.empty()) settings.scaler = ParseOne("scaler", bench.scaler, ParseScaleFilter);
  if (!bench.multi_pass.empty()) settings.multi_pass = ParseOne("multi-pass", bench.multi_pass, ParseSwitch);
  settings.profile = bench.profile;
  settings.bit_depth = bench.bit_depth.value_or(8);
  if (settings.bit_depth != 8 && settings.bit_depth != 10)
    FailInput("--bit-depth: must be 8 or 10, not {}", settings.bit_depth);
  if (!bench.chroma.empty()) settings.chroma = ParseOne("chroma", bench.chroma, ParseChroma);
}

void CheckAgainstSource(const Grid& grid, const Show& show) {
  for (const FrameSize size : grid.sizes)
    if (size.width > show.source_size.width || size.height > show.source_size.height)
      FailInput("--size: {} is larger than the source's {}; enlarging adds no detail", size.str(),
                show.source_size.str());
  for (const FrameRate rate : grid.frame_rates)
    if (rate.fps() > show.source_rate.fps() + 1e-9)
      FailInput("--frame-rate: {} is more than the source's {}", rate.str(), show.source_rate.str());
}

// Only what runs on the devices that are named is measured; where none is, each encoder on the first that it works on.
void KeepToDevices(Session& session, Grid& grid) {
  const std::vector<std::string>& asked = session.request().bench.devices;
  if (asked.empty()) {
    for (const std::string& encoder : grid.encoders)
      grid.devices.emplace(encoder, session.encoders().FirstUsableDevice(encoder));
    return;
  }
  AllowedDevices devices;
  devices.only.emplace();
  for (const std::string& one : asked) {
    if (one.empty()) FailInput("--device: say \"cpu\", or which GPU");
    devices.only->merge(*DevicesCalled(session, one, "--device").only);
  }
  const std::string all = fmt::format("{}", fmt::join(asked, ", "));
  if (grid.named)
    for (const std::string& encoder : grid.encoders) EncodersOn(devices, {encoder}, all, "--device");
  grid.encoders = EncodersOn(devices, grid.encoders, all, "--device");
  grid.devices = std::move(*devices.only);
}

// One encode each of what differs beside the preset: what does not open there opens with no preset.
void DropWhatDoesNotOpen(Session& session, bool named, BenchPlan& plan) {
  std::set<std::string> good, bad;
  std::string trouble;
  std::erase_if(plan.settings, [&](const EncodeSettings& settings) {
    const std::string key = fmt::format("{}/{}/{}", settings.encoder, settings.device, settings.size.str());
    if (!good.contains(key) && !bad.contains(key)) {
      session.progress().Show(settings.encoder, 0);
      const ProbeOutcome probe = session.runner().Probe(settings);
      if (!probe.works && named)
        FailInput("--encoder {} at {}: {}", settings.encoder, settings.size.str(), probe.reason);
      if (!probe.works) trouble = settings.encoder + ": " + probe.reason;
      (probe.works ? good : bad).insert(key);
      plan.cards[{settings.encoder, settings.device}] = CardName(probe.device_name);
    }
    return bad.contains(key);
  });
  if (plan.settings.empty()) throw Error(Fault::kMachine, trouble);
}

// What a question is put to: one size, frame rate and bit rate; without a named encoder or preset, the ones
// that most people start with.
Question ReadQuestion(const Session& session, Grid grid, const Targets& targets) {
  const BenchOptions& bench = session.request().bench;
  SearchSpace space = SpaceOf(targets, grid.encoders);
  const auto falling = [](const auto& a, const auto& b) { return a.height > b.height; };
  if (grid.sizes.size() > 1) space.sizes = grid.sizes;
  std::sort(space.sizes.begin(), space.sizes.end(), falling);
  if (grid.frame_rates.size() > 1) space.rates = grid.frame_rates;
  std::sort(space.rates.begin(), space.rates.end(), [](FrameRate a, FrameRate b) { return a.fps() > b.fps(); });
  std::vector<BitRate> rates = std::exchange(grid.bit_rates, {});
  EncodeSettings base = targets.stream;
  if (!rates.empty()) base.bit_rate = base.maximum_bit_rate = rates[rates.size() / 2];
  if (grid.sizes.size() > 1) grid.sizes = {space.sizes.front()};
  if (grid.frame_rates.size() > 1) grid.frame_rates = {space.rates.front()};
  if (!grid.named && bench.question != "encoder") {
    grid.encoders = {grid.encoders.front()};
    grid.named = true;
  }
  const auto& presets = FindFamily(grid.encoders.front()).presets;
  if (grid.presets.empty() && bench.question != "encoder") grid.presets = {presets[presets.size() / 4]};
  return MakeQuestion(bench.question, Combine(grid, base), space, rates);
}

// The encodes of an earlier bench, as they were.
BenchPlan PlanLike(Session& session) {
  BenchPlan plan;
  ShowOverrides overrides = session.request().overrides;
  overrides.insert({{"stream-bit-rate", {"1000 kbit/s"}}, {"title", {"Bench"}}});  // the encodes have their own
  plan.show = ReadShow("", overrides, {session.places().share / "demo" / "destinations", "/"});
  plan.settings = EncodesLike(session.request().bench.like);
  session.progress().Stage("opening the encoders", 1);
  DropWhatDoesNotOpen(session, true, plan);
  session.progress().Clear();
  return plan;
}

}  // namespace

BenchPlan MakeBenchPlan(Session& session) {
  const BenchOptions& bench = session.request().bench;
  if (!bench.like.empty()) return PlanLike(session);
  Grid grid = ReadGrid(bench);
  BenchPlan plan;
  plan.of_show = !session.request().show.empty();
  plan.show = plan.of_show ? LoadShow(session) : ShowOfOptions(session, grid);
  CheckAgainstSource(grid, plan.show);
  Targets targets = ChooseTargets(plan.show);
  if (plan.of_show) plan.warnings = targets.warnings;
  ApplyOptions(bench, targets.stream);
  if (!grid.named)
    grid.encoders = StreamEncoders(session, plan.show, targets.stream_codecs, targets.stream.rate_control);
  KeepToDevices(session, grid);
  if (!bench.question.empty()) {
    plan.question = ReadQuestion(session, grid, targets);
    plan.settings = EncodesOf(*plan.question);
  } else {
    plan.settings = Combine(grid, targets.stream);
  }
  session.progress().Stage("opening the encoders", 1);
  DropWhatDoesNotOpen(session, grid.named || plan.question, plan);
  session.progress().Clear();
  return plan;
}

}  // namespace kettle::app
