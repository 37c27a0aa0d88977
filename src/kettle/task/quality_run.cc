// SPDX-License-Identifier: Apache-2.0
#include "kettle/task/quality_run.h"

#include <sched.h>

#include <algorithm>

#include "kettle/footage/y4m.h"
#include "kettle/quality/comparison.h"
#include "kettle/task/shown.h"

namespace kettle {

namespace {

int UsableProcessors() {
  cpu_set_t set;
  return sched_getaffinity(0, sizeof(set), &set) == 0 ? std::clamp(CPU_COUNT(&set), 1, 16) : 1;
}

}  // namespace

QualityOutcome RunQuality(const QualityTask& task, const std::function<void(double)>& progress) {
  const Y4mFile reference(task.reference);
  const FrameSize viewing_size = task.viewing_size.width > 0 ? task.viewing_size : reference.size();
  Shown shown(task.encoded, task.encoded_rate, viewing_size);
  Scaler viewed(viewing_size), coded(shown.coded_size());
  Comparison comparison(UsableProcessors());
  const int frames = std::min(task.frames, reference.frames());
  for (int i = 0; i < frames; ++i) {
    shown.MoveTo(static_cast<double>(reference.rate().due_ns(i)) * 1e-9);
    const FramePtr source = reference.Frame(i);
    comparison.Add({Share(viewed.Scale(*source)), shown.shown()}, {Share(coded.Scale(*source)), shown.decoded()});
    if (i % 30 == 0) progress(static_cast<double>(i) / frames);
  }
  QualityOutcome outcome;
  outcome.frames = comparison.Finish();
  outcome.quality = Pool(outcome.frames, reference.rate(), viewing_size);
  return outcome;
}

}  // namespace kettle
