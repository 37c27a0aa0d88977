// SPDX-License-Identifier: Apache-2.0
#include "completion.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>
#include <set>
#include <vector>

#include "command_options.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/footage/scene.h"

namespace kettle::app {

namespace {

namespace fs = std::filesystem;
using Words = std::vector<std::string>;

Words NamesIn(const fs::path& folder) {
  std::set<std::string> names;
  for (const auto& entry : fs::directory_iterator(folder))
    if (entry.path().extension() == ".toml") names.insert(entry.path().stem().string());
  return {names.begin(), names.end()};
}

Words SceneNames() {
  Words names;
  for (const SceneInfo& scene : Scenes()) names.push_back(scene.name);
  return names;
}

Words EncoderNames() {
  Words names;
  for (const EncoderFamily& family : Catalogue()) names.push_back(family.name);
  return names;
}

Words PresetNames() {
  Words names;
  for (const EncoderFamily& family : Catalogue())
    for (const std::string& preset : family.presets)
      if (std::find(names.begin(), names.end(), preset) == names.end()) names.push_back(preset);
  return names;
}

// What may follow an option.
struct Values {
  Words words;
  bool files = false, folders = false;
};

// By the option's name where it has words of its own, otherwise by what its help calls the argument.
Values ValuesOf(const std::string& option, const std::string& argument, const std::map<std::string, Values>& named) {
  if (const auto found = named.find(option); found != named.end()) return found->second;
  if (argument == "FILE" || argument == "PROFILE") return {.words = {}, .files = true};
  if (argument == "DIR") return {.words = {}, .folders = true};
  if (argument == "on|off") return {.words = {"on", "off"}};
  return {};
}

std::map<std::string, Values> NamedValues(const fs::path& destinations, const fs::path& gpu_profiles) {
  return {{"encoder", {.words = EncoderNames()}},
          {"preset", {.words = PresetNames()}},
          {"footage", {.words = SceneNames(), .files = true}},
          {"destination", {.words = NamesIn(destinations), .files = true}},
          {"to", {.words = NamesIn(destinations)}},
          {"stand-in-gpu", {.words = NamesIn(gpu_profiles), .files = true}},
          {"load", {.words = {"live"}, .files = true}},
          {"link", {.words = {"wired", "wireless", "cellular"}, .files = true}},
          {"first", {.words = {"game", "stream"}}},
          {"container", {.words = {"matroska", "fragmented-mp4", "mp4"}}},
          {"recording-container", {.words = {"matroska", "fragmented-mp4", "mp4"}}},
          {"recording-folder", {.words = {}, .folders = true}},
          {"trace", {.words = {}, .files = true}}};
}

std::string Case(const std::string& pattern, const Values& values) {
  std::string actions;
  if (!values.words.empty()) actions += fmt::format(" _fast_kettle_words '{}';", fmt::join(values.words, " "));
  if (values.files) actions += " _fast_kettle_files -f;";
  if (values.folders) actions += " _fast_kettle_files -d;";
  return fmt::format("    {}){} return ;;\n", pattern, actions.empty() ? " :;" : actions);
}

constexpr const char* kHelpers =
    R"(# Completion of fast-kettle for bash. Made from the program's own tables: do not edit.
_fast_kettle_words() {
  local IFS=$' \t\n'
  COMPREPLY+=($(compgen -W "$1" -- "$current"))
}
_fast_kettle_files() { # -f: files and folders, -d: folders
  local IFS=$'\n'
  compopt -o filenames 2>/dev/null
  COMPREPLY+=($(compgen "$1" -- "$current"))
}
)";

}  // namespace

std::string BashCompletion(const fs::path& destinations, const fs::path& gpu_profiles) {
  const std::map<std::string, Values> named = NamedValues(destinations, gpu_profiles);
  Words commands;
  std::string values, options, places;
  for (const Command& command : Commands()) {
    commands.push_back(command.name);
    Request request;
    ShowOverrides overrides;
    Words names;
    for (const auto& group : OptionsOf(command, request, overrides))
      for (const auto& option : group.options()) {
        names.push_back("--" + option->long_name());
        const std::string argument = option->format_parameter();
        if (!argument.empty())
          values += Case(fmt::format("'{} --{}'", command.name, option->long_name()),
                         ValuesOf(option->long_name(), argument, named));
      }
    options += Case(command.name, {.words = names});
    if (!command.verbs.empty()) places += Case(fmt::format("'{} 2'", command.name), {.words = command.verbs});
    places += Case(fmt::format("'{} '*", command.name), {.words = command.name == "footage" ? SceneNames() : Words(),
                                                         .files = !command.verbs.empty() || !command.subject.empty()});
  }
  return std::string(kHelpers) +
         fmt::format(
             "_fast_kettle() {{\n"
             "  local current=${{COMP_WORDS[COMP_CWORD]}} previous=${{COMP_WORDS[COMP_CWORD - 1]}} "
             "command=${{COMP_WORDS[1]}}\n"
             "  COMPREPLY=()\n"
             "  if [ \"$COMP_CWORD\" -eq 1 ]; then\n    _fast_kettle_words '{} --help --version'\n    return\n  fi\n"
             "  case \"$command $previous\" in\n{}  esac\n"
             "  if [[ $current == -* ]]; then\n    case \"$command\" in\n{}    esac\n  fi\n"
             "  case \"$command $COMP_CWORD\" in\n{}  esac\n}}\n"
             "complete -F _fast_kettle fast-kettle\n",
             fmt::join(commands, " "), values, options, places);
}

}  // namespace kettle::app
