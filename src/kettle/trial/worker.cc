// SPDX-License-Identifier: Apache-2.0
#include "kettle/trial/worker.h"

#include <istream>
#include <iterator>
#include <nlohmann/json.hpp>
#include <ostream>

#include "kettle/encoders/driver_preload.h"
#include "kettle/machine/nvidia.h"
#include "kettle/media/libav.h"
#include "kettle/store/json_text.h"
#include "kettle/trial/paced.h"
#include "kettle/trial/probe.h"
#include "kettle/trial/quality_run.h"
#include "kettle/trial/strip.h"
#include "kettle/trial/unpaced.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

using Json = nlohmann::json;

Json RunTask(const std::string& task, const Json& arguments, const std::function<void(double)>& progress,
             const std::map<std::string, WorkerTask>& more) {
  SteadyClock clock;
  if (const auto found = more.find(task); found != more.end()) return found->second(arguments, progress);
  if (task == "encode") return RunUnpaced(arguments.get<EncodeTask>(), clock, progress);
  if (task == "soak") return RunSoak(arguments.get<SoakTask>(), clock, progress);
  if (task == "pace") return RunPaced(arguments.get<PaceTask>(), clock, progress);
  if (task == "quality") return RunQuality(arguments.get<QualityTask>(), progress);
  if (task == "strip") return RunStrip(arguments.get<StripTask>(), progress);
  if (task == "probe") return RunProbe(arguments.get<ProbeTask>());
  if (task == "limits") return RunLimits(arguments.get<ProbeTask>());
  if (task == "nvidia") return {{"devices", ReadNvidia()}};
  FailInput("there is no task \"{}\"", task);
}

}  // namespace

int WorkerMain(std::istream& in, std::ostream& out, const std::filesystem::path& driver_folder,
               const std::map<std::string, WorkerTask>& more) {
  const LibavLog log;  // what the libraries say goes into the reason of a failure
  try {
    const Json request = Json::parse(std::string(std::istreambuf_iterator<char>(in), {}));
    if (const Json& profile = request.at("stand_in_gpu"); !profile.is_null())
      PreloadStandInGpu(driver_folder, profile.get<std::string>());
    const auto progress = [&](double share) { out << JsonText(Json{{"progress", share}}) << std::endl; };
    const Json result = RunTask(request.at("task"), request.at("arguments"), progress, more);
    out << JsonText(Json{{"result", result}}) << std::endl;
    return 0;
  } catch (const Error& error) {
    out << JsonText(Json{{"error", error.what()}, {"input", error.fault() == Fault::kInput}}) << std::endl;
    return 3;
  } catch (const std::exception& error) {
    out << JsonText(Json{{"error", error.what()}}) << std::endl;
    return 3;
  }
}

}  // namespace kettle
