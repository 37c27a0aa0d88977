// SPDX-License-Identifier: Apache-2.0
#include "kettle/worker/worker.h"

#include <nlohmann/json.hpp>
#include <sstream>

#include "kettle/task/tasks.h"
#include "kettle/task/worker_tasks.h"
#include "kettle/worker/driver_preload.h"
#include "support.h"

namespace kettle {
namespace {

using nlohmann::json;

struct Answer {
  int code;
  json last;
};

Answer Ask(const std::string& request) {
  std::istringstream in(request);
  std::ostringstream out;
  const int code = WorkerMain(in, out, MeasuringTasks());
  std::istringstream lines(out.str());
  std::string line, last;
  while (std::getline(lines, line)) last = line;
  return {code, json::parse(last)};
}

std::string Request(const std::string& task, const json& arguments) {
  return json{{"task", task}, {"stand_in_gpu", nullptr}, {"arguments", arguments}}.dump();
}

TEST(WorkerMain, AnswersAProbe) {
  const Answer answer = Ask(Request("probe", ProbeTask{test::SmallSettings()}));
  EXPECT_EQ(answer.code, 0);
  EXPECT_EQ(answer.last["result"]["works"], true);
}

TEST(WorkerMain, WhateverIsWrongIsOneErrorLine) {
  EXPECT_EQ(Ask(Request("dance", json::object())).code, 3);
  EXPECT_THAT(Ask(Request("dance", json::object())).last["error"].get<std::string>(), testing::HasSubstr("dance"));
  EXPECT_TRUE(Ask("not json").last.contains("error"));
  EXPECT_TRUE(Ask("").last.contains("error"));
  EXPECT_TRUE(Ask("{}").last.contains("error"));
  EXPECT_TRUE(Ask(Request("encode", json::object())).last.contains("error"));
  EncodeTask task;
  task.settings = test::SmallSettings();
  task.footage = "/no/such/footage.y4m";
  EXPECT_THAT(Ask(Request("encode", task)).last["error"].get<std::string>(), testing::HasSubstr("footage.y4m"));
}

TEST(WorkerMain, TellsWhoseFaultItIsAndKnowsOtherTasks) {
  const auto ask = [](const WorkerTask& task) {
    std::istringstream in(Request("more", {{"x", 2}}));
    std::ostringstream out;
    WorkerMain(in, out, {{"more", task}});
    return json::parse(out.str());
  };
  EXPECT_EQ(ask([](const json& arguments, const auto&) {
              return json{{"twice", arguments["x"].get<int>() * 2}};
            })["result"]["twice"],
            4);
  EXPECT_EQ(ask([](const json&, const auto&) -> json { FailInput("no such key"); })["input"], true);
  EXPECT_EQ(ask([](const json&, const auto&) -> json { FailMachine("no such card"); })["input"], false);
}

TEST(WorkerMain, ADriverThatIsNotThereIsAnError) {
  const json request = {{"task", "probe"},
                        {"stand_in_gpu", StandInGpu{"/x.toml", {"0000:01:00.0"}, {}, "/no/such/folder"}},
                        {"arguments", ProbeTask{test::SmallSettings()}}};
  std::istringstream in(request.dump());
  std::ostringstream out;
  EXPECT_EQ(WorkerMain(in, out, MeasuringTasks()), 3);
  EXPECT_THAT(out.str(), testing::HasSubstr("driver does not load"));
}

}  // namespace
}  // namespace kettle
