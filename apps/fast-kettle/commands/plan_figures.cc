// SPDX-License-Identifier: Apache-2.0
#include "commands/plan_figures.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "figure/capacity_figure.h"
#include "figure/figures.h"
#include "figure/pictures_figure.h"
#include "figure/strip.h"

namespace kettle::app {

namespace {

std::string Short(const Option& option) {
  const std::string extras = Extras(option.settings);
  return fmt::format("{} {}, {} at {}{}{}", option.settings.encoder, option.settings.preset, option.settings.size.str(),
                     option.settings.frame_rate.str(), extras.empty() ? "" : ", " + extras,
                     option.simulated ? " (simulated GPU)" : "");
}

// worst-second.png: the chosen stream beside its runner-up, on the clip where it looks worst.
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
  for (const Option* option : {&chosen, &*plan.runner_up}) {
    task.encoded.push_back((folder / fmt::format("strip-{}.mkv", task.encoded.size())).string());
    task.encoded_rates.push_back(option->settings.frame_rate);
    session.progress().Show("encoding the worst second of " + option->title(), 0);
    session.runner().Encode(option->settings, *pictures, task.encoded.back());
  }
  task.frames = static_cast<int>(std::lround(pictures->rate.fps()));
  task.first_frame = worst->worst_second * task.frames;
  const StripOutcome strip = session.runner().Strip(task);
  session.progress().Clear();
  DrawStrip(
      session.out(), strip,
      {fmt::format("The worst second of {}, as the stream shows it", worst->footage),
       fmt::format("at {}; whole, and enlarged where chosen and runner-up differ most", chosen.settings.bit_rate.str()),
       {{"source", fmt::format("{}, {} frames a second", pictures->size.str(), pictures->rate.str())},
        {"chosen", Short(chosen)},
        {plan.runner_up->score > chosen.score ? "better alone, not taken" : "runner-up", Short(*plan.runner_up)}},
       pictures->rate,
       task.viewing_size});
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
}

}  // namespace kettle::app
