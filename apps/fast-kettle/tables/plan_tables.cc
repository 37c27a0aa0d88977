// SPDX-License-Identifier: Apache-2.0
#include "tables/plan_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "kettle/encoders/catalogue.h"
#include "report/card.h"
#include "report/looks.h"
#include "report/sentence.h"
#include "report/wrap.h"
#include "tables/trade_table.h"

namespace kettle::app {

std::string Encode(const Option& option) {
  return fmt::format("{}, {} at {}", option.title(), option.settings.size.str(), option.settings.frame_rate.str());
}

namespace {

std::string VerdictOf(const Proof& proof, bool roomy) {
  if (proof.kept_pace() && proof.ended_early)
    return fmt::format("too little headroom: ended after {:.0f} s", proof.seconds);
  if (proof.holds()) return roomy ? "keeps pace" : "keeps pace, but with too little headroom";
  if (proof.status != WorkerStatus::kDone) return proof.detail;
  return proof.disturbed() ? "does not keep pace, but was disturbed" : "does not keep pace";
}

// The chosen stream on each clip: the plan goes by the one where it looks worst.
void PrintClips(const Plan& plan) {
  if (!plan.chosen) return;
  std::vector<ClipResult> clips = plan.chosen->stream.clips;
  const std::vector<ClipResult>& calm = plan.chosen->stream.calm;
  clips.insert(clips.end(), calm.begin(), calm.end());
  if (clips.size() < 2) return;
  fmt::print("{}\n", Paint("The chosen stream, clip by clip", Tone::kStrong));
  Table table({{"footage"}, Number("frames/s"), Number("headroom"), Number("score"), Number("worst second")});
  for (const ClipResult& clip : clips)
    table.Row({{clip.footage},
               Number(fmt::format("{:.0f}", clip.throughput_fps)),
               Number(fmt::format("{:.0f} %", clip.headroom * 100)),
               Number(Points(clip.score)),
               Number(Points(clip.worst_second_score))});
  fmt::print("{}\n", table.str());
}

void PrintLadder(const Plan& plan) {
  const std::vector<LadderStep> steps = WorthTaking(plan.ladder);
  if (steps.empty()) return;
  fmt::print("{}\n", Paint("If your uplink cannot carry it: go down to these, one after the other", Tone::kStrong));
  Table table({Number("bit rate"),
               {"size"},
               Number("frame rate"),
               Number("saves"),
               Number("costs, points"),
               Number("headroom")});
  for (const LadderStep& step : steps)
    table.Row({Number(step.settings.bit_rate.str()),
               {step.settings.size.str()},
               Number(step.settings.frame_rate.str()),
               Number(fmt::format("{:.0f} kbit/s", step.saves_kbps)),
               Number(Points(step.costs)),
               Number(fmt::format("{:.0f} %", step.headroom * 100))});
  fmt::print("{}\n", table.str());
}

// "Northlight, Quayside"
std::string Names(const std::vector<std::string>& destinations) {
  return fmt::format("{}", fmt::join(destinations, ", "));
}

void PrintEncodeEach(const Plan& plan) {
  if (!plan.each) return;
  const EncodeEach& each = *plan.each;
  fmt::print("{}\n", Paint("One encode for all destinations, or one for each", Tone::kStrong));
  if (!each.pair) {
    fmt::print("  One for each was not taken: {}.\n\n", Sentence(each.why));
    return;
  }
  Table table({{"destination"}, {"one for all"}, Number("score"), {"one for each"}, Number("score")});
  const auto told = [](const Option& option) {
    return fmt::format("{}, {:.0f} kbit/s", Encode(option), option.settings.bit_rate.kbps());
  };
  const Tone one_tone = each.taken ? Tone::kDim : Tone::kGood, each_tone = each.taken ? Tone::kGood : Tone::kDim;
  const auto row = [&](const std::vector<std::string>& destinations, const Option& option) {
    table.Row({{Names(destinations)},
               {each.one ? told(*each.one) : "none suits all", one_tone},
               Number(each.one ? Points(each.one->score) : "-", one_tone),
               {told(option), each_tone},
               Number(Points(option.score), each_tone)});
  };
  row(each.pair->destinations, each.pair->stream);
  for (const FurtherStream& further : each.pair->further) row(further.destinations, further.option);
  const double more = each.pair->demand.cpu_cores - each.one_demand.cpu_cores;
  fmt::print("{}  One for each takes {:.2f} cores {}, {:.2f} of {:g} with the recording (predicted). {}: {}.\n\n",
             table.str(), std::abs(more), more < 0 ? "less" : "more", each.pair->demand.cpu_cores,
             plan.capacity.cpu_cores, each.taken ? "Taken" : "Not taken", Sentence(each.why));
}

// Size to headroom, then the scores, with those of busy and calm moments if `calm`, then what to say of it.
std::vector<Cell> PictureRow(const TriedPicture& tried, bool taken, bool calm) {
  const std::optional<Option>& shown = tried.best ? tried.best : tried.too_slow;
  const bool failed = !shown || !shown->trouble.empty();
  const Tone tone = taken ? Tone::kGood : tried.best ? Tone::kPlain : Tone::kDim;
  const auto number = [&](const std::string& text) { return Number(text, tone); };
  std::vector<Cell> row{{tried.size.str(), tone}, number(tried.rate.str())};
  if (failed)
    row.insert(row.end(), {{"-", tone}, {"-", tone}, number("-")});
  else
    row.insert(row.end(), {{shown->settings.encoder + (shown->simulated ? " (simulated)" : ""), tone},
                           {shown->settings.preset, tone},
                           number(fmt::format("{:.0f} %", shown->headroom * 100))});
  if (!tried.best) {
    row.insert(row.end(), calm ? 3 : 1, number("-"));
    row.push_back({failed ? "failed" : "too slow", Tone::kBad});
    return row;
  }
  const Option& best = *tried.best;
  const std::string busiest = (best.measured ? "" : "<= ") + Points(best.busiest_score());
  if (calm) row.insert(row.end(), {number(busiest), number(best.calm.empty() ? "-" : Points(best.calmest_score()))});
  row.push_back(number(!calm ? busiest : best.calm.empty() ? "-" : Points(best.score)));
  const bool more_expected = tried.untried && tried.untried->score > best.busiest_score() + 1;
  row.push_back({taken ? "taken"
                 : more_expected
                     ? fmt::format("{}: about {:.0f} expected", tried.untried->settings.preset, tried.untried->score)
                     : "",
                 tone});
  return row;
}

void PrintPictures(const Plan& plan) {
  if (plan.pictures.empty()) return;
  const bool calm = std::any_of(plan.pictures.begin(), plan.pictures.end(),
                                [](const TriedPicture& tried) { return tried.best && !tried.best->calm.empty(); });
  fmt::print("{}\n",
             Paint("Sizes and frame rates measured for the stream, each with the best preset tried", Tone::kStrong));
  std::vector<Cell> header{{"size"}, Number("frame rate"), {"encoder"}, {"preset"}, Number("headroom")};
  if (calm) header.insert(header.end(), {Number("busiest"), Number("calmest")});
  header.insert(header.end(), {Number("score"), {""}});
  Table table(header);
  for (const TriedPicture& tried : plan.pictures)
    table.Row(PictureRow(tried,
                         plan.chosen && tried.size == plan.chosen->stream.settings.size &&
                             tried.rate == plan.chosen->stream.settings.frame_rate,
                         calm));
  fmt::print(
      "{}{}\n", table.str(),
      calm ? "  Busy and calm moments count half each; calm ones are measured of what comes near the best.\n" : "");
}

void PrintOtherCodecs(const Plan& plan) {
  if (plan.other_codecs.empty()) return;
  fmt::print("{}\n", Paint("Codecs that were not taken", Tone::kStrong));
  Table table({{"for the"}, {"codec"}, {"encoder"}, {"why not"}});
  for (const OtherCodec& other : plan.other_codecs)
    table.Row({{Name(other.role)},
               {CodecTitle(other.codec)},
               {other.encoder.empty() ? "any" : other.encoder},
               {Sentence(other.why)}});
  fmt::print("{}\n", table.str());
}

void PrintAttempts(const Plan& plan) {
  fmt::print("{}\n", Paint("Proof runs: all encodes at once, in real time", Tone::kStrong));
  Table table({{"stream"},
               {"recording"},
               Number("cores"),
               Number("busiest second"),
               Number("predicted"),
               Number("late"),
               Number("stream skipped"),
               Number("recording skipped"),
               {"verdict"}});
  for (const Attempt& attempt : plan.proving.attempts) {
    const Proof& proof = attempt.proof;
    const auto skipped = [](const PacedOutputOutcome& o) {
      return Number(fmt::format("{} of {}", o.skipped, o.frames));
    };
    const bool roomy = attempt.has_room(plan.capacity);
    PacedOutputOutcome streams = proof.stream;
    for (const PacedOutputOutcome& further : proof.further) {
      streams.skipped += further.skipped;
      streams.frames += further.frames;
    }
    table.Row({{StreamTitles(attempt.pair)},
               {attempt.pair.one_encode ? "the same encode" : attempt.pair.recording.title()},
               Number(fmt::format("{:.2f}", proof.cpu_cores + proof.stand_in_cores)),
               Number(fmt::format("{:.2f}", proof.busiest_cpu_cores + proof.stand_in_cores)),
               Number(fmt::format("{:.2f}", attempt.pair.demand.cpu_cores)),
               Number(fmt::format("{}", proof.late)),
               skipped(streams),
               attempt.pair.one_encode ? Number("-") : skipped(proof.recording),
               {VerdictOf(proof, roomy), proof.holds() && roomy ? Tone::kGood : Tone::kBad}});
  }
  fmt::print("{}", table.str());
  const double stand_in = plan.proving.attempts.back().proof.stand_in_cores;
  if (stand_in > 0)
    fmt::print("  simulating the GPU took {:.2f} cores of this machine; a real card takes none\n", stand_in);
  fmt::print("\n");
}

std::string WhyOneEncode(const Plan& plan) {
  if (plan.container == "none") return "record nothing, as the show says";
  for (const Because& reason : plan.targets.reasons)
    if (reason.choice == "recording.size" && reason.why.key == "target.set-in-show")
      return "record the same encode, as the show says";
  return "record the same encode: no better recording keeps pace beside it";
}

// What the recording's codec gains, where it is another than H.264.
std::string CodecGain(const Plan& plan) {
  for (const Because& reason : plan.targets.reasons)
    if (reason.choice == "recording.encoder") return ", " + Sentence(reason.why);
  return "";
}

// Settings that were proven on an idle machine prove nothing beside a game.
std::string ProvenBeside(const Plan& plan) {
  constexpr double kNothing = 0.1;  // of the processors
  if (plan.under_load) return "beside your game's load";
  const double others = plan.proving.attempts.back().proof.other_cores;
  return others < kNothing * plan.capacity.cpu_cores ? "with nothing else running" : "beside what else was running";
}

Headline HeadlineOf(const Plan& plan, const ResultPlace& place) {
  if (!plan.chosen) {
    const bool disturbed = !plan.proving.attempts.empty() && plan.proving.attempts.back().proof.disturbed();
    std::string sentence = disturbed ? "Nothing kept pace, but the machine was disturbed: plan again with --fresh when "
                                       "it is quiet."
                                     : "Nothing that was tried keeps pace on this machine.";
    if (!plan.nearest.empty()) sentence += " Nearest settings that would: " + Sentence(plan.nearest) + ".";
    return {sentence, Tone::kBad, ""};
  }
  const auto stream_with = [](const Option& option) {
    return fmt::format("with {}, {}: {}", Encode(option), option.settings.bit_rate.str(), Looks(option.score));
  };
  const Pair& pair = *plan.chosen;
  std::string streams = "stream " + stream_with(pair.stream);
  if (!pair.further.empty())
    streams = fmt::format("stream to {} {}", Names(pair.destinations), stream_with(pair.stream));
  for (const FurtherStream& further : pair.further)
    streams += fmt::format("; to {} {}", Names(further.destinations), stream_with(further.option));
  const std::string settings =
      streams + "; " +
      (plan.chosen->one_encode ? WhyOneEncode(plan)
                               : fmt::format("record with {}: {}{}", Encode(plan.chosen->recording),
                                             Looks(plan.chosen->recording.score), CodecGain(plan)));
  const std::string next = fmt::format("fast-kettle rehearse {}/plan.json --seconds 60 --out rehearsal{}",
                                       place.folder.string(), place.StandInOption());
  if (plan.verdict() == PlanVerdict::kTight)
    return {"Keeps pace, but with too little headroom: " + settings + ".", Tone::kBad, next};
  return {"This keeps pace on your machine " + ProvenBeside(plan) + ": " + settings + ".", Tone::kGood, next};
}

}  // namespace

Table OptionTable(const std::vector<Option>& options, double required_headroom) {
  Table table({{"encoder"},
               {"preset"},
               Number("frames/s"),
               Number("headroom"),
               Number("cores"),
               Number("score"),
               Number("worst second"),
               {"verdict"}});
  for (const Option& option : options) {
    const bool works = option.trouble.empty(), holds = works && option.keeps_pace(required_headroom);
    const auto figure = [&](const std::string& text, bool known = true) {
      return Number(works && known ? text : "-", holds ? Tone::kPlain : Tone::kDim);
    };
    const bool seen = option.scored();
    std::string verdict = option.proven         ? "proven"
                          : holds               ? "keeps pace"
                          : option.headroom < 0 ? "overload"
                                                : fmt::format("headroom below {:.0f} %", required_headroom * 100);
    if (!works) verdict = option.trouble;
    table.Row({{option.settings.encoder + (option.simulated ? " (simulated)" : "")},
               {option.settings.preset +
                (option.settings.quality_level ? fmt::format(" at level {}", *option.settings.quality_level) : "")},
               figure(fmt::format("{:.0f}", option.throughput_fps)),
               figure(fmt::format("{:.0f} %", option.headroom * 100)),
               figure(fmt::format("{:.2f}", option.cpu_cores)),
               figure(Points(option.score), seen),
               figure(Points(option.quality.worst_second_score()), seen),
               {verdict, holds ? Tone::kGood : Tone::kBad}});
  }
  return table;
}

namespace {

bool HoldsOnlySpeeds(const std::vector<Option>& options) {
  return std::any_of(options.begin(), options.end(), [](const Option& option) {
    return option.trouble.empty() && option.headroom >= 0 && !option.scored();
  });
}

}  // namespace

namespace {

std::string ProofFiles(const Plan& plan) {
  if (plan.proving.attempts.empty()) return "";
  const Pair& pair = plan.proving.attempts.back().pair;
  std::string files = ", proof.csv, " + ProofStreamFile(pair.stream.settings);
  for (std::size_t i = 0; i < pair.further.size(); ++i)
    files += ", " + ProofStreamFile(pair.further[i].option.settings, i + 1);
  return files + (pair.one_encode ? "" : ", recording.mkv");
}

}  // namespace

void PrintPlan(const Plan& plan, const ResultPlace& place) {
  const Headline headline = HeadlineOf(plan, place);
  PrintHeadline(headline);
  PrintPictures(plan);
  for (const Role role : {Role::kStream, Role::kRecording}) {
    if (plan.options[static_cast<int>(role)].empty()) continue;
    fmt::print("{}\n{}\n",
               Paint(role == Role::kStream ? "Presets measured for the stream, each alone"
                                           : "Presets measured for the recording, each alone",
                     Tone::kStrong),
               OptionTable(plan.options[static_cast<int>(role)], plan.capacity.headroom).str());
  }
  fmt::print("  {}\n", kScoreLegend);
  if (HoldsOnlySpeeds(plan.options[static_cast<int>(Role::kRecording)]))
    fmt::print(
        "  recordings without a score: only their speed was measured; their quality level is searched afterwards\n");
  fmt::print("\n");
  PrintTrade(plan.trade, plan.capacity.cpu_cores);
  PrintOtherCodecs(plan);
  PrintClips(plan);
  PrintEncodeEach(plan);
  PrintLadder(plan);
  if (!plan.placement.rejected.empty()) {
    fmt::print("{}\n", Paint("Combinations ruled out", Tone::kStrong));
    for (const RejectedPair& pair : plan.placement.rejected)
      fmt::print(
          "  - {}\n",
          Wrap(fmt::format("stream {}, recording {}: {}", pair.stream, pair.recording, Sentence(pair.why)), 4, 4, 110));
    fmt::print("\n");
  }
  if (!plan.proving.attempts.empty()) PrintAttempts(plan);
  fmt::print("{}\n", CardSummary(plan));
  fmt::print(
      "{} trials needed of {} in the whole grid{}; {} measured now, {} reused.\n"
      "In {}/: report.html (all of it on one page), card.txt (these settings and the reasons), plan.json, bench.csv, "
      "quality.csv{}, and figures as SVG and "
      "PNG.\n",
      plan.trials, plan.grid,
      plan.recording_level ? fmt::format(", {} more for the recording's level", plan.recording_level->steps.size())
                           : "",
      plan.measured, plan.reused, place.folder.string(), ProofFiles(plan));
  PrintClosing(headline);
}

}  // namespace kettle::app
