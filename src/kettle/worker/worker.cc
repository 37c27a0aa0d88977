// SPDX-License-Identifier: Apache-2.0
#include "kettle/worker/worker.h"

#include <istream>
#include <iterator>
#include <nlohmann/json.hpp>
#include <ostream>

#include "kettle/media/libav.h"
#include "kettle/store/json_text.h"
#include "kettle/units/error.h"
#include "kettle/worker/driver_preload.h"

namespace kettle {

using Json = nlohmann::json;

int WorkerMain(std::istream& in, std::ostream& out, const std::map<std::string, WorkerTask>& tasks) {
  const LibavLog log;  // what the libraries say goes into the reason of a failure
  try {
    const Json request = Json::parse(std::string(std::istreambuf_iterator<char>(in), {}));
    if (const Json& gpu = request.at("stand_in_gpu"); !gpu.is_null()) PreloadStandInGpu(gpu.get<StandInGpu>());
    const auto progress = [&](double share) { out << JsonText(Json{{"progress", share}}) << std::endl; };
    const std::string name = request.at("task");
    const auto task = tasks.find(name);
    if (task == tasks.end()) FailInput("there is no task \"{}\"", name);
    const Json result = task->second(request.at("arguments"), progress);
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
