// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>

#include "commands/bench_plan.h"
#include "commands/commands.h"
#include "figure/figures.h"
#include "figure/rate_quality.h"
#include "kettle/question/answer.h"
#include "kettle/trial/interleaved.h"
#include "kettle/trial/repeats.h"
#include "kettle/units/error.h"
#include "past_runs/keep_run.h"
#include "tables/answer_tables.h"
#include "tables/bench_tables.h"

namespace kettle::app {

namespace {

using nlohmann::json;

constexpr double kPacedSeconds = 5;       // of each trial in real time
constexpr double kQuestionSeconds = 180;  // for an answer, where no time budget is given
// B-frames and others stand at other places in each variant: of few pictures chance would take more of one kind.
constexpr int kScoredForAQuestion = 15;

bool IsScoredEnough(const Trial& trial, int a_second) {
  const auto wanted = ScoredPictures(trial.quality->frames, trial.settings.frame_rate, a_second).size();
  return trial.quality->scored_pictures.size() >= wanted;
}

// Footage that is not there yet: what a dry run needs to know of it.
std::vector<Footage> Promised(const Show& show, double seconds) {
  std::vector<Footage> footage;
  for (const std::string& source : show.footage)
    footage.push_back({std::filesystem::path(source).filename().string(), "", show.source_size, show.source_rate,
                       static_cast<int>(seconds * show.source_rate.fps()), 0});
  return footage;
}

std::vector<TrialJob> Jobs(const BenchPlan& plan, const std::vector<Footage>& footage,
                           const std::vector<Trial>& known) {
  std::vector<TrialJob> jobs;
  for (const Footage& pictures : footage)
    for (const EncodeSettings& settings : plan.settings) {
      TrialJob job{settings, pictures, std::nullopt, std::nullopt};
      // What an encode costs is asked at one bit rate; at the others only its quality counts.
      if (plan.question) job.scored_a_second = kScoredForAQuestion;
      if (plan.question && settings.bit_rate != plan.question->asked_rate) job.most_repeats = 1;
      for (const Trial& trial : known)
        if (trial.settings == settings &&
            (trial.footage_key == pictures.key() || (pictures.file.empty() && trial.footage == pictures.label)))
          job.trial = trial;
      // What failed, or was cut short by a time budget, is tried again in another run; a plan leaves the quality of
      // what is too slow unmeasured.
      if (job.trial && (!job.trial->done() || job.trial->truncated || !job.trial->quality ||
                        !IsScoredEnough(*job.trial, job.scored_a_second)))
        job.trial.reset();
      jobs.push_back(std::move(job));
    }
  return jobs;
}

// The trials of a run, and those of other settings that the folder held before.
std::vector<Trial> AllTrials(const std::vector<TrialJob>& jobs, const std::vector<Trial>& known) {
  std::vector<Trial> trials;
  for (const Trial& trial : known)
    if (std::none_of(jobs.begin(), jobs.end(), [&](const TrialJob& job) {
          return job.settings == trial.settings && job.footage.key() == trial.footage_key;
        }))
      trials.push_back(trial);
  for (const TrialJob& job : jobs)
    if (job.trial) trials.push_back(*job.trial);
  return trials;
}

// How much repeats vary on each kind of device, by all jobs together.
std::map<std::string, std::optional<PooledSpread>> Spreads(const std::vector<TrialJob>& jobs) {
  std::map<std::string, std::vector<std::vector<double>>> throughputs;
  for (const TrialJob& job : jobs)
    if (job.trial && job.trial->done()) throughputs[job.trial->device].push_back(CountedThroughputs(*job.trial));
  std::map<std::string, std::optional<PooledSpread>> spreads;
  for (const auto& [device, series] : throughputs) spreads[device] = PoolSpread(series);
  return spreads;
}

std::vector<Option> Options(const BenchPlan& plan, const std::vector<TrialJob>& jobs) {
  std::map<std::string, std::optional<PooledSpread>> spreads = Spreads(jobs);
  std::vector<Option> options;
  for (const EncodeSettings& settings : plan.settings) {
    std::vector<Trial> trials;
    bool all = true;
    for (const TrialJob& job : jobs)
      if (job.settings == settings) {
        all = all && job.trial;
        if (!job.trial) continue;
        trials.push_back(*job.trial);
        if (const auto& spread = spreads[job.trial->device]; spread && job.trial->done())
          trials.back().interval = MedianInterval(*spread, CountedThroughputs(*job.trial).size());
      }
    if (!trials.empty()) options.push_back(MakeOption(trials, all));
  }
  return options;
}

std::vector<PacedTrial> RunPacedTrials(Session& session, const BenchPlan& plan, const std::vector<Footage>& footage) {
  std::vector<PacedTrial> trials;
  if (!session.request().bench.paced) return trials;
  session.progress().Stage("in real time", static_cast<int>(plan.settings.size() * footage.size()));
  for (const EncodeSettings& setting : plan.settings)
    for (const Footage& pictures : footage) {
      trials.push_back(session.runner().RunPaced(setting, pictures, kPacedSeconds));
      session.progress().StepDone();
    }
  session.progress().Clear();
  return trials;
}

void CheckResume(const Session& session) {
  const BenchOptions& bench = session.request().bench;
  if (bench.resume && !session.trials().HoldsAny())
    FailInput(
        "--resume: {} has no bench to continue that was measured on this machine, with these drivers and codec "
        "libraries, by this version, {}",
        session.out().string(), session.load() ? "under this load" : "without a load");
  if (!bench.resume && !bench.dry_run && !bench.soak_minutes && session.trials().HasUnfinishedBench())
    FailInput("{} has an unfinished bench: continue it with --resume, or use another folder with --out",
              session.out().string());
}

int DryRun(Session& session, const BenchPlan& plan) {
  const BenchOptions& bench = session.request().bench;
  const std::vector<TrialJob> jobs =
      Jobs(plan, Promised(plan.show, session.request().footage_seconds), session.trials().Known());
  const RepeatRules rules{std::min(3, bench.repeats), bench.repeats};
  const Expectation expectation = Expect(jobs, rules, !bench.resume);
  if (session.request().json)
    PrintJson(json{{"trials", jobs.size()},
                   {"repeats", expectation.repeats},
                   {"expected_seconds", expectation.seconds},
                   {"unknown", expectation.unknown}});
  else
    PrintDryRun(plan, jobs, expectation);
  return 0;
}

TrialTiming Sum(const std::vector<TrialJob>& jobs) {
  TrialTiming sum;
  for (const TrialJob& job : jobs)
    if (job.trial) {
      sum.encoding += job.trial->timing.encoding;
      sum.starting += job.trial->timing.starting;
      sum.quality += job.trial->timing.quality;
    }
  return sum;
}

// Measures the jobs and keeps each repeat at once; gives the seconds that this run took, by what for.
json Measure(Session& session, const InterleaveLimits& limits, const std::vector<Trial>& known,
             std::vector<TrialJob>& jobs) {
  const SteadyClock clock;
  const std::int64_t start_ns = clock.now_ns();
  const TrialTiming before = Sum(jobs);
  session.progress().Stage("trials", std::max(1, Expect(jobs, limits.rules).repeats));
  RunInterleaved(jobs, limits, session.runner(), clock, [&] {
    session.trials().Keep(AllTrials(jobs, known), false, session.footage().all());
    session.progress().StepDone();
  });
  session.progress().Clear();
  const TrialTiming after = Sum(jobs);
  return {{"total_seconds", static_cast<double>(clock.now_ns() - start_ns) * 1e-9},
          {"encoding_seconds", after.encoding - before.encoding},
          {"starting_seconds", after.starting - before.starting},
          {"quality_seconds", after.quality - before.quality}};
}

InterleaveLimits Limits(const BenchOptions& bench, double elapsed_seconds, std::size_t jobs) {
  InterleaveLimits limits{{std::min(3, bench.repeats), bench.repeats}, {}};
  // To be compared, or as exact as this machine lets it be.
  limits.whole_rounds = !bench.like.empty() || bench.repeats > BenchOptions{}.repeats;
  const double paced = bench.paced ? (kPacedSeconds + 1) * static_cast<double>(jobs) : 0;
  if (bench.budget_seconds) limits.budget_seconds = std::max(1.0, *bench.budget_seconds - elapsed_seconds - paced);
  return limits;
}

std::vector<std::string> Labels(const std::vector<Footage>& footage) {
  std::vector<std::string> labels;
  for (const Footage& pictures : footage) labels.push_back(pictures.label);
  return labels;
}

// The trials of `settings` on further footage: for their quality, once each.
std::vector<TrialJob> FurtherJobs(const std::vector<EncodeSettings>& settings, const std::vector<Footage>& footage,
                                  const std::vector<Trial>& known) {
  std::vector<TrialJob> jobs;
  for (const Footage& pictures : footage)
    for (const EncodeSettings& one : settings) {
      jobs.push_back({one, pictures, std::nullopt, 1, kScoredForAQuestion});
      for (const Trial& trial : known)
        if (trial.settings == one && trial.footage_key == pictures.key() && trial.done() && trial.quality &&
            IsScoredEnough(trial, kScoredForAQuestion))
          jobs.back().trial = trial;
    }
  return jobs;
}

std::vector<Trial> TrialsOf(const std::vector<TrialJob>& jobs) {
  std::vector<Trial> trials;
  for (const TrialJob& job : jobs)
    if (job.trial) trials.push_back(*job.trial);
  return trials;
}

// What the first stretch of footage leaves unclear, more of it may tell: goes on until the answer is clear, or no
// footage or time is left. What the variants cost is measured again with the time that remains.
Answer AnswerQuestion(Session& session, const BenchPlan& plan, const std::vector<Footage>& footage,
                      const std::vector<Trial>& known, const std::function<double()>& seconds_left,
                      std::vector<TrialJob>& jobs) {
  std::vector<std::string> further;  // labels
  const auto answer_now = [&] { return MakeAnswer(*plan.question, Labels(footage), TrialsOf(jobs), further); };
  Answer answer = answer_now();
  for (int number = 1; answer.unclear() && seconds_left() > 0; ++number) {
    const std::vector<Footage> more = session.footage().PrepareFurther(plan.show, number);
    if (more.empty()) break;
    for (const std::string& label : Labels(more)) further.push_back(label);
    const std::vector<TrialJob> added = FurtherJobs(FurtherEncodes(answer), more, known);
    jobs.insert(jobs.end(), added.begin(), added.end());
    Measure(session, {{1, 1}, seconds_left()}, known, jobs);
    answer = answer_now();
  }
  std::erase_if(jobs, [&](const TrialJob& job) {  // what there was no time for is nothing that --resume must finish
    return !job.trial && std::find(further.begin(), further.end(), job.footage.label) != further.end();
  });
  const int repeats = session.request().bench.repeats;
  Measure(session, {{std::min(3, repeats), repeats}, std::max(0.0, seconds_left())}, known, jobs);
  return answer_now();
}

BenchResult ResultOf(const Session& session, const BenchPlan& plan, const std::vector<TrialJob>& jobs,
                     const std::vector<PacedTrial>& paced, int taken_up, double seconds) {
  BenchResult result;
  result.title = plan.show.title;
  if (plan.of_show) result.show = session.request().show;
  result.required_headroom = plan.show.required_headroom;
  result.settings = plan.settings;
  result.options = Options(plan, jobs);
  result.paced = paced;
  result.warnings = plan.warnings;
  result.trials = static_cast<int>(jobs.size());
  for (const TrialJob& job : jobs) {
    result.missing += !job.trial;
    if (job.trial) result.repeats += static_cast<int>(job.trial->repeats.size());
  }
  result.taken_up = taken_up;
  result.seconds = seconds;
  for (const std::string& source : plan.show.footage)
    result.footage.push_back(IsScene(source) ? source : std::filesystem::absolute(source).string());
  result.source_size = plan.show.source_size;
  result.source_rate = plan.show.source_rate;
  result.footage_seconds = session.request().footage_seconds;
  return result;
}

void Keep(const Session& session, const BenchPlan& plan, const std::vector<Trial>& trials) {
  const bool simulated = std::any_of(trials.begin(), trials.end(), [](const Trial& trial) { return trial.simulated; });
  KeepRun(session,
          {"bench", plan.show.title, Message{"history.bench", {{"count", trials.size()}}}, simulated, {"bench.json"}});
}

}  // namespace

int RunBench(Session& session) {
  const BenchOptions& bench = session.request().bench;
  const auto start = std::chrono::steady_clock::now();
  const auto elapsed = [&] { return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count(); };
  BenchPlan plan = MakeBenchPlan(session);
  if (bench.dry_run) {
    CheckResume(session);
    return DryRun(session, plan);
  }
  // An earlier run's trials count only under the same load, so it comes first.
  if (!plan.show.load.empty()) {
    session.StartLoad(plan.show.load);
    plan.warnings.push_back(Message{"bench.under-load", {{"load", session.load()->words()}}});
  }
  CheckResume(session);
  if (bench.soak_minutes) return RunSoakCommand(session, plan);

  const std::vector<Footage> footage = session.footage().PrepareAll(plan.show);
  for (const Message& note : session.footage().Notes()) plan.warnings.push_back(note);
  const std::vector<Trial> known = session.trials().Known();
  std::vector<TrialJob> jobs = Jobs(plan, footage, bench.resume ? known : std::vector<Trial>{});
  const auto taken_up = std::count_if(jobs.begin(), jobs.end(), [](const TrialJob& job) { return job.trial; });
  if (!bench.resume) session.trials().SetAside();
  InterleaveLimits limits = Limits(bench, elapsed(), jobs.size());
  if (plan.question) limits.rules = {1, 1};
  const json timing = Measure(session, limits, known, jobs);
  const std::vector<PacedTrial> paced = RunPacedTrials(session, plan, footage);
  const std::vector<Trial> trials = AllTrials(jobs, known);
  const bool complete = std::all_of(jobs.begin(), jobs.end(), [](const TrialJob& job) { return job.trial; });
  json more = {{"paced", paced}, {"timing", timing}, {"stand_in_gpu", session.request().stand_in_gpu}};
  if (plan.question) {
    const Answer answer = AnswerQuestion(
        session, plan, footage, known, [&] { return bench.budget_seconds.value_or(kQuestionSeconds) - elapsed(); },
        jobs);
    const double seconds = elapsed();
    more["question"] = answer;
    more["question"]["measured_seconds"] = seconds;
    session.trials().Keep(AllTrials(jobs, known), complete, session.footage().all(), more);
    session.DrawChart(MakeRateQualityChart(answer));
    if (session.request().json)
      PrintJson(json(answer));
    else
      PrintAnswer(answer, seconds, PlaceOf(session));
    Keep(session, plan, TrialsOf(jobs));
    return 0;
  }
  const BenchResult result = ResultOf(session, plan, jobs, paced, static_cast<int>(taken_up), elapsed());
  more["bench"] = result;
  session.trials().Keep(trials, complete, footage, more);
  session.DrawChart(MakeSpeedQualityChart(result.options, std::nullopt, plan.show.required_headroom));
  if (session.request().json)
    PrintJson(json{{"options", result.options}, {"paced", paced}, {"trials", trials}, {"timing", timing}});
  else
    PrintBench(result, PlaceOf(session));
  Keep(session, plan, TrialsOf(jobs));
  if (!bench.like.empty() && !session.request().json && !session.request().no_history)
    fmt::print("Next: fast-kettle compare {} last\n", bench.like == "last" ? "before-last" : bench.like);
  return 0;
}

}  // namespace kettle::app
