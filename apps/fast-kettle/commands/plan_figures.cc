// SPDX-License-Identifier: Apache-2.0
#include "commands/plan_figures.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <vector>

#include "figure/capacity_figure.h"
#include "figure/figures.h"
#include "figure/pictures_figure.h"
#include "figure/strip.h"
#include "figure/trade_figure.h"

namespace kettle::app {

namespace {

std::string Short(const EncodeSettings& settings, bool simulated) {
  const std::string extras = Extras(settings);
  return fmt::format("{} {}, {} at {}{}{}", settings.encoder, settings.preset, settings.size.str(),
                     settings.frame_rate.str(), extras.empty() ? "" : ", " + extras,
                     simulated ? " (simulated GPU)" : "");
}

// An encode to look at, and the lines above it.
struct Column {
  EncodeSettings settings;
  std::vector<std::string> words;
};

// The chosen encoder and preset at the next larger of the sizes that were searched; nothing if there is none.
std::optional<EncodeSettings> SizeAbove(const Plan& plan) {
  std::optional<EncodeSettings> above;
  const EncodeSettings& chosen = plan.chosen->stream.settings;
  for (const FrameSize size : plan.targets.sizes)
    if (size.pixels() > chosen.size.pixels() && (!above || size.pixels() < above->size.pixels())) {
      above = chosen;
      above->size = size;
    }
  return above;
}

std::vector<Column> ColumnsOf(const Plan& plan) {
  const Option &chosen = plan.chosen->stream, &other = *plan.runner_up;
  std::vector<Column> columns{
      {chosen.settings, {"chosen", Short(chosen.settings, chosen.simulated)}},
      {other.settings,
       {other.score > chosen.score ? "better alone, not taken" : "runner-up", Short(other.settings, other.simulated)}}};
  if (const auto above = SizeAbove(plan); above && above->size != other.settings.size)
    columns.push_back({*above, {"the size above, same preset", Short(*above, chosen.simulated)}});
  return columns;
}

// worst-second.png: the chosen stream beside its runner-up and the size above, on the clip where it looks worst.
void DrawWorstSecond(Session& session, const Plan& plan, const std::vector<Footage>& footage) {
  if (!plan.chosen || !plan.runner_up) return;
  const Option& chosen = plan.chosen->stream;
  const auto worst = std::min_element(chosen.clips.begin(), chosen.clips.end(), [](const auto& a, const auto& b) {
    return a.worst_second_score < b.worst_second_score;
  });
  const auto pictures =
      std::find_if(footage.begin(), footage.end(), [&](const Footage& f) { return f.label == worst->footage; });
  if (pictures == footage.end()) return;
  const std::filesystem::path folder = session.scratch();
  StripTask task{pictures->file.string(), {}, {}, chosen.quality.viewing_size, 0, 0, folder.string()};
  StripWords words{
      fmt::format("The worst second of {}, as the stream shows it", worst->footage),
      fmt::format("at {}; whole, and enlarged where chosen and runner-up differ most", chosen.settings.bit_rate.str()),
      {{"source", fmt::format("{}, {} frames a second", pictures->size.str(), pictures->rate.str())}},
      pictures->rate,
      task.viewing_size};
  for (const Column& column : ColumnsOf(plan)) {
    task.encoded.push_back((folder / fmt::format("strip-{}.mkv", task.encoded.size())).string());
    task.encoded_rates.push_back(column.settings.frame_rate);
    words.columns.push_back(column.words);
    session.progress().Show("encoding the worst second: " + column.words.back(), 0);
    session.runner().Encode(column.settings, *pictures, task.encoded.back());
  }
  task.frames = static_cast<int>(std::lround(pictures->rate.fps()));
  task.first_frame = worst->worst_second * task.frames;
  const StripOutcome strip = session.runner().Strip(task);
  session.progress().Clear();
  DrawStrip(session.out(), strip, words);
  session.KeepFigure(LayOut(strip, words));
}

}  // namespace

void DrawPlanFigures(Session& session, const Plan& plan, const std::vector<Footage>& footage,
                     const std::vector<Option>& stream_options) {
  session.DrawPicture([&] { DrawWorstSecond(session, plan, footage); });
  session.DrawChart(MakePicturesChart(plan.pictures, plan.targets.stream));
  session.DrawChart(MakeSpeedQualityChart(
      stream_options, plan.chosen ? std::optional(plan.chosen->stream) : std::nullopt, plan.capacity.headroom));
  if (plan.proving.attempts.empty()) return;
  session.DrawChart(MakeProofTimesChart(plan.proving.attempts.back()));
  session.DrawChart(MakeCapacityChart(plan));
  session.DrawChart(MakeTradeChart(plan));
}

}  // namespace kettle::app
