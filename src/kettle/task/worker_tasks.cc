// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/worker_tasks.h"

#include <nlohmann/json.hpp>

#include "kettle/device/nvidia.h"
#include "kettle/realtime/paced.h"
#include "kettle/task/code_once.h"
#include "kettle/task/probe.h"
#include "kettle/task/quality_run.h"
#include "kettle/task/strip.h"
#include "kettle/task/unpaced.h"

namespace kettle {

namespace {

using Json = nlohmann::json;
using Progress = std::function<void(double)>;

}  // namespace

std::map<std::string, WorkerTask> MeasuringTasks() {
  const auto clock = std::make_shared<SteadyClock>();
  return {
      {"encode", [=](const Json& task,
                     const Progress& progress) { return RunUnpaced(task.get<EncodeTask>(), *clock, progress); }},
      {"look",
       [=](const Json& task, const Progress& progress) { return RunLook(task.get<LookTask>(), *clock, progress); }},
      {"soak",
       [=](const Json& task, const Progress& progress) { return RunSoak(task.get<SoakTask>(), *clock, progress); }},
      {"pace",
       [=](const Json& task, const Progress& progress) { return RunPaced(task.get<PaceTask>(), *clock, progress); }},
      {"quality",
       [](const Json& task, const Progress& progress) { return RunQuality(task.get<QualityTask>(), progress); }},
      {"code-once",
       [](const Json& task, const Progress& progress) {
         RunCodeOnceTask(task.get<CodeOnceTask>(), progress);
         return Json::object();
       }},
      {"strip", [](const Json& task, const Progress& progress) { return RunStrip(task.get<StripTask>(), progress); }},
      {"probe", [](const Json& task, const Progress&) { return RunProbe(task.get<ProbeTask>()); }},
      {"limits", [](const Json& task, const Progress&) { return RunLimits(task.get<ProbeTask>()); }},
      {"nvidia",
       [](const Json&, const Progress&) {
         return Json{{"devices", ReadNvidia()}};
       }},
  };
}

}  // namespace kettle
