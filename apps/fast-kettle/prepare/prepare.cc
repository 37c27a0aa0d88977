// SPDX-License-Identifier: Apache-2.0
// prepare: from a look at the machine and a few answers to a show file.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <iostream>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "kettle/footage/scene.h"
#include "kettle/line/line.h"
#include "kettle/machine/machine.h"
#include "kettle/media/reader.h"
#include "kettle/rtmp/url.h"
#include "kettle/show/show.h"
#include "kettle/show/show_draft.h"
#include "kettle/store/file.h"
#include "kettle/store/output_folder.h"
#include "kettle/units/error.h"
#include "prepare/questions.h"
#include "report/sentence.h"
#include "terminal.h"

namespace kettle::app {

namespace {

namespace fs = std::filesystem;

const char* const kUnknown = "not known";
const std::vector<std::string> kUsualReserve{"game 0.3 Mbit/s", "voice call 0.2 Mbit/s"};
const std::vector<std::string> kUsualScenes{"start-line", "open-water"};

// "a, b" by its commas.
std::vector<std::string> Split(const std::string& text) {
  std::vector<std::string> items;
  for (std::size_t from = 0; from <= text.size();) {
    const std::size_t to = std::min(text.find(',', from), text.size());
    const auto first = text.find_first_not_of(' ', from);
    if (first < to) items.push_back(text.substr(first, text.find_last_not_of(' ', to - 1) - first + 1));
    from = to + 1;
  }
  return items;
}

bool IsAddress(const std::string& text) { return text.find("://") != std::string::npos; }

void CheckClip(const std::string& answer) {
  for (const std::string& source : Split(answer))
    if (!IsScene(source)) MediaReader{fs::path(source)};
}

void CheckReadings(const std::string& answer) {
  if (IsAddress(answer)) {
    IngestUrl::Parse(answer);
    return;
  }
  for (const std::string& reading : Split(answer)) BitRate::Parse(reading);
}

void CheckDestination(const std::string& answer, const Places& places) {
  if (std::isdigit(static_cast<unsigned char>(answer[0]))) {
    BitRate::Parse(answer);
    return;
  }
  for (const std::string& name : Split(answer))
    FindDestination(name, fs::current_path(), places.share / "demo" / "destinations");
}

void CheckFavour(const std::string& answer) {
  if (answer != "stream" && answer != "recording" && answer != "balance")
    FailInput("\"{}\": say stream, recording or balance", answer);
}

// What the session's default folder for films is, else a folder beside the show.
std::string UsualRecordingFolder() {
  const char* home = std::getenv("HOME");
  std::error_code error;
  if (home && fs::is_directory(fs::path(home) / "Videos", error)) return (fs::path(home) / "Videos").string();
  return "recordings";
}

void TellMachine(const Machine& machine) {
  fmt::print("{}\n", Paint("What this machine has", Tone::kStrong));
  fmt::print("  processor  {}, {} threads\n", machine.processor.model.empty() ? "unknown" : machine.processor.model,
             machine.processor.usable_threads);
  for (const GraphicsDevice& card : machine.graphics) fmt::print("  GPU        {}\n", card.name);
  if (machine.graphics.empty()) fmt::print("  GPU        none found\n");
  for (const Display& display : machine.displays)
    fmt::print("  display    {}{}{}\n", display.size.str(),
               display.refresh_hz > 0 ? fmt::format(" at {:.0f} Hz", display.refresh_hz) : "",
               display.name.empty() ? "" : ", " + display.name);
  if (const auto& network = machine.network)
    fmt::print("  network    {}, {}{}\n", network->interface, network->wireless ? "wireless" : "wired",
               network->speed_mbps > 0 ? fmt::format(", {} Mbit/s to the next device", network->speed_mbps) : "");
  fmt::print("\n");
}

// The options' values, asked or not: those that were given on the command line are in the request.
class Answers {
 public:
  Answers(const Request& request, const Places& places, bool asks)
      : request_(request), places_(places), asks_(asks), questions_(std::cin) {}

  std::vector<std::string> Footage() {
    return All("footage", fmt::format("{}", fmt::join(kUsualScenes, ", ")),
               "A clip of your game, a few quick seconds (fast-kettle footage capture makes one); several with commas; "
               "Enter: built-in scenes for now",
               CheckClip);
  }
  std::vector<std::string> Readings() {
    return All(
        "reading", kUnknown,
        "What speed tests say of your upload, with the unit: \"9.9 Mbit/s\", several with commas; or an ingest's "
        "address, to measure now",
        CheckReadings);
  }
  std::vector<std::string> Destination() {
    return All("destination", kUnknown,
               "Where you stream: the highest bit rate that it takes, \"6000 kbit/s\", or a destination file",
               [this](const std::string& answer) { CheckDestination(answer, places_); });
  }
  std::vector<std::string> Reserve() {
    return All("reserve", fmt::format("{}", fmt::join(kUsualReserve, ", ")), "What else needs the line meanwhile",
               [](const std::string& answer) {
                 for (const std::string& item : Split(answer)) ParseReserve(item);
               });
  }
  std::string RecordingFolder() {
    return One("recording-folder", UsualRecordingFolder(), "Where recordings go; none: nothing is recorded",
               [](const auto&) {});
  }
  std::string Favour() {
    return One("favour", "stream", "What matters more where both cannot look their best: stream, recording, balance",
               CheckFavour);
  }

 private:
  using Check = std::function<void(const std::string&)>;

  std::optional<std::vector<std::string>> Given(const std::string& option) const {
    const auto found = request_.overrides.find(option);
    return found == request_.overrides.end() ? std::nullopt : std::optional(found->second);
  }
  std::vector<std::string> All(const std::string& option, const std::string& usual, const std::string& question,
                               const Check& check) {
    if (auto given = Given(option)) {
      for (const std::string& value : *given) check(value);
      return *given;
    }
    const std::string answer = asks_ ? questions_.Ask(question, usual, check) : usual;
    return answer == kUnknown ? std::vector<std::string>{} : Split(answer);
  }
  std::string One(const std::string& option, const std::string& usual, const std::string& question,
                  const Check& check) {
    if (auto given = Given(option)) {
      check(given->front());
      return given->front();
    }
    return asks_ ? questions_.Ask(question, usual, check) : usual;
  }

  const Request& request_;
  const Places& places_;
  const bool asks_;
  Questions questions_;
};

// By publishing a real stream there for a while; what the line carried is the reading.
std::vector<std::string> MeasureLine(const Request& request, const Places& places, const std::string& address) {
  Request measuring = request;
  measuring.command = "uplink";
  measuring.out = "kettle-out";
  measuring.overrides = {{"footage", {"start-line"}}, {"source-size", {"960x540"}}, {"frame-rate", {"30"}}};
  measuring.uplink.to = {address};
  Session session(measuring, places);
  RunUplink(session);
  const auto result = ReadResult(session.out(), "uplink");
  if (!result) FailMachine("the line was not measured");
  fmt::print("\n");
  return {fmt::format("{:.0f} kbit/s", result->at("carried_kbps").get<double>())};
}

ShowDraft AskAll(const Request& request, const Places& places, const Machine& machine, bool asks) {
  Answers answers(request, places, asks);
  ShowDraft draft;
  const auto text = [&](const char* option, std::string& value) {
    if (const auto given = request.overrides.find(option); given != request.overrides.end())
      value = given->second.front();
  };
  text("title", draft.title);
  text("stream-bit-rate", draft.bit_rate);
  draft.footage = answers.Footage();
  draft.readings = answers.Readings();
  draft.destinations = answers.Destination();
  draft.reserve = answers.Reserve();
  draft.recording_folder = answers.RecordingFolder();
  draft.favour = answers.Favour();
  if (draft.readings.size() == 1 && IsAddress(draft.readings.front()))
    draft.readings = MeasureLine(request, places, draft.readings.front());
  if (draft.destinations.size() == 1 && std::isdigit(static_cast<unsigned char>(draft.destinations.front()[0]))) {
    draft.bit_rate = draft.destinations.front();
    draft.destinations.clear();
  }
  if (machine.network && !draft.readings.empty()) draft.link = machine.network->wireless ? "wireless" : "wired";
  const bool scenes = std::all_of(draft.footage.begin(), draft.footage.end(), [](const auto& f) { return IsScene(f); });
  if (scenes) {  // they are drawn in any size
    draft.source_size = machine.displays.empty() ? "1280x720" : machine.displays.front().size.str();
    draft.frame_rate = "60";
  }
  return draft;
}

}  // namespace

int RunPrepare(const Request& request, const Places& places) {
  const fs::path file = request.file.empty() ? "my-show.toml" : request.file;
  std::error_code error;
  if (fs::exists(file, error) && !request.overwrite)
    FailInput("{} is there already; write another with --out, or replace it with --overwrite", file.string());
  const Machine machine = ReadMachine();
  const bool asks = isatty(STDIN_FILENO) && isatty(STDOUT_FILENO) && !request.json;
  if (!request.json) TellMachine(machine);
  const ShowDraft draft = AskAll(request, places, machine, asks);
  const std::string text = ShowText(draft);
  // What cannot be read back would fail only later; it is written where it belongs, for its paths count from there.
  const fs::path trial = UnfinishedName(file);
  WriteFile(trial, text);
  try {
    ReadShow(trial.string(), {}, {places.share / "demo" / "destinations", "/"});
  } catch (...) {
    fs::remove(trial, error);
    throw;
  }
  fs::remove(trial, error);
  WriteFile(file, text);
  if (request.json) {
    PrintJson({{"file", file.string()}, {"show", text}});
    return 0;
  }
  const Headline headline{fmt::format("{}{} is written. Change what you like in it.", asks ? "\n" : "", file.string()),
                          Tone::kGood, fmt::format("fast-kettle plan --show {}", file.string())};
  PrintHeadline(headline);
  if (machine.network && machine.network->wireless)
    fmt::print("  - {}\n", Sentence(Message{"advice.wireless", {{"interface", machine.network->interface}}}));
  if (draft.readings.empty())
    fmt::print(
        "  - The line is not known yet: without readings the plan takes a usual bit rate, and you are told which.\n");
  PrintClosing(headline);
  return 0;
}

}  // namespace kettle::app
