// SPDX-License-Identifier: Apache-2.0
#include "session/stand_in.h"

#include <fmt/format.h>
#include <unistd.h>

#include <fstream>

#include "kettle/units/error.h"
#include "kettle/units/statistics.h"

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

std::string StandInIngest::url() const { return program_.first_line().substr(program_.first_line().find("rtmp://")); }

StandInGame::StandInGame(const Places& places, double cores, FrameRate rate, const std::filesystem::path& report)
    : report_(report),
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
void StandInGame::Begin() { begin_seconds_ = Elapsed(); }
void StandInGame::End() { end_seconds_ = Elapsed(); }

GameFrames StandInGame::Frames() const {
  std::ifstream file(report_);
  std::vector<double> alone, beside;
  GameFrames game{.begin_seconds = begin_seconds_, .end_seconds = end_seconds_};
  std::string line;
  std::getline(file, line);
  while (std::getline(file, line)) {
    int second = 0, frames = 0;
    if (std::sscanf(line.c_str(), "%d,%d,%lf", &second, &frames, &game.wanted_fps) != 3 || second < 0) continue;
    game.seconds.resize(static_cast<std::size_t>(second) + 1);  // one that it was not there for has no frames
    game.seconds.back() = frames;
    // Its first second starts it up; a second that is cut counts for neither.
    if (second >= 1 && second + 1 < kAloneSeconds) alone.push_back(frames);
    if (second > begin_seconds_ + 1 && second + 1 < end_seconds_ - 1) beside.push_back(frames);
  }
  game.alone_fps = Median(alone).value_or(0);
  game.beside_fps = Mean(beside).value_or(0);
  return game;
}

}  // namespace kettle::app
