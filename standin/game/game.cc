// SPDX-License-Identifier: Apache-2.0
// kettle-game: a simulated game. Makes frames against a deadline, as heavy as is asked for, and tells how many it made.
#include <fmt/format.h>
#include <time.h>

#include <atomic>
#include <boost/program_options.hpp>
#include <chrono>
#include <cmath>
#include <csignal>
#include <fstream>
#include <string>
#include <thread>
#include <vector>

#include "common/program.h"
#include "kettle/units/error.h"
#include "kettle/units/units.h"

namespace po = boost::program_options;

namespace {

using Clock = std::chrono::steady_clock;
std::atomic<bool> stop = false;

double ThreadSeconds() {
  timespec time{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &time);
  return static_cast<double>(time.tv_sec) + static_cast<double>(time.tv_nsec) * 1e-9;
}

// Uses the processor for so long, by the thread's own clock: what others take of it makes the frame later, as in a
// game.
void Compute(double seconds) {
  volatile unsigned value = 1;
  for (const double end = ThreadSeconds() + seconds; ThreadSeconds() < end;)
    for (int i = 0; i < 2000; ++i) value = value * 1664525U + 1013904223U;
}

struct Options {
  double fps = 60, cores = 0.8, seconds = 0;
  std::string report;
};

// One frame: its work divided among as many threads as it takes.
void MakeFrame(const Options& options) {
  const double work = options.cores / options.fps;
  const int threads = std::max(1, static_cast<int>(std::ceil(options.cores - 1e-9)));
  std::vector<std::thread> helpers;
  for (int i = 1; i < threads; ++i) helpers.emplace_back([&] { Compute(work / threads); });
  Compute(work / threads);
  for (std::thread& helper : helpers) helper.join();
}

int Play(const Options& options) {
  std::ofstream report;
  if (!options.report.empty()) {
    report.open(options.report);
    if (!report) kettle::FailMachine("{}: cannot be written", options.report);
    report << "seconds,milliseconds,simulated\n" << std::flush;
  }
  fmt::print("kettle-game: a SIMULATED game, {:g} frames a second, {:g} cores\n", options.fps, options.cores);
  std::fflush(stdout);
  const Clock::time_point start = Clock::now();
  const auto now = [&] { return std::chrono::duration<double>(Clock::now() - start).count(); };
  std::int64_t frame = 0, all = 0;
  double flushed = 0;
  while (!stop && (options.seconds == 0 || now() < options.seconds)) {
    const double began = now();
    MakeFrame(options);
    ++all;
    // The next frame starts with the display's next turn; turns that have passed meanwhile are lost.
    frame = std::max(frame + 1, static_cast<std::int64_t>(now() * options.fps));
    std::this_thread::sleep_until(start + std::chrono::duration_cast<Clock::duration>(
                                              std::chrono::duration<double>(static_cast<double>(frame) / options.fps)));
    if (!report.is_open()) continue;
    report << fmt::format("{:.4f},{:.3f},true\n", began, (now() - began) * 1000);
    if (now() < flushed + 1) continue;
    report << std::flush;
    flushed = now();
  }
  fmt::print("kettle-game: simulated: {:.1f} frames a second of {:g}\n", static_cast<double>(all) / now(), options.fps);
  return 0;
}

int Run(int argc, char** argv) {
  Options options;
  std::string rate = "60";
  po::options_description all("kettle-game: a SIMULATED game. Makes frames and tells how many.\n\nOptions");
  all.add_options()("help,h", "this text")("frame-rate", po::value(&rate)->value_name("RATE"), "default: 60")(
      "cores", po::value(&options.cores)->value_name("N"), "that its frames take in all (default: 0.8)")(
      "report", po::value(&options.report)->value_name("FILE"),
      "CSV of the frames made: when each began, and how long it took")(
      "seconds", po::value(&options.seconds)->value_name("S"), "end by itself after so long");
  if (!standin::ReadOptions(argc, argv, all, "kettle-game --frame-rate 60 --cores 0.8 --report game.csv")) return 0;
  options.fps = kettle::FrameRate::Parse(rate).fps();
  if (!(options.cores > 0 && options.cores <= 256)) kettle::FailInput("--cores: a number from above 0 to 256");
  if (options.seconds < 0) kettle::FailInput("--seconds: not below 0");
  for (const int signal : {SIGINT, SIGTERM}) std::signal(signal, [](int) { stop = true; });
  return Play(options);
}

}  // namespace

int main(int argc, char** argv) { return standin::RunProgram("kettle-game", Run, argc, argv); }
