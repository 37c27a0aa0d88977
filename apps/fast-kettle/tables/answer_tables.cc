// SPDX-License-Identifier: Apache-2.0
#include "tables/answer_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "report/looks.h"
#include "report/sentence.h"
#include "tables/bench_tables.h"

namespace kettle::app {

namespace {

Tone ToneOf(Verdict verdict) {
  switch (verdict) {
    case Verdict::kBetter: return Tone::kGood;
    case Verdict::kWorse:
    case Verdict::kFailed: return Tone::kBad;
    case Verdict::kReference:
    case Verdict::kSame:
    case Verdict::kUnclear: break;
  }
  return Tone::kPlain;
}

std::string Signed(const std::optional<Difference>& difference, double scale, int digits) {
  if (!difference) return "-";
  std::string text = fmt::format("{:+.{}f}", difference->value * scale, digits);
  if (difference->interval) text += fmt::format(" ±{:.{}f}", *difference->interval * scale, digits);
  return text;
}

void PrintVariants(const Answer& answer) {
  const bool gpu = std::any_of(answer.variants.begin(), answer.variants.end(),
                               [](const VariantAnswer& v) { return v.engine_share > 0; });
  Table table({{"variant"},
               Number("score"),
               Number("gain"),
               Number("over"),
               Number("same quality takes"),
               Number("worst second"),
               Number("blocks"),
               Number(gpu ? "cores / engine" : "cores"),
               Number("cost, %"),
               Number("latency p99"),
               Number("peak kbit/s"),
               {"verdict"}});
  for (const VariantAnswer& v : answer.variants) {
    const std::string label = v.variant.label + (v.simulated ? " (simulated)" : "");
    if (v.verdict == Verdict::kFailed) {
      table.Row({{label},
                 Number("-"),
                 Number("-"),
                 Number("-"),
                 Number("-"),
                 Number("-"),
                 Number("-"),
                 Number("-"),
                 Number("-"),
                 Number("-"),
                 Number("-"),
                 {Sentence(v.words), Tone::kBad}});
      continue;
    }
    const double cores = v.cpu_cores + v.feeding_cores;
    table.Row({{label},
               Number(fmt::format("{:.1f}", v.score)),
               Number(Signed(v.gain, 1, 1)),
               Number(v.gain ? fmt::format("{} s", v.seconds) : "-"),
               Number(v.bd_rate ? fmt::format("{:+.0f} % bits", *v.bd_rate * 100) : "-"),
               Number(fmt::format("{:.1f}", v.worst_second_score)),
               Number(fmt::format("{:.1f}", v.blockiness)),
               Number(v.engine_share > 0 ? fmt::format("{:.2f} / {:.0f} %", cores, v.engine_share * 100)
                                         : fmt::format("{:.2f}", cores)),
               Number(Signed(v.cost_share, 100, 0)),
               Number(fmt::format("{:.0f} ms", v.latency_p99_ms)),
               Number(fmt::format("{:.0f}", v.peak_second_kbps)),
               {Name(v.verdict), ToneOf(v.verdict)}});
  }
  fmt::print("{}\n", table.str());
}

// A row a variant, a column a bit rate; what looks best in a column is marked.
void PrintCurves(const Answer& answer) {
  std::vector<Cell> header{{"score at"}};
  for (const BitRate rate : answer.question.rates) header.push_back(Number(rate.str()));
  Table table(std::move(header));
  const auto quality = [&](const VariantAnswer& v, std::size_t rate) {
    return v.curve.empty() ? std::nullopt : std::optional(v.curve[rate].quality);
  };
  for (const VariantAnswer& v : answer.variants) {
    std::vector<Cell> cells{{v.variant.label}};
    for (std::size_t rate = 0; rate < answer.question.rates.size(); ++rate) {
      const bool best = std::all_of(answer.variants.begin(), answer.variants.end(), [&](const VariantAnswer& other) {
        return quality(other, rate) <= quality(v, rate);
      });
      const std::optional<double> score = quality(v, rate);
      cells.push_back(
          Number(score ? fmt::format("{:.1f}{}", *score, best ? " *" : "  ") : "-", best ? Tone::kGood : Tone::kPlain));
    }
    table.Row(std::move(cells));
  }
  fmt::print("{}* best at that bit rate\n\n", table.str());
}

}  // namespace

void PrintAnswer(const Answer& answer, double seconds, const ResultPlace& place) {
  const EncodeSettings& base = answer.variants.front().variant.settings;
  const bool of_encoder = answer.question.name == "encoder", of_size = answer.question.name == "size";
  const bool of_rate = answer.question.name == "frame-rate";
  std::string asked = of_encoder ? "" : base.encoder + " " + base.preset + ", ";
  if (!of_size) asked += base.size.str() + ", ";
  if (!of_rate) asked += base.frame_rate.str() + " frames per second, ";
  const Headline headline{fmt::format("{} {}", Sentence(answer.question.title), Alone(Sentence(answer.words))),
                          Tone::kStrong, ""};
  PrintHeadline(headline);
  fmt::print("{}{}; means over {}; compared with: {}\n\n", asked, answer.question.asked_rate.str(),
             fmt::join(answer.footage, ", "), answer.variants.front().variant.label);
  PrintVariants(answer);
  fmt::print("  {}\n\n", kScoreLegend);
  if (answer.question.of_picture || of_encoder) PrintCurves(answer);
  if (!answer.question.caveat.empty()) fmt::print("Note: {}.\n", Sentence(answer.question.caveat));
  const bool simulated =
      std::any_of(answer.variants.begin(), answer.variants.end(), [](const VariantAnswer& v) { return v.simulated; });
  if (simulated) fmt::print("{}", SimulatedNotice());
  fmt::print("Measured for {}. In {}/: bench.json, bench.csv, quality.csv, rate-quality.svg and .png\n",
             Duration(seconds), place.folder.string());
  PrintClosing(headline);
}

}  // namespace kettle::app
