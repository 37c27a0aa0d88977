// SPDX-License-Identifier: Apache-2.0
#include "session/trial_store.h"

#include <algorithm>
#include <chrono>
#include <nlohmann/json.hpp>
#include <thread>

#include "kettle/machine/conditions.h"
#include "kettle/store/file.h"
#include "kettle/units/error.h"
#include "report/sentence.h"
#include "report/trial_csv.h"

namespace kettle::app {

namespace fs = std::filesystem;

namespace {

using nlohmann::json;

json FootageJson(const std::vector<Footage>& footage) {
  json list = json::array();
  for (const Footage& f : footage)
    list.push_back({{"label", f.label},
                    {"key", f.key()},
                    {"size", f.size},
                    {"frame_rate", f.rate},
                    {"frames", f.frames},
                    {"from_seconds", f.from_seconds},
                    {"notes", f.notes}});
  return list;
}

}  // namespace

TrialStore::TrialStore(fs::path out, Provenance provenance, std::string made_by, std::string stand_in_digest,
                       bool fresh)
    : out_(std::move(out)),
      provenance_(std::move(provenance)),
      made_by_(std::move(made_by)),
      stand_in_digest_(std::move(stand_in_digest)),
      fresh_(fresh),
      quality_csv_(out_ / "quality.csv") {}

std::vector<Trial> TrialStore::Known() const {
  std::vector<Trial> trials = Kept();
  // One that was given up as too slow tells what another plan, or another minute, may see otherwise.
  std::erase_if(trials, [&](const Trial& trial) { return trial.truncated || (trial.disturbed() && QuietNow()); });
  return trials;
}

std::vector<Trial> TrialStore::Kept() const {
  std::vector<Trial> trials;
  const auto file = ReadResult(out_, "bench");
  if (fresh_ || !file || file->value("machine_digest", "") != provenance_.machine_digest ||
      file->value("version", "") != provenance_.version || file->value("power", "") != PowerWords() ||
      file->value("load_digest", "") != (load_ ? load_->digest() : ""))
    return trials;
  try {
    const bool same_gpu = file->at("stand_in_digest") == stand_in_digest_;
    for (const Trial& trial : file->at("trials").get<std::vector<Trial>>())
      if (trial.device == "cpu" || same_gpu) trials.push_back(trial);
  } catch (const std::exception&) {
    trials.clear();  // of another make: measured again
  }
  return trials;
}

bool TrialStore::QuietNow() const {
  constexpr auto kLook = std::chrono::seconds(1);
  constexpr double kQuietOthers = 0.2, kQuietStolen = 0.1;  // cores: as a trial is marked
  if (quiet_) return *quiet_;
  const ConditionSample before = SampleConditions();
  std::this_thread::sleep_for(kLook);
  const Conditions now =
      ReadConditions(before, SampleConditions(), std::chrono::duration<double>(kLook).count(), {"kettle-engine"});
  quiet_ = now.other_cores < kQuietOthers && now.stolen_cores < kQuietStolen && now.throttle_events == 0;
  return *quiet_;
}

void TrialStore::SetAside() const {
  // What a plan wrote is only trials, and those it takes up again.
  if (const auto file = ReadResult(out_, "bench"); file && file->value("made_by", "bench") != "bench") return;
  std::error_code error;
  if (fs::exists(out_ / "bench.json", error))
    fs::copy_file(out_ / "bench.json", out_ / "bench.previous.json", fs::copy_options::overwrite_existing, error);
  if (error) FailMachine("cannot keep the earlier bench.json: {}", error.message());
}

bool TrialStore::HasUnfinishedBench() const {
  const auto file = ReadResult(out_, "bench");
  return file && !file->value("complete", true) && HoldsAny();
}

void TrialStore::Keep(const std::vector<Trial>& trials, bool complete, const std::vector<Footage>& footage) {
  Keep(trials, complete, footage, nullptr);
}

void TrialStore::Keep(const std::vector<Trial>& trials, bool complete, const std::vector<Footage>& footage,
                      const json& more) {
  const bool simulated = std::any_of(trials.begin(), trials.end(), [](const Trial& trial) { return trial.simulated; });
  json body = {{"simulated", simulated},
               {"made_by", made_by_},
               {"complete", complete},
               {"power", PowerWords()},
               {"stand_in_digest", stand_in_digest_},
               {"footage", FootageJson(footage)},
               {"trials", trials},
               {"paced", json::array()}};
  if (load_) {
    load_->CheckStillThere();
    body["load"] = load_->json();
    body["load_digest"] = load_->digest();
  }
  if (more.is_object()) body.update(more);
  AddSentences(body);
  WriteResult(out_, "bench", body, provenance_);
  WriteFile(out_ / "bench.csv", TrialCsv(trials));
  quality_csv_.Keep(trials);
}

}  // namespace kettle::app
