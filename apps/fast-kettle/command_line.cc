// SPDX-License-Identifier: Apache-2.0
#include "command_line.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/program_options.hpp>
#include <sstream>

#include "command_options.h"
#include "command_table.h"
#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"

namespace kettle::app {

namespace po = boost::program_options;

namespace {

// For somebody who has never used it.
std::string WhatToTypeFirst() {
  return "fast-kettle survey                       what your machine has, and which encoders work on it\n"
         "fast-kettle plan --footage my-clip.mkv   settings for a clip of your game, proven in real time\n"
         "fast-kettle demo                         or first the whole job on shipped data; --help lists all commands\n";
}

std::string Overview() {
  std::string text =
      "fast-kettle: measures this machine, chooses the settings for a live stream and its recording,\n"
      "and proves them in real time.\n\nUsage: fast-kettle COMMAND [OPTIONS]\n\nCommands, in the order people use "
      "them:\n";
  for (const Command& command : Commands()) text += fmt::format("  {:<8} {}\n", command.name, command.summary);
  return text +
         "\n  fast-kettle COMMAND --help       what most people need of a command, with an example\n"
         "  fast-kettle COMMAND --help all   all its options\n"
         "  fast-kettle --help show          the values of a show\n"
         "  fast-kettle --version\n\nExample:\n  fast-kettle demo\n";
}

// Only those options that most people need.
po::options_description MainOptions(const Command& command, const std::vector<po::options_description>& groups) {
  po::options_description main("Main options");
  for (const std::string& name : command.main_options)
    for (const auto& group : groups)
      for (const auto& option : group.options())
        if (option->long_name() == name) main.add(option);
  return main;
}

std::string HelpFor(const Command& command, bool all) {
  Request request;
  ShowOverrides values;
  std::vector<po::options_description> groups = OptionsOf(command, request, values);
  std::ostringstream text;
  text << "fast-kettle " << command.name << ": " << command.summary << "\n\n"
       << command.detail << "\n\nUsage: fast-kettle " << command.name << ' ' << command.synopsis << '\n';
  if (all) {
    if (command.takes_show) groups.pop_back();
    for (const auto& group : groups) text << '\n' << group;
    if (command.takes_show) text << "\nEvery value of the show is an option too: fast-kettle --help show\n";
  } else {
    text << '\n' << MainOptions(command, groups);
  }
  text << "\nExample:\n  " << command.example << '\n';
  if (!all) text << "\nAll options: fast-kettle " << command.name << " --help all\n";
  return text.str();
}

// The values of a show, once for all commands that take one.
std::string ShowHelp() {
  const auto plan =
      std::find_if(Commands().begin(), Commands().end(), [](const Command& command) { return command.takes_show; });
  Request request;
  ShowOverrides values;
  std::ostringstream text;
  text << OptionsOf(*plan, request, values).back()
       << "\nIn a show file they stand in sections; demo/saltmarsh.toml is an example.\n";
  return text.str();
}

// The help that was asked for, if it was.
std::optional<std::string> HelpAsked(const Command& command, const std::vector<std::string>& arguments) {
  for (std::size_t i = 0; i < arguments.size(); ++i)
    if (arguments[i] == "--help" || arguments[i] == "-h")
      return HelpFor(command, i + 1 < arguments.size() && arguments[i + 1] == "all");
  return std::nullopt;
}

std::vector<std::string> Names(const std::vector<po::options_description>& groups) {
  std::vector<std::string> names;
  for (const auto& group : groups)
    for (const auto& option : group.options()) names.push_back("--" + option->long_name());
  return names;
}

// As it was typed after the option; "" if nothing was.
std::string ValueOf(const std::string& option, const std::vector<std::string>& arguments) {
  for (std::size_t i = 0; i < arguments.size(); ++i) {
    if (arguments[i] == option && i + 1 < arguments.size()) return arguments[i + 1];
    if (arguments[i].starts_with(option + "=")) return arguments[i].substr(option.size() + 1);
  }
  return "";
}

// The options library's complaints as one line of ours.
[[noreturn]] void Refuse(const std::string& command, const po::error& error, const std::vector<std::string>& arguments,
                         const std::vector<std::string>& names) {
  const std::string help = "; see fast-kettle " + command + " --help";
  const auto* named = dynamic_cast<const po::error_with_option_name*>(&error);
  if (!named) FailInput("{} does not understand these options{}", command, help);
  const std::string option = named->get_option_name();
  if (dynamic_cast<const po::unknown_option*>(&error))
    FailInput("{} has no option \"{}\"{}", command, option,
              Nearest(option, names).empty() ? help : Suggestion(option, names));
  if (dynamic_cast<const po::multiple_occurrences*>(&error)) FailInput("{} is given more than once", option);
  const auto* syntax = dynamic_cast<const po::invalid_command_line_syntax*>(&error);
  if (syntax && syntax->kind() == po::invalid_syntax::extra_parameter) FailInput("{} takes no value{}", option, help);
  const std::string value = ValueOf(option, arguments);
  if (value.empty() || syntax) FailInput("{} needs a value{}", option, help);
  FailInput("{} does not take \"{}\"{}", option, value, help);
}

void CheckRange(const char* option, double value, double lowest, double highest) {
  if (!(value >= lowest && value <= highest)) FailInput("--{}: must be {} to {}", option, lowest, highest);
}

Request Fill(const Command& command, Request request, const ShowOverrides& values) {
  request.command = command.name;
  for (const auto& value : values) {
    const std::string& option = value.first;
    const std::vector<std::string>& given = value.second;
    if (given.empty()) continue;
    const auto key =
        std::find_if(ShowKeys().begin(), ShowKeys().end(), [&](const ShowKey& k) { return k.option == option; });
    if (key->kind != ShowKey::Kind::kList && given.size() > 1) FailInput("--{} is given more than once", option);
    request.overrides[option] = given;
  }
  CheckRange("footage-seconds", request.footage_seconds, 1, 60);
  if (request.plan_budget_seconds)
    CheckRange("time-budget", *request.plan_budget_seconds, request.proof_seconds + 15, 24 * 3600);
  CheckRange("proof-seconds", request.proof_seconds, 2, 3600);
  CheckRange("seconds", request.uplink.seconds, 5, 3600);
  CheckRange("seconds", request.rehearse.seconds, 2, 6 * 3600);
  CheckRange("audio-tracks", request.rehearse.audio_tracks, 1, 6);
  if (request.rehearse.game_cores > 0 && !request.rehearse.game_frames.empty())
    FailInput("rehearse: --stand-in-game or --game-frames, one of them");
  if (request.rehearse.climb && request.rehearse.power_cut > 0)
    FailInput("rehearse: --climb or --power-cut, one of them");
  if (command.name == "rehearse" && !request.rehearse.to.empty() && !request.rehearse.link.empty())
    FailInput("rehearse: --link shapes the simulated ingest's line; it cannot shape that of --to");
  if (!command.subject.empty() && command.needs_subject && request.subject.empty())
    FailInput("{}: name a {}: {}", command.name,
              command.subject == "PLAN"    ? "plan"
              : command.subject == "RUN"   ? "run of the history"
              : command.name == "diagnose" ? "rehearsal's folder"
                                           : "folder of results",
              command.example.substr(0, command.example.find('\n')));
  if (!request.bench.like.empty() && (!request.show.empty() || request.overrides.contains("footage")))
    FailInput("bench --like takes show and footage from the earlier bench; leave --show and --footage out");
  CheckRange("repeats", request.bench.repeats, 1, 100);
  CheckRange("patience", request.bench.patience_seconds, 1, 600);
  if (request.bench.soak_minutes) CheckRange("soak", *request.bench.soak_minutes, 0.1, 600);
  if (command.name == "plan" && request.show.empty() && !request.overrides.contains("footage"))
    FailInput(
        "plan needs pictures: --footage my-clip.mkv, a clip of your game; or --show FILE, as demo/saltmarsh.toml");
  if (command.name == "uplink") {
    const auto given = [&](const char* option) { return request.overrides.contains(option); };
    if (request.show.empty() && request.uplink.to.empty() && !given("reading") && !given("trace"))
      FailInput("uplink: say what the line carries: --reading \"9.9 Mbit/s\", --trace FILE, or --to URL to measure it");
    // Without a show the rate controls are looked at on a scene.
    if (request.show.empty())
      for (const auto& [option, value] :
           {std::pair("footage", "start-line"), {"source-size", "960x540"}, {"frame-rate", "30"}})
        if (!given(option)) request.overrides[option] = {value};
  }
  if (command.name == "watch" && request.watch.pid < 0) FailInput("--pid: {} is no process", request.watch.pid);
  CheckRange("seconds", request.watch.seconds, 0, 24 * 3600);
  CheckRange("last", request.past.last, 1, 100'000);
  const std::vector<std::string> kinds{"survey", "uplink", "bench", "plan", "rehearsal", "watch"};
  if (!request.past.kind.empty() && std::find(kinds.begin(), kinds.end(), request.past.kind) == kinds.end())
    FailInput("--kind: there is no \"{}\"{}", request.past.kind, Suggestion(request.past.kind, kinds));
  if (request.past.name && request.subject.empty())
    FailInput("history --name: say which run: fast-kettle history 12 --name before-update");
  if (request.out.empty()) FailInput("--out: give a folder");
  return request;
}

// Parses into what the options are bound to. `names` are those that a mistyped option is compared with. Throws
// Error(kInput).
void Store(const Command& command, const std::vector<std::string>& arguments, const po::options_description& options,
           const po::positional_options_description& places, const std::string& takes,
           const std::vector<std::string>& names) {
  po::variables_map map;
  try {
    const int style = po::command_line_style::default_style & ~po::command_line_style::allow_guessing;
    po::store(po::command_line_parser(arguments).options(options).positional(places).style(style).run(), map);
    po::notify(map);
  } catch (const po::too_many_positional_options_error&) {
    FailInput("{} takes {}; see fast-kettle {} --help", command.name, takes, command.name);
  } catch (const po::error& error) {
    Refuse(command.name, error, arguments, names);
  }
}

// "one PLAN", "at most 2 of RUN"
std::string Takes(const Command& command) {
  return command.most_subjects == 1 ? "one " + command.subject
                                    : fmt::format("at most {} of {}", command.most_subjects, command.subject);
}

Parsed ParseCommand(const Command& command, const std::vector<std::string>& arguments) {
  Request request;
  ShowOverrides values;
  const std::vector<po::options_description> groups = OptionsOf(command, request, values);
  po::options_description all;
  for (const auto& group : groups) all.add(group);
  po::positional_options_description places;
  if (!command.subject.empty()) {
    all.add_options()("subject", po::value(&request.subjects));
    places.add("subject", command.most_subjects);
  }
  Store(command, arguments, all, places, command.subject.empty() ? "options only" : Takes(command), Names(groups));
  if (!request.subjects.empty()) request.subject = request.subjects.front();
  return {Fill(command, std::move(request), values), ""};
}

// A command that begins with a verb and may name a subject.
void ParseVerb(const Command& command, const std::vector<std::string>& arguments,
               const po::options_description& options, Request& request) {
  const std::vector<std::string>& verbs = command.verbs;
  request.command = command.name;
  po::options_description hidden, all;
  hidden.add_options()("verb", po::value(&request.verb))("subject", po::value(&request.subject));
  all.add(options).add(hidden);
  po::positional_options_description places;
  places.add("verb", 1).add("subject", 1);
  Store(command, arguments, all, places, "a verb and one name at most", Names({options}));
  if (request.verb.empty())
    FailInput("{}: say {} or {}; see fast-kettle {} --help", command.name,
              fmt::join(verbs.begin(), verbs.end() - 1, ", "), verbs.back(), command.name);
  if (std::find(verbs.begin(), verbs.end(), request.verb) == verbs.end())
    FailInput("{} has no \"{}\"{}", command.name, request.verb, Suggestion(request.verb, verbs));
}

Parsed ParseFootage(const Command& command, const std::vector<std::string>& arguments) {
  Request request;
  ShowOverrides none;
  const FootageOptions& footage = request.footage;
  const po::options_description options = OptionsOf(command, request, none).front();
  ParseVerb(command, arguments, options, request);
  if (request.verb == "list" && !request.subject.empty()) FailInput("footage list takes no name");
  if (request.verb == "inspect" && request.subject.empty())
    FailInput("footage inspect: name a clip: fast-kettle footage inspect my-clip.mkv");
  if (request.verb == "render" && request.subject.empty())
    FailInput("footage render: name a scene; fast-kettle footage list tells them");
  if (request.verb == "capture" && !request.subject.empty())
    FailInput("footage capture writes to --out FILE; it takes no name");
  if (footage.seconds) CheckRange("seconds", *footage.seconds, 0.1, 600);
  return {request, ""};
}

Parsed ParseLoad(const Command& command, const std::vector<std::string>& arguments) {
  Request request;
  ShowOverrides none;
  const po::options_description options = OptionsOf(command, request, none).front();
  ParseVerb(command, arguments, options, request);
  if (request.verb == "capture" && !request.subject.empty())
    FailInput("load capture writes to --out FILE; it takes no name");
  if (request.load.seconds) CheckRange("seconds", *request.load.seconds, 1, 24 * 3600);
  return {request, ""};
}

}  // namespace

Parsed ParseCommandLine(const std::vector<std::string>& arguments) {
  if (arguments.empty()) return {std::nullopt, WhatToTypeFirst()};
  const bool help = arguments[0] == "--help" || arguments[0] == "-h" || arguments[0] == "help";
  if (help) return {std::nullopt, arguments.size() > 1 && arguments[1] == "show" ? ShowHelp() : Overview()};
  if (arguments[0] == "--version") return {std::nullopt, fmt::format("fast-kettle {}\n", kVersion)};
  std::vector<std::string> names;
  for (const Command& command : Commands()) {
    names.push_back(command.name);
    if (command.name != arguments[0]) continue;
    const std::vector<std::string> rest(arguments.begin() + 1, arguments.end());
    if (auto text = HelpAsked(command, rest)) return {std::nullopt, std::move(*text)};
    if (command.name == "footage") return ParseFootage(command, rest);
    if (command.name == "load") return ParseLoad(command, rest);
    return ParseCommand(command, rest);
  }
  FailInput("there is no command \"{}\"{}", arguments[0], Suggestion(arguments[0], names));
}

}  // namespace kettle::app
