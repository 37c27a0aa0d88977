// SPDX-License-Identifier: Apache-2.0
#include "report/card.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <vector>

#include "report/card_reasons.h"
#include "report/card_rows.h"
#include "report/sentence.h"
#include "report/wrap.h"

namespace kettle {

namespace {

std::string Row(const std::string& name, const std::string& stream, const std::string& recording) {
  std::string text = fmt::format("{:<16}{:<31}{}", name, stream, recording);
  while (!text.empty() && text.back() == ' ') text.pop_back();
  return text + "\n";
}

// What one of the two lacks: a processor has no card, and what is not asked for is as the preset has it.
std::string Missing(const std::string& name) { return name == "graphics card" ? "-" : "preset's own"; }

// In the order of both.
std::vector<std::array<std::string, 3>> SideBySide(const CardRows& stream, const CardRows& recording) {
  std::vector<std::array<std::string, 3>> rows;
  auto r = recording.begin();
  for (const auto& [name, value] : stream) {
    const auto same = std::find_if(r, recording.end(), [&, &n = name](const auto& row) { return row.first == n; });
    if (same == recording.end()) {
      rows.push_back({name, value, Missing(name)});
      continue;
    }
    for (; r != same; ++r) rows.push_back({r->first, Missing(r->first), r->second});
    rows.push_back({name, value, r->second});
    ++r;
  }
  for (; r != recording.end(); ++r) rows.push_back({r->first, Missing(r->first), r->second});
  return rows;
}

CardTable OneColumn(const std::string& title, const Option& option, const std::string& container) {
  CardTable table{title, "", {}, ""};
  for (const auto& [name, value] : RowsOf(option)) table.rows.push_back({name, value, ""});
  table.rows.push_back({"container", container, ""});
  return table;
}

// By which an encode leaves for these destinations; for all of the show, where none is named.
Protocols ProtocolsTo(const Plan& plan, const std::vector<std::string>& names) {
  Protocols protocols{plan.over_srt.empty(), false};
  for (const auto& [name, srt] : plan.over_srt)
    if (names.empty() || std::find(names.begin(), names.end(), name) != names.end())
      (srt ? protocols.srt : protocols.rtmp) = true;
  return protocols;
}

// Stream and recording; where the stream's encode is recorded, or nothing is, one column.
CardTable FirstTable(const Plan& plan) {
  const Option &stream = plan.chosen->stream, &recording = plan.chosen->recording;
  if (plan.container == "none") {
    CardTable table = OneColumn("STREAM", stream, Carried(stream, ProtocolsTo(plan, plan.chosen->destinations)));
    table.note = "Nothing is recorded, as the show says.";
    return table;
  }
  if (plan.chosen->one_encode) {
    CardTable table = OneColumn("STREAM AND RECORDING", stream,
                                Carried(stream, ProtocolsTo(plan, plan.chosen->destinations)) +
                                    " to the destination, " + ContainerWords(plan.container) + " to the disk");
    table.note = "One encode for both: set the recording to use the stream's encoder.";
    return table;
  }
  CardTable table{"STREAM", "RECORDING", SideBySide(RowsOf(stream), RowsOf(recording)), ""};
  table.rows.push_back(
      {"container", Carried(stream, ProtocolsTo(plan, plan.chosen->destinations)), ContainerWords(plan.container)});
  return table;
}

std::string Settings(const Plan& plan) {
  std::string text;
  for (const CardTable& table : CardTables(plan)) {
    if (!text.empty()) text += "\n";
    text += Row("", table.first, table.second);
    for (const auto& [name, first, second] : table.rows) text += Row(name, first, second);
    if (!table.note.empty()) text += table.note + "\n";
  }
  return text;
}

std::string SimulatedLine(const Plan& plan) {
  if (!plan.simulated) return "";
  if (plan.chosen && !plan.chosen->stream.simulated && !plan.chosen->recording.simulated)
    return "SIMULATED: this plan was compared with a simulated GPU; both chosen encodes are real.\n";
  return "SIMULATED: the GPU is a stand-in; its figures say nothing about a real card.\nNot for going live.\n";
}

double HeadroomLeft(const Plan& plan) {
  const Attempt& proven = plan.proving.attempts.back();
  double alone = std::min(proven.pair.stream.headroom, proven.pair.recording.headroom);
  for (const FurtherStream& further : proven.pair.further) alone = std::min(alone, further.option.headroom);
  return std::max(0.0, std::min({alone, proven.room(plan.capacity), 1 - proven.pair.demand.engine_share}));
}

}  // namespace

std::vector<CardTable> CardTables(const Plan& plan) {
  if (!plan.chosen) return {};
  const Pair& pair = *plan.chosen;
  std::vector<CardTable> tables{FirstTable(plan)};
  if (!pair.further.empty()) {
    std::string& note = tables.front().note;
    note += std::string(note.empty() ? "" : "\n") +
            fmt::format("The stream above goes to {}.", fmt::join(pair.destinations, ", "));
  }
  for (const FurtherStream& further : pair.further)
    tables.push_back(OneColumn(fmt::format("STREAM TO {}", fmt::join(further.destinations, ", ")), further.option,
                               Carried(further.option, ProtocolsTo(plan, further.destinations))));
  return tables;
}

std::string CardVerdict(const Plan& plan) {
  const double left = HeadroomLeft(plan) * 100, asked = plan.capacity.headroom * 100;
  if (plan.verdict() == PlanVerdict::kTight)
    return fmt::format(
        "TIGHT: keeps pace, but with too little headroom: {:.0f} % where the show asks for {:.0f} %. Anything else "
        "that runs costs frames. Choose a smaller picture or a lower frame rate.",
        left, asked);
  if (const std::size_t further = plan.chosen->further.size(); further > 0)
    return fmt::format("HOLDS: {} streams{} keep pace, with {:.0f} % headroom.", further + 1,
                       plan.container == "none"  ? ""
                       : plan.chosen->one_encode ? ", the first of them recorded too,"
                                                 : " and the recording",
                       left);
  return fmt::format("HOLDS: {} keep{} pace, with {:.0f} % headroom.",
                     plan.container == "none"  ? "the stream"
                     : plan.chosen->one_encode ? "one encode, streamed and recorded,"
                                               : "stream and recording",
                     plan.chosen->one_encode ? "s" : "", left);
}

std::string CardProof(const Plan& plan) {
  const Proof& proof = plan.proving.attempts.back().proof;
  if (!proof.further.empty()) {
    const auto [frames, skipped] = proof.Total(plan.chosen->one_encode);
    return fmt::format("Proven: {:g} s of all at once in real time: {} of {} frames encoded.", proof.seconds,
                       frames - skipped, frames);
  }
  if (plan.chosen->one_encode)
    return fmt::format("Proven: {:g} s in real time: {} of {} frames encoded.", proof.seconds,
                       proof.stream.frames - proof.stream.skipped, proof.stream.frames);
  return fmt::format(
      "Proven: {:g} s of both at once in real time: {} of {} stream frames and {} of {} recording frames "
      "encoded.",
      proof.seconds, proof.stream.frames - proof.stream.skipped, proof.stream.frames,
      proof.recording.frames - proof.recording.skipped, proof.recording.frames);
}

namespace {

std::string DisturbedLine(const Plan& plan) {
  if (plan.proving.attempts.empty() || !plan.proving.attempts.back().proof.disturbed()) return "";
  const Proof& proof = plan.proving.attempts.back().proof;
  if (proof.slowness > kSlow)
    return CardNote(fmt::format(
        "The machine was disturbed during the proof run: it took {:.1f} times as long as usual for the same work. Plan "
        "again with --fresh when it is quiet.",
        proof.slowness));
  return CardNote(fmt::format(
      "The machine was disturbed during the proof run: other machines on this host took {:.1f} cores, other "
      "programs {:.1f}, and {} came late to the encoders. Plan again with --fresh when it is quiet.",
      proof.stolen_cores, proof.other_cores, Count(proof.late, "frame")));
}

// Settings that were proven on an idle machine prove nothing beside a game: say what was running.
std::string LoadLine(const Plan& plan) {
  if (plan.under_load) return "";  // a declared load is told among the warnings
  return CardNote(fmt::format(
      "Other programs used {:.1f} of {:g} cores during the proof run. If your game was not running, record its load "
      "with fast-kettle load capture and plan again with --load.",
      plan.proving.attempts.back().proof.other_cores, plan.capacity.cpu_cores));
}

std::string Notes(const Plan& plan) {
  std::string text = "\nNOTES\n" + LoadLine(plan) + DisturbedLine(plan);
  for (const Message& warning : plan.targets.warnings) text += CardNote(Sentence(warning));
  return text;
}

}  // namespace

bool HasWhatACardTells(const Plan& plan) {
  return !plan.chosen || (!plan.proving.attempts.empty() && (!plan.colour || !plan.colour->stages.empty()));
}

std::string CardNote(const std::string& text) { return "- " + Wrap(text, 2, 2, kCardColumns) + "\n"; }

namespace {

// The first screen.
std::string Head(const Plan& plan) {
  std::string text = fmt::format("{}: settings card by Fast Kettle\n", plan.title) + SimulatedLine(plan);
  if (!plan.chosen) {
    const std::string disturbed = DisturbedLine(plan);
    text += disturbed.empty() ? "\nNO PLAN: nothing that was tried keeps pace on this machine.\n"
                              : "\nNO PLAN: nothing kept pace, but the machine was disturbed.\n" + disturbed;
    if (!plan.nearest.empty())
      text += Wrap(fmt::format("Nearest settings that would: {}.", Sentence(plan.nearest)), 0, 0, kCardColumns) + "\n";
    return text;
  }
  text += Wrap(CardVerdict(plan), 0, 0, kCardColumns) + "\n\n" + Settings(plan) + "\n";
  text += Wrap(CardProof(plan), 0, 0, kCardColumns) + "\n";
  text += "Next:   type these in, start your game, then fast-kettle rehearse plan.json\n";
  return text;
}

}  // namespace

std::string SettingsCard(const Plan& plan) {
  if (!plan.chosen) return Head(plan);
  return Head(plan) + "\n" + CardReasons(plan) + Notes(plan);
}

std::string CardSummary(const Plan& plan) {
  if (!plan.chosen) return Head(plan);
  return Head(plan) + Notes(plan);
}

}  // namespace kettle
