// SPDX-License-Identifier: Apache-2.0
// kettle-engine: carries out a request that fast-kettle has checked, and is its own worker.
#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cstdio>
#include <exception>
#include <ext/stdio_filebuf.h>
#include <filesystem>
#include <iostream>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "kettle/load/replay.h"
#include "kettle/rehearsal/proof_run.h"
#include "kettle/rehearsal/rehearsal.h"
#include "kettle/task/worker_tasks.h"
#include "kettle/units/clock.h"
#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"
#include "past_runs/bench_like.h"
#include "process/lasting_output.h"

namespace {

using namespace kettle;
using namespace kettle::app;

int ExitCode(Fault fault) {
  switch (fault) {
    case Fault::kInput: return 2;
    case Fault::kMachine: return 3;
    case Fault::kInterrupted: return 130;
  }
  return 3;
}

nlohmann::json Rehearse(const nlohmann::json& arguments, const std::function<void(double)>& progress) {
  SteadyClock clock;
  return RunRehearsal(arguments.get<RehearsalTask>(), clock, progress);
}

nlohmann::json Prove(const nlohmann::json& arguments, const std::function<void(double)>& progress) {
  SteadyClock clock;
  return RunProofTask(arguments.get<ProofTask>(), clock, progress);
}

nlohmann::json Load(const nlohmann::json& arguments, const std::function<void(double)>& progress) {
  ReplayLoad(arguments.at("profile").get<LoadProfile>(), arguments.at("seconds"), progress);
  return nlohmann::json::object();
}

// What only a library throws: its own words are not for users.
std::string PlainWords(const std::exception& error) {
  if (const auto* file = dynamic_cast<const std::filesystem::filesystem_error*>(&error))
    return fmt::format("{}: {}", PlainText(file->path1().string()), file->code().message());
  if (dynamic_cast<const std::bad_alloc*>(&error)) return "this machine is out of memory";
  if (const auto* system = dynamic_cast<const std::system_error*>(&error))
    return fmt::format("this machine refused something: {}", system->code().message());
  return "a fault of this program, please report it: " + PlainText(error.what());
}

// Some drivers print on standard output: what a worker answers goes out by another way.
int RunWorker() {
  // No process that a driver starts may inherit it.
  __gnu_cxx::stdio_filebuf<char> answers(fcntl(STDOUT_FILENO, F_DUPFD_CLOEXEC, 3), std::ios::out);
  dup2(STDERR_FILENO, STDOUT_FILENO);
  std::ostream out(&answers);
  std::map<std::string, WorkerTask> tasks = MeasuringTasks();
  tasks["rehearse"] = Rehearse;
  tasks["prove"] = Prove;
  tasks["load"] = Load;
  return WorkerMain(std::cin, out, tasks);
}

int Run(const std::vector<std::string>& arguments) {
  if (arguments == std::vector<std::string>{"worker"}) return RunWorker();
  const Parsed parsed = ParseCommandLine(arguments);
  if (!parsed.request) {
    std::fputs(parsed.text.c_str(), stdout);
    return 0;
  }
  CatchSignals();
  const Places places = FindPlaces();
  if (parsed.request->command == "footage") return RunFootage(*parsed.request);
  if (parsed.request->command == "demo") return RunDemo(*parsed.request, places);
  if (parsed.request->command == "prepare") return RunPrepare(*parsed.request, places);
  if (parsed.request->command == "load") return RunLoad(*parsed.request, places);
  if (parsed.request->command == "redraw") return RunRedraw(*parsed.request);
  if (parsed.request->command == "diagnose") return RunDiagnose(*parsed.request);
  if (parsed.request->command == "report") return RunReport(*parsed.request);
  if (parsed.request->command == "history") return RunHistory(*parsed.request);
  if (parsed.request->command == "compare") return RunCompare(*parsed.request);
  if (parsed.request->command == "restore") return RunRestore(*parsed.request);
  if (parsed.request->command == "forget") return RunForget(*parsed.request);
  Session session(parsed.request->bench.like.empty() ? *parsed.request : LikeBench(*parsed.request), places);
  if (parsed.request->command == "survey") return RunSurvey(session);
  if (parsed.request->command == "uplink") return RunUplink(session);
  if (parsed.request->command == "bench") return RunBench(session);
  if (parsed.request->command == "watch") return RunWatch(session);
  if (parsed.request->command == "rehearse") return RunRehearse(session);
  return RunPlan(session);
}

}  // namespace

int main(int argc, char** argv) {
  OpenLastingOutputs();
  try {
    const int code = Run({argv + 1, argv + argc});
    if (!EndOutput()) FailMachine("cannot write to standard output");
    return code;
  } catch (const Error& error) {
    // What fails because it was stopped has not failed.
    const Fault fault = StopRequested() ? Fault::kInterrupted : error.fault();
    fmt::print(
        stderr, "fast-kettle: {}\n",
        fault == Fault::kInterrupted ? "interrupted; what was finished is kept" : PlainText(WithoutKeys(error.what())));
    return ExitCode(fault);
  } catch (const std::exception& error) {
    fmt::print(stderr, "fast-kettle: {}\n", PlainWords(error));
    return 3;
  }
}
