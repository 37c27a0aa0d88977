// SPDX-License-Identifier: Apache-2.0
#include "past_runs/bench_like.h"

#include <nlohmann/json.hpp>

#include "kettle/units/error.h"
#include "past_runs/keep_run.h"
#include "past_runs/past_run_tables.h"

namespace kettle::app {

namespace {

using nlohmann::json;

json KeptBench(const std::string& which) {
  const auto history = OpenHistory();
  const KeptRun run = history->Find(which, "bench");
  if (run.kind != "bench")
    FailInput("--like: {} is a {}, and only a bench can be measured again", Called(run), run.kind);
  const json file = json::parse(history->File(run.number, "bench.json").value_or(""), nullptr, false);
  if (!file.is_object() || !file.contains("bench") || !file["bench"].contains("source"))
    FailInput("--like: {} does not tell what it was measured on: a question, or an earlier version's", Called(run));
  return file["bench"];
}

}  // namespace

Request LikeBench(Request request) {
  const json source = KeptBench(request.bench.like).at("source");
  request.overrides["footage"] = source.at("footage").get<std::vector<std::string>>();
  request.overrides["source-size"] = {source.at("size").get<std::string>()};
  request.overrides["frame-rate"] = {source.at("frame_rate").get<std::string>()};
  request.footage_seconds = source.at("footage_seconds");
  return request;
}

std::vector<EncodeSettings> EncodesLike(const std::string& which) {
  return KeptBench(which).at("settings").get<std::vector<EncodeSettings>>();
}

}  // namespace kettle::app
