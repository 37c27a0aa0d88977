// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "commands.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/planning/plan.h"
#include "kettle/planning/targets.h"
#include "kettle/quality/plane_metrics.h"
#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"
#include "report/figures.h"

namespace kettle::app {

namespace {

using nlohmann::json;

// The usable families, or those of them that the request names.
std::vector<std::string> WantedFamilies(Session& session) {
  const std::vector<std::string>& wanted = session.request().encoders;
  for (const std::string& name : wanted) {
    if (name == DiscardingEncoder().name)
      FailInput("--encoder: \"{}\" is the harness's own, measured in every run; name a real one", name);
    const EncoderFamily& family = FindFamily(name);
    for (const FoundEncoder& found : session.FindEncoders())
      if (found.name == family.name && !found.probe.works) FailInput("--encoder {}: {}", name, found.probe.reason);
  }
  return wanted.empty() ? session.UsableEncoders() : wanted;
}

std::vector<EncodeSettings> WantedSettings(Session& session, const EncodeSettings& target) {
  const std::vector<std::string>& wanted = session.request().presets;
  std::vector<EncodeSettings> settings;
  std::vector<std::string> known;
  for (const std::string& family : WantedFamilies(session))
    for (const std::string& preset : FindFamily(family).presets) {
      known.push_back(preset);
      if (wanted.empty() || std::find(wanted.begin(), wanted.end(), preset) != wanted.end())
        settings.push_back(WithEncoder(target, family, preset));
    }
  for (const std::string& preset : wanted)
    if (std::find(known.begin(), known.end(), preset) == known.end())
      FailInput("--preset: there is no preset \"{}\"{}", preset, Suggestion(preset, known));
  return settings;
}

std::vector<PacedTrial> RunPacedTrials(Session& session, const std::vector<EncodeSettings>& settings,
                                       const std::vector<Footage>& footage) {
  constexpr double kSeconds = 5;
  std::vector<PacedTrial> trials;
  session.progress().Stage("in real time", static_cast<int>(settings.size() * footage.size()));
  for (const EncodeSettings& setting : settings)
    for (const Footage& pictures : footage) {
      trials.push_back(session.runner().RunPaced(setting, pictures, kSeconds));
      session.progress().StepDone();
    }
  session.progress().Clear();
  return trials;
}

void PrintPaced(const std::vector<PacedTrial>& trials) {
  if (trials.empty()) return;
  fmt::print("\n{}\n", Paint("In real time, each alone", Tone::kStrong));
  Table table({{"encoder"},
               {"preset"},
               {"footage"},
               Number("frames"),
               Number("late"),
               Number("skipped"),
               Number("deepest queue"),
               Number("latency p99, ms"),
               {"keeps pace"}});
  for (const PacedTrial& t : trials) {
    const bool done = t.status == WorkerStatus::kDone, good = done && t.skipped == 0;
    table.Row({{t.settings.encoder + (t.simulated ? " (simulated)" : "")},
               {t.settings.preset},
               {t.footage},
               Number(fmt::format("{}", t.frames)),
               Number(fmt::format("{}", t.late)),
               Number(fmt::format("{}", t.skipped)),
               Number(fmt::format("{}", t.deepest_queue)),
               Number(fmt::format("{:.1f}", t.latency.p99_ms)),
               {done ? (good ? "yes" : "no") : t.detail, good ? Tone::kGood : Tone::kBad}});
  }
  fmt::print("{}", table.str());
}

}  // namespace

Table OptionTable(const std::vector<Option>& options, double required_headroom) {
  Table table({{"encoder"},
               {"preset"},
               Number("frames/s"),
               Number("headroom"),
               Number("cores"),
               Number("SSIM"),
               Number("worst second"),
               {"verdict"}});
  for (const Option& option : options) {
    const bool works = option.trouble.empty(), holds = works && option.keeps_pace(required_headroom);
    const auto figure = [&](const std::string& text) {
      return Number(works ? text : "-", holds ? Tone::kPlain : Tone::kDim);
    };
    std::string verdict = holds                 ? "keeps pace"
                          : option.headroom < 0 ? "overload"
                                                : fmt::format("headroom below {:.0f} %", required_headroom * 100);
    if (!works) verdict = option.trouble;
    table.Row({{option.settings.encoder + (option.simulated ? " (simulated)" : "")},
               {option.settings.preset},
               figure(fmt::format("{:.0f}", option.throughput_fps)),
               figure(fmt::format("{:.0f} %", option.headroom * 100)),
               figure(fmt::format("{:.2f}", option.cpu_cores)),
               figure(fmt::format("{:.2f} dB", option.score)),
               figure(fmt::format("{:.2f} dB", SsimDb(option.quality.worst_second_ssim_y))),
               {verdict, holds ? Tone::kGood : Tone::kBad}});
  }
  return table;
}

Show LoadShow(const Session& session) {
  const Places& places = session.places();
  return ReadShow(session.request().show, session.request().overrides, {places.share / "demo" / "destinations", "/"});
}

int RunBench(Session& session) {
  const Show show = LoadShow(session);
  const Targets targets = ChooseTargets(show);
  const std::vector<EncodeSettings> settings = WantedSettings(session, targets.stream);
  const std::vector<Footage> footage = session.PrepareAll(show);

  TrialBook book(session.runner(), session.KnownTrials(),
                 [&](const std::vector<Trial>& trials) { session.KeepTrials(trials); });
  session.progress().Stage("trials", static_cast<int>(settings.size() * footage.size()));
  std::vector<Option> options;
  for (const EncodeSettings& setting : settings) {
    std::vector<Trial> trials;
    for (const Footage& pictures : footage) {
      trials.push_back(book.Get(setting, pictures));
      session.progress().StepDone();
    }
    options.push_back(MakeOption(trials, true));
  }
  session.progress().Clear();
  const std::vector<PacedTrial> paced =
      session.request().paced ? RunPacedTrials(session, settings, footage) : std::vector<PacedTrial>{};
  session.KeepTrials(book.trials(), paced);
  DrawSpeedQuality(session.out(), options, std::nullopt, show.required_headroom);

  bool simulated = false;
  for (const Option& option : options) simulated = simulated || option.simulated;
  if (session.request().json) {
    fmt::print(
        "{}\n",
        json{{"options", options}, {"paced", paced}, {"trials", book.trials()}, {"simulated", simulated}}.dump(2));
    return 0;
  }
  fmt::print("{}\n{} at {} frames a second, {}, each encode alone; figures of the footage on which it does worst\n\n",
             Paint(show.title, Tone::kStrong), targets.stream.size.str(), targets.stream.frame_rate.str(),
             targets.stream.bit_rate.str());
  fmt::print("{}", OptionTable(options, show.required_headroom).str());
  PrintPaced(paced);
  for (const std::string& warning : targets.warnings) fmt::print("\nMind: {}\n", warning);
  if (simulated) fmt::print("\n{}", SimulatedNotice());
  const std::string& gpu = session.request().stand_in_gpu;
  fmt::print("\n{} trials measured, {} used again. Results and figure in {}/\n", book.measured(), book.reused(),
             session.out().string());
  fmt::print("Next: fast-kettle plan --show {} --out {}{}\n", session.request().show, session.out().string(),
             gpu.empty() ? "" : " --stand-in-gpu " + gpu);
  return 0;
}

}  // namespace kettle::app
