// SPDX-License-Identifier: Apache-2.0
#include "command_options.h"

#include <fmt/format.h>

#include <cstdlib>

#include "kettle/units/error.h"

namespace kettle::app {

namespace po = boost::program_options;

namespace {

po::options_description CommonOptions(Request& request) {
  po::options_description options("Options");
  auto add = options.add_options();
  add("help,h", "what most people need; --help all: everything");
  add("out", po::value(&request.out)->value_name("DIR"), "folder for results (default: kettle-out)");
  add("json", po::bool_switch(&request.json), "print the result as JSON instead of a table");
  add("quiet", po::bool_switch(&request.quiet), "no progress on standard error");
  add("stand-in-gpu", po::value(&request.stand_in_gpu)->value_name("PROFILE"),
      "use a simulated GPU: a profile file, or a shipped one's name (modest, pair)");
  return options;
}

void AddMeasuring(po::options_description& options, Request& request) {
  options.add_options()("footage-seconds", po::value(&request.footage_seconds)->value_name("S"),
                        "seconds of each scene or clip to use (default: 3)");
}

// A value that is only set when the option is given.
template <typename T>
po::typed_value<T>* Optional(std::optional<T>& value, const char* name) {
  return po::value<T>()->value_name(name)->notifier([&value](const T& given) { value = given; });
}

po::options_description CombinedOptions(BenchOptions& bench) {
  po::options_description options("What to combine; each option may be repeated");
  auto add = options.add_options();
  add("encoder", po::value(&bench.encoders)->value_name("NAME"),
      "x264, x265, svt-av1, vp9, nvenc-hevc ...; survey lists them");
  add("preset", po::value(&bench.presets)->value_name("NAME"), "where the encoder has it (default: all)");
  add("device", po::value(&bench.devices)->value_name("WHERE"),
      "\"cpu\", or a GPU by its number in the survey, its PCI address or its name (default: each encoder's first)");
  add("size", po::value(&bench.sizes)->value_name("WxH"), "of the encoded picture");
  add("frame-rate", po::value(&bench.frame_rates)->value_name("RATE"), "of the encoded video: 60, 60000/1001");
  add("rate-control", po::value(&bench.rate_controls)->value_name("KIND"),
      "constant-bit-rate, capped-variable, constant-quality, capped-quality");
  add("bit-rate", po::value(&bench.bit_rates)->value_name("RATE"), "average: \"4500 kbit/s\"");
  return options;
}

po::options_description SettingOptions(BenchOptions& bench) {
  po::options_description options("Settings of every encode");
  auto add = options.add_options();
  add("maximum-bit-rate", po::value(&bench.maximum_bit_rate)->value_name("RATE"),
      "for capped-variable and capped-quality");
  add("quality-level", Optional(bench.quality_level, "N"),
      "for constant-quality and capped-quality, on the encoder's own scale");
  add("buffer", Optional(bench.buffer_seconds, "S"), "decoder buffer, in seconds");
  add("keyframe-interval", Optional(bench.keyframe_seconds, "S"), "seconds between keyframes");
  add("b-frames", Optional(bench.b_frames, "N"), "maximum consecutive B-frames");
  add("look-ahead", Optional(bench.look_ahead, "N"), "look-ahead in frames; 0: none");
  add("adaptive-quantisation", po::value(&bench.adaptive_quantisation)->value_name("on|off"), "");
  add("psychovisual", po::value(&bench.psychovisual)->value_name("on|off"), "psychovisual optimisation");
  add("multi-pass", po::value(&bench.multi_pass)->value_name("on|off"), "");
  add("scaler", po::value(&bench.scaler)->value_name("NAME"), "bilinear, bicubic (usual), lanczos");
  add("profile", po::value(&bench.profile)->value_name("NAME"), "high, main, main10 ...");
  add("bit-depth", Optional(bench.bit_depth, "N"), "8 or 10");
  add("chroma", po::value(&bench.chroma)->value_name("FORMAT"), "4:2:0 or 4:4:4");
  return options;
}

// "90", "90s", "5min", "1h".
double ParseDuration(const std::string& option, const std::string& text) {
  char* end = nullptr;
  const double number = std::strtod(text.c_str(), &end);
  const std::string unit = end;
  const double factor = unit.empty() || unit == "s" ? 1 : unit == "min" ? 60 : unit == "h" ? 3600 : 0;
  if (end == text.c_str() || factor == 0 || !(number > 0))
    FailInput("--{}: \"{}\" is not a time; write 90s, 5min or 1h", option, text);
  return number * factor;
}

void AddBench(po::options_description& options, BenchOptions& bench) {
  auto add = options.add_options();
  add("resume", po::bool_switch(&bench.resume), "continue the run in the folder; finished trials are not repeated");
  add("dry-run", po::bool_switch(&bench.dry_run), "list the trials and the expected time; measure nothing");
  add("time-budget", po::value<std::string>()->value_name("TIME")->notifier([&bench](const std::string& text) {
    bench.budget_seconds = ParseDuration("time-budget", text);
  }),
      "end within this time: 90s, 5min");
  add("question", po::value(&bench.question)->value_name("NAME"),
      "compare settings of one thing at the same bit rate: size, frame-rate, encoder, scaler, b-frames, "
      "look-ahead, "
      "adaptive-quantisation, psychovisual, multi-pass, keyframe-interval, buffer, profile");
  add("like", po::value(&bench.like)->value_name("RUN"),
      "measure again what a bench of the history measured, to compare after an update");
  add("repeats", po::value(&bench.repeats)->value_name("N"), "runs of each trial, at most (default: 5)");
  add("soak", Optional(bench.soak_minutes, "MINUTES"),
      "encode one setting for this long and check whether it slows down");
  add("patience", po::value(&bench.patience_seconds)->value_name("S"),
      "an encoder that does not answer for this long counts as hung (default: 15)");
  add("paced", po::bool_switch(&bench.paced), "also encode each in real time and count skipped frames");
}

void AddUplink(po::options_description& options, UplinkOptions& uplink) {
  auto add = options.add_options();
  add("to", po::value(&uplink.to)->value_name("URL"),
      "measure by publishing to rtmp://host/app, rtmps://... or srt://host:port, or to all ingests of a destination "
      "by name; repeatable");
  add("key-file", po::value(&uplink.key_file)->value_name("FILE"),
      "file with the stream key in its first line (SRT: a passphrase in its second)");
  add("seconds", po::value(&uplink.seconds)->value_name("S"), "seconds to measure each ingest (default: 20)");
  add("most", po::value(&uplink.most)->value_name("RATE"),
      "never send more than this (default: what the destinations need)");
  add("codec", po::value(&uplink.codec)->value_name("NAME"),
      "of the test stream: h264, hevc or av1 (default: h264, or what the destination accepts)");
  add("encoder", po::value(&uplink.encoder)->value_name("NAME"), "for comparing rate controls (default: x264)");
  add("preset", po::value(&uplink.preset)->value_name("NAME"), "its preset (default: superfast)");
}

void AddRehearse(po::options_description& options, RehearseOptions& rehearse) {
  auto add = options.add_options();
  add("seconds", po::value(&rehearse.seconds)->value_name("S"), "length of the rehearsal (default: 60)");
  add("to", po::value(&rehearse.to)->value_name("URL"),
      "your own ingest, not a public one: rtmp://host/app, rtmps://... or srt://host:port; repeatable: all at once");
  add("key-file", po::value(&rehearse.key_files)->value_name("FILE"),
      "file with the stream key in its first line (SRT: a passphrase in its second); repeatable, in the order of --to");
  add("save-at", po::value(&rehearse.save_at)->value_name("S"),
      "save the last seconds that the plan keeps in memory, after S seconds");
  add("link", po::value(&rehearse.link)->value_name("FILE"),
      "without --to: the simulated ingests' line (TOML: rate or trace, delay_ms, outages; [[ingest]] with a name: its "
      "own)");
  add("recording-folder", po::value(&rehearse.folder)->value_name("DIR"),
      "where the recording goes (default: the output folder)");
  add("container", po::value(&rehearse.container)->value_name("NAME"),
      "of the recording: matroska (usual), fragmented-mp4, mp4");
  add("audio-tracks", po::value(&rehearse.audio_tracks)->value_name("N"), "in the recording (default: 1)");
  add("record-from", po::value(&rehearse.record_from)->value_name("S"), "start recording after S seconds");
  add("record-to", po::value(&rehearse.record_to)->value_name("S"),
      "stop recording after S seconds and keep streaming");
  add("power-cut", po::value(&rehearse.power_cut)->value_name("S"),
      "kill the run after S seconds, recording in every container, and tell what each still plays");
  add("climb", po::bool_switch(&rehearse.climb),
      "rehearse again and again, one step down the plan each time, until it holds; then undo the steps that were not "
      "needed");
  add("anyway", po::bool_switch(&rehearse.anyway), "rehearse a plan that another machine made");
  add("load", po::value(&rehearse.load)->value_name("PROFILE"),
      "replay a load profile meanwhile; \"live\": the game is running");
  add("stand-in-game", po::value(&rehearse.game_cores)->value_name("CORES"),
      "run a simulated game of this many cores beside it and tell what it loses");
  add("game-frames", po::value(&rehearse.game_frames)->value_name("FILE"),
      "your game's log of frame times, still written to: CSV, seconds,milliseconds");
}

// `taken` are options of the command itself that mean something else.
po::options_description ShowOptions(ShowOverrides& values, const po::options_description& taken) {
  po::options_description options("Values of the show; each overrides the file");
  for (const ShowKey& key : ShowKeys()) {
    if (taken.find_nothrow(key.option, false)) continue;
    auto* semantic = po::value(&values[key.option])->value_name("VALUE");
    options.add_options()(key.option.c_str(), semantic, key.help.c_str());
  }
  return options;
}

void AddPlan(po::options_description& options, Request& request) {
  auto add = options.add_options();
  add("fresh", po::bool_switch(&request.fresh), "measure everything again");
  add("time-budget", po::value<std::string>()->value_name("TIME")->notifier([&request](const std::string& text) {
    request.plan_budget_seconds = ParseDuration("time-budget", text);
  }),
      "the best plan that can be found and proven in this time: 60s, 2min; says what it left out");
  add("exhaustive", po::bool_switch(&request.exhaustive),
      "measure every size, frame rate, encoder and preset first, and compare the search with that; takes long");
  add("all-pairs", po::bool_switch(&request.all_pairs),
      "also weigh every pair of stream and recording, and say what the plan's looks worse: hours, but for small "
      "pictures");
}

void AddWatch(po::options_description& options, WatchOptions& watch) {
  auto add = options.add_options();
  add("pid", po::value(&watch.pid)->value_name("N"), "the process that streams (default: the one that does)");
  add("program", po::value(&watch.program)->value_name("NAME"), "the same by its name");
  add("plan", po::value(&watch.plan)->value_name("FILE"), "the plan that it streams by: tells planned beside seen");
  add("game", po::value(&watch.game)->value_name("NAME"), "the game's process name, to tell it from other programs");
  add("seconds", po::value(&watch.seconds)->value_name("S"), "how long (default: until Ctrl-C, or the program ends)");
}

void AddSurvey(po::options_description& options, Request& request) {
  auto add = options.add_options();
  add("root", po::value(&request.root)->value_name("DIR"),
      "read /proc, /sys and /dev below this folder instead; opens no encoder");
  add("recording-folder", po::value(&request.recording_folder)->value_name("DIR"),
      "where recordings go (default: the output folder)");
}

po::options_description VerbOptions(Request& request) {
  po::options_description options("Options");
  options.add_options()("help,h", "what most people need; --help all: everything")(
      "json", po::bool_switch(&request.json), "print the result as JSON instead of a table")(
      "quiet", po::bool_switch(&request.quiet), "no progress on standard error");
  return options;
}

po::options_description FootageOptionsOf(Request& request) {
  FootageOptions& footage = request.footage;
  po::options_description options = VerbOptions(request);
  auto add = options.add_options();
  add("size", po::value(&footage.size)->value_name("WxH"), "render: picture size (default: 1280x720)");
  add("frame-rate", po::value(&footage.frame_rate)->value_name("RATE"), "render, capture: frame rate (default: 60)");
  add("seconds", Optional(footage.seconds, "S"), "render, capture: length (default: 10 and 20)");
  add("out", po::value(&footage.file)->value_name("FILE"),
      "render: the Y4M file (default: SCENE.y4m); capture: the clip (default: clip.mkv)");
  add("display", po::value(&footage.display)->value_name("NAME"), "capture: the X11 display (default: DISPLAY's)");
  add("window", po::value(&footage.window)->value_name("ID"), "capture: one window, by its X11 id (default: all)");
  return options;
}

po::options_description LoadOptionsOf(Request& request) {
  po::options_description options = VerbOptions(request);
  auto add = options.add_options();
  add("seconds", Optional(request.load.seconds, "S"), "length (capture: 60; replay: as long as the profile)");
  add("out", po::value(&request.load.file)->value_name("FILE"), "capture: the profile (default: game.load.json)");
  add("stand-in-gpu", po::value(&request.stand_in_gpu)->value_name("PROFILE"),
      "capture: watch a simulated GPU; replay: load a simulated GPU");
  return options;
}

po::options_description PrepareOptionsOf(Request& request, ShowOverrides& values) {
  po::options_description options = VerbOptions(request);
  auto add = options.add_options();
  add("out", po::value(&request.file)->value_name("FILE"), "the show file (default: my-show.toml)");
  add("overwrite", po::bool_switch(&request.overwrite), "also if it is there already");
  add("stand-in-gpu", po::value(&request.stand_in_gpu)->value_name("PROFILE"), "use a simulated GPU");
  for (const char* option :
       {"title", "footage", "reading", "destination", "stream-bit-rate", "reserve", "recording-folder", "favour"})
    for (const ShowKey& key : ShowKeys())
      if (key.option == option) add(option, po::value(&values[key.option])->value_name("VALUE"), key.help.c_str());
  return options;
}

po::options_description PastRunOptionsOf(const Command& command, Request& request) {
  po::options_description options = VerbOptions(request);
  auto add = options.add_options();
  if (command.name == "history") {
    add("last", po::value(&request.past.last)->value_name("N"), "list the last N runs (default: 20)");
    add("name", Optional(request.past.name, "NAME"),
        "give RUN a name: it is kept when older ones make room, and can be "
        "told by it");
  }
  if (command.name == "history" || command.name == "compare")
    add("kind", po::value(&request.past.kind)->value_name("KIND"),
        "only survey, uplink, bench, plan, rehearsal or watch");
  if (command.name == "restore")
    add("out", po::value(&request.out)->value_name("DIR"), "folder for the plan and its card (default: kettle-out)");
  return options;
}

}  // namespace

std::vector<po::options_description> OptionsOf(const Command& command, Request& request, ShowOverrides& values) {
  if (command.name == "footage") return {FootageOptionsOf(request)};
  if (command.name == "load") return {LoadOptionsOf(request)};
  if (command.name == "prepare") return {PrepareOptionsOf(request, values)};
  if (command.subject == "RUN") return {PastRunOptionsOf(command, request)};
  std::vector<po::options_description> groups{CommonOptions(request)};
  if (command.keeps)
    groups[0].add_options()("no-history", po::bool_switch(&request.no_history), "do not keep this run in the history");
  if (command.takes_show) {
    groups[0].add_options()("show", po::value(&request.show)->value_name("FILE"), "the show file");
    AddMeasuring(groups[0], request);
  }
  if (command.name == "bench") {
    AddBench(groups[0], request.bench);
    groups.push_back(CombinedOptions(request.bench));
    groups.push_back(SettingOptions(request.bench));
  }
  if (command.name == "uplink") AddUplink(groups[0], request.uplink);
  if (command.name == "rehearse") AddRehearse(groups[0], request.rehearse);
  if (command.name == "plan") AddPlan(groups[0], request);
  if (command.name == "watch") AddWatch(groups[0], request.watch);
  if (command.name == "survey") AddSurvey(groups[0], request);
  if (command.name == "plan" || command.name == "demo")
    groups[0].add_options()("proof-seconds", po::value(&request.proof_seconds)->value_name("S"),
                            "length of the proof run (default: 10)");
  if (command.name == "demo")
    groups[0].add_options()("without-stand-in", po::bool_switch(&request.without_stand_in),
                            "no simulated GPU: use what is here");
  if (!command.takes_show) return groups;
  po::options_description all;
  for (const auto& group : groups) all.add(group);
  groups.push_back(ShowOptions(values, all));
  return groups;
}

}  // namespace kettle::app
