// SPDX-License-Identifier: Apache-2.0
// Trials by their settings: runs each one once, and keeps them all.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "kettle/evidence/machine_speed.h"
#include "kettle/message/message.h"
#include "kettle/trial/trial.h"

namespace kettle {

// Trials by settings and pictures: measured when first asked for, remembered from then on. What it gives is as it would
// be at the machine's usual speed of this run, by the reference encodes around each trial.
class TrialBook {
 public:
  // `known` are trials of earlier runs that may be used again. `on_new` is called after each new trial
  // with all that are known, so that they can be kept. A trial that clearly lacks `least_headroom` is of no use and cut
  // short, but for an encoder's fastest preset: what nothing is faster than is measured as far as real time.
  TrialBook(TrialRunner& runner, std::vector<Trial> known, std::function<void(const std::vector<Trial>&)> on_new,
            double least_headroom = 0);

  // A copy: the book may grow meanwhile. A trial that did not end as done is measured again in another
  // run, but not in this one. Without `quality` one that has none will do, and a new one gets none.
  Trial Get(const EncodeSettings& settings, const Footage& footage, bool quality = true);
  // To its end however slow it is, for its looks.
  Trial GetWhole(const EncodeSettings& settings, const Footage& footage);

  // The same measured once more, in this run: its figures are those of all its repeats then.
  Trial Again(const EncodeSettings& settings, const Footage& footage);

  // A trial of the book by what is known of the machine's speed by now: more is with each that follows it.
  Trial AtUsualSpeed(const Trial& trial) const;

  // Looks at the machine's speed a few times, `wait_seconds` from now: how many times as long as usual things take. 1
  // where that cannot be told.
  double LookAtSpeed(double wait_seconds = 0);

  bool knows_speed() const { return wall_.usual() > 0; }
  // As it was measured, of one that the book gave.
  const Trial& Measured(const Trial& trial) const;

  const std::vector<Trial>& trials() const { return trials_; }  // as they were measured
  int measured() const { return measured_; }                    // in this run
  int reused() const { return reused_; }  // from earlier runs, asked for at least once, counted each time
  // That other programs or the hypervisor took processors in at least a quarter of this run's trials; or nothing.
  std::optional<Message> Disturbed() const;

 private:
  Trial Find(const EncodeSettings& settings, const Footage& footage, bool quality, double least_headroom);
  Trial RunUndisturbed(TrialRequest request);
  void NoteSpeed(const Trial& trial);

  TrialRunner& runner_;
  std::vector<Trial> trials_;
  std::vector<std::size_t> fresh_;  // indices of this run's trials
  std::function<void(const std::vector<Trial>&)> on_new_;
  double least_headroom_;
  MachineSpeed wall_, processors_;  // in seconds of a reference encode: as it passes, and of processors
  int measured_ = 0, reused_ = 0;
  int again_ = 0;  // runs of what had been disturbed
};

}  // namespace kettle
