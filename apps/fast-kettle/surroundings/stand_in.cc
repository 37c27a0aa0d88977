// SPDX-License-Identifier: Apache-2.0
#include "surroundings/stand_in.h"

#include <fmt/format.h>
#include <unistd.h>

#include <cctype>

#include "kettle/units/error.h"

namespace kettle::app {

StandIn::StandIn(const Places& places, const std::string& program, const std::vector<std::string>& arguments,
                 const std::string& sign) {
  std::vector<std::string> words{places.Simulator(program)};
  words.insert(words.end(), arguments.begin(), arguments.end());
  PipeEnds pipe = MakePipe();
  ChildSetup setup{.words = words, .output = pipe.write.get(), .errors = pipe.write.get()};
  setup.own_session = false;  // as if both had been started in one terminal
  setup.end_signal = SIGTERM;
  process_.emplace(setup);
  pipe.write.Close();
  said_ = std::move(pipe.read);
  for (char c; read(said_.get(), &c, 1) == 1 && c != '\n';) first_line_ += c;
  if (first_line_.find(sign) == first_line_.npos)
    FailInput("{}", first_line_.empty() ? program + " does not start; is the installation complete?" : first_line_);
}

namespace {

std::vector<std::string> IngestArguments(const std::string& link, const std::filesystem::path& report) {
  std::vector<std::string> words{"--listen", "127.0.0.1:0", "--report", report.string()};
  if (!link.empty()) words.insert(words.end(), {"--link", std::filesystem::absolute(link).string()});
  return words;
}

}  // namespace

StandInIngest::StandInIngest(const Places& places, const std::string& link, const std::filesystem::path& report)
    : program_(places, "kettle-ingest", IngestArguments(link, report), "rtmp://") {}

namespace {

// As an application's name: "Quayside" is "quayside".
std::string AppOf(const std::string& destination) {
  std::string app;
  for (const char c : destination)
    app += std::isalnum(static_cast<unsigned char>(c)) ? static_cast<char>(std::tolower(c)) : '-';
  return app;
}

}  // namespace

std::vector<RehearsalIngest> StandInIngest::Ingests(const std::vector<std::string>& destinations) const {
  const std::string& line = program_.first_line();
  const std::string url = line.substr(line.find("rtmp://"));
  if (destinations.empty()) return {{"the ingest", url, "rehearsal", ""}};
  std::vector<RehearsalIngest> ingests;
  for (const std::string& name : destinations)
    ingests.push_back({name, url.substr(0, url.rfind('/') + 1) + AppOf(name), "rehearsal", ""});
  return ingests;
}

StandInGame::StandInGame(const Places& places, double cores, FrameRate rate, const std::filesystem::path& report)
    : report_(report),
      wanted_fps_(rate.fps()),
      program_(places, "kettle-game",
               {"--cores", fmt::format("{:g}", cores), "--frame-rate", rate.str(), "--report", report.string()},
               "SIMULATED"),
      start_(std::chrono::steady_clock::now()) {
  for (int i = 0; i < kAloneSeconds * 20 && !StopRequested(); ++i) usleep(50'000);
  ThrowIfStopped();
}

double StandInGame::Elapsed() const {
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start_).count();
}
void StandInGame::Begin() {
  begin_seconds_ = Elapsed();
  if (alone_until_ == 0) alone_until_ = begin_seconds_;
}
void StandInGame::End() { end_seconds_ = Elapsed(); }

GameFrames StandInGame::Frames() const {
  GameFrames game = CountGameFrames(ReadGameFrames(report_), wanted_fps_, alone_until_, begin_seconds_, end_seconds_);
  game.simulated = true;
  return game;
}

}  // namespace kettle::app
