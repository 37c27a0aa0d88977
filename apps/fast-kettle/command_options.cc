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
  add("help,h", "this text");
  add("out", po::value(&request.out)->value_name("DIR"), "folder for results (default: kettle-out)");
  add("json", po::bool_switch(&request.json), "print the result as JSON instead of a table");
  add("quiet", po::bool_switch(&request.quiet), "no progress on standard error");
  add("stand-in-gpu", po::value(&request.stand_in_gpu)->value_name("PROFILE"),
      "use a simulated GPU: a profile file, or a shipped one's name (modest, pair)");
  return options;
}

void AddMeasuring(po::options_description& options, Request& request) {
  options.add_options()("footage-seconds", po::value(&request.footage_seconds)->value_name("S"),
                        "of each scene or clip (default: 3)");
}

// A value that is only set when the option is given.
template <typename T>
po::typed_value<T>* Optional(std::optional<T>& value, const char* name) {
  return po::value<T>()->value_name(name)->notifier([&value](const T& given) { value = given; });
}

po::options_description CombinedOptions(BenchOptions& bench) {
  po::options_description options("What to combine; each may be given several times");
  auto add = options.add_options();
  add("encoder", po::value(&bench.encoders)->value_name("NAME"),
      "x264, x265, svt-av1, vp9, nvenc-hevc ...; survey lists them");
  add("preset", po::value(&bench.presets)->value_name("NAME"), "of those encoders that have it (default: all)");
  add("device", po::value(&bench.devices)->value_name("N"), "which GPU, counted from 0");
  add("size", po::value(&bench.sizes)->value_name("WxH"), "of the encode");
  add("frame-rate", po::value(&bench.frame_rates)->value_name("RATE"), "of the encode: 60, 60000/1001");
  add("rate-control", po::value(&bench.rate_controls)->value_name("KIND"),
      "constant-bit-rate, capped-variable, constant-quality, capped-quality");
  add("bit-rate", po::value(&bench.bit_rates)->value_name("RATE"), "average: \"4500 kbit/s\"");
  return options;
}

po::options_description SettingOptions(BenchOptions& bench) {
  po::options_description options("What to ask of every encode");
  auto add = options.add_options();
  add("maximum-bit-rate", po::value(&bench.maximum_bit_rate)->value_name("RATE"), "for the capped rate controls");
  add("quality-level", Optional(bench.quality_level, "N"), "for the quality rate controls, on the encoder's own scale");
  add("buffer", Optional(bench.buffer_seconds, "S"), "seconds that the decoder buffer holds");
  add("keyframe-interval", Optional(bench.keyframe_seconds, "S"), "seconds");
  add("b-frames", Optional(bench.b_frames, "N"), "at most so many in a row");
  add("look-ahead", Optional(bench.look_ahead, "N"), "frames; 0: none");
  add("adaptive-quantisation", po::value(&bench.adaptive_quantisation)->value_name("on|off"), "");
  add("psycho-visual", po::value(&bench.psycho_visual)->value_name("on|off"), "tuning for the eye");
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
  add("resume", po::bool_switch(&bench.resume), "go on with the run in the folder; finished trials are not repeated");
  add("dry-run", po::bool_switch(&bench.dry_run), "list the trials and the expected time, measure nothing");
  add("time-budget", po::value<std::string>()->value_name("TIME")->notifier([&bench](const std::string& text) {
    bench.budget_seconds = ParseDuration("time-budget", text);
  }),
      "end within this time: 90s, 5min");
  add("question", po::value(&bench.question)->value_name("NAME"),
      "compare the ways to set one thing at the same bit rate: size, frame-rate, encoder, scaler, b-frames, "
      "look-ahead, "
      "adaptive-quantisation, psycho-visual, multi-pass, keyframe-interval, buffer, profile");
  add("repeats", po::value(&bench.repeats)->value_name("N"), "of each trial, at most (default: 5)");
  add("soak", Optional(bench.soak_minutes, "MINUTES"), "run one setting for so long and look for drift");
  add("patience", po::value(&bench.patience_seconds)->value_name("S"),
      "an encoder that is silent for longer counts as hung (default: 15)");
  add("paced", po::bool_switch(&bench.paced), "run each in real time as well, and count skipped frames");
}

void AddUplink(po::options_description& options, UplinkOptions& uplink) {
  auto add = options.add_options();
  add("to", po::value(&uplink.to)->value_name("URL"),
      "measure: publish to rtmp://host/app, rtmps://... or srt://host:port, or to all ingests of a destination by "
      "name; "
      "repeatable");
  add("key-file", po::value(&uplink.key_file)->value_name("FILE"),
      "holds the stream key in its first line (SRT: a passphrase in its second)");
  add("seconds", po::value(&uplink.seconds)->value_name("S"), "of measuring, for each ingest (default: 20)");
  add("most", po::value(&uplink.most)->value_name("RATE"),
      "send no more than this in any second (default: what the destinations need, told before it is sent)");
  add("encoder", po::value(&uplink.encoder)->value_name("NAME"), "for comparing rate controls (default: x264)");
  add("preset", po::value(&uplink.preset)->value_name("NAME"), "its preset (default: superfast)");
}

void AddRehearse(po::options_description& options, RehearseOptions& rehearse) {
  auto add = options.add_options();
  add("seconds", po::value(&rehearse.seconds)->value_name("S"), "how long (default: 60)");
  add("to", po::value(&rehearse.to)->value_name("URL"),
      "an ingest of yours: rtmp://host/app or rtmps://...; not one that is public");
  add("key-file", po::value(&rehearse.key_file)->value_name("FILE"), "holds the stream key in its first line");
  add("link", po::value(&rehearse.link)->value_name("FILE"),
      "without --to: shapes the simulated ingest's line (TOML: rate or trace, delay_ms, outages)");
  add("recording-folder", po::value(&rehearse.folder)->value_name("DIR"),
      "where the recording goes: the disk to be tried (default: the output folder)");
  add("container", po::value(&rehearse.container)->value_name("NAME"),
      "of the recording: matroska (usual), fragmented-mp4, mp4");
  add("audio-tracks", po::value(&rehearse.audio_tracks)->value_name("N"), "in the recording (default: 1)");
  add("record-from", po::value(&rehearse.record_from)->value_name("S"), "start recording so late");
  add("record-to", po::value(&rehearse.record_to)->value_name("S"), "stop recording so early, and stream on");
  add("power-cut", po::value(&rehearse.power_cut)->value_name("S"),
      "kill the run after so long, recording in every container, and tell what is left of each");
  add("climb", po::bool_switch(&rehearse.climb),
      "take the plan's steps one by one, rehearsing after each, until it holds; then see which can be taken back");
  add("anyway", po::bool_switch(&rehearse.anyway), "rehearse a plan of another machine");
  add("load", po::value(&rehearse.load)->value_name("PROFILE"),
      "replay a load meanwhile, or live: the game is running");
  add("stand-in-game", po::value(&rehearse.game_cores)->value_name("CORES"),
      "run a simulated game beside it that takes so much, and tell what it loses");
}

// `taken` are options of the command itself that mean something else.
po::options_description ShowOptions(ShowOverrides& values, const po::options_description& taken) {
  po::options_description options("Values of the show, each overriding the file's");
  for (const ShowKey& key : ShowKeys()) {
    if (taken.find_nothrow(key.option, false)) continue;
    auto* semantic = po::value(&values[key.option])->value_name("VALUE");
    options.add_options()(key.option.c_str(), semantic, key.help.c_str());
  }
  return options;
}

void AddPlan(po::options_description& options, Request& request) {
  auto add = options.add_options();
  add("fresh", po::bool_switch(&request.fresh), "measure again what an earlier run measured");
  add("exhaustive", po::bool_switch(&request.exhaustive),
      "try every size, frame rate, encoder and preset first, and check the search against them; takes long");
}

void AddSurvey(po::options_description& options, Request& request) {
  auto add = options.add_options();
  add("root", po::value(&request.root)->value_name("DIR"),
      "read another tree of /proc, /sys and /dev; opens no encoder");
  add("recording-folder", po::value(&request.recording_folder)->value_name("DIR"),
      "where recordings go (default: the output folder)");
}

po::options_description VerbOptions(Request& request) {
  po::options_description options("Options");
  options.add_options()("help,h", "this text")("json", po::bool_switch(&request.json),
                                               "print the result as JSON instead of a table")(
      "quiet", po::bool_switch(&request.quiet), "no progress on standard error");
  return options;
}

po::options_description FootageOptionsOf(Request& request) {
  FootageOptions& footage = request.footage;
  po::options_description options = VerbOptions(request);
  auto add = options.add_options();
  add("size", po::value(&footage.size)->value_name("WxH"), "render: of the pictures (default: 1280x720)");
  add("frame-rate", po::value(&footage.frame_rate)->value_name("RATE"), "render: default 60");
  add("seconds", po::value(&footage.seconds)->value_name("S"), "render: how long (default: 10)");
  add("out", po::value(&footage.file)->value_name("FILE"), "render: the Y4M file (default: SCENE.y4m)");
  return options;
}

po::options_description LoadOptionsOf(Request& request) {
  po::options_description options = VerbOptions(request);
  auto add = options.add_options();
  add("seconds", Optional(request.load.seconds, "S"), "how long (capture: 60; replay: as long as the profile)");
  add("out", po::value(&request.load.file)->value_name("FILE"), "capture: the profile (default: game.load.json)");
  add("stand-in-gpu", po::value(&request.stand_in_gpu)->value_name("PROFILE"),
      "watch a simulated GPU, or replay on one what was taken of a GPU");
  return options;
}

}  // namespace

std::vector<po::options_description> OptionsOf(const Command& command, Request& request, ShowOverrides& values) {
  if (command.name == "footage") return {FootageOptionsOf(request)};
  if (command.name == "load") return {LoadOptionsOf(request)};
  std::vector<po::options_description> groups{CommonOptions(request)};
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
  if (command.name == "survey") AddSurvey(groups[0], request);
  if (command.name == "plan" || command.name == "demo")
    groups[0].add_options()("proof-seconds", po::value(&request.proof_seconds)->value_name("S"),
                            "length of the proof run (default: 10)");
  if (command.name == "demo")
    groups[0].add_options()("without-stand-in", po::bool_switch(&request.without_stand_in),
                            "no simulated GPU: what is here, or the CPU alone");
  if (!command.takes_show) return groups;
  po::options_description all;
  for (const auto& group : groups) all.add(group);
  groups.push_back(ShowOptions(values, all));
  return groups;
}

}  // namespace kettle::app
