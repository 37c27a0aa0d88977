// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/paced.h"

#include <time.h>

#include <cmath>
#include <memory>

#include "kettle/media/writer.h"
#include "kettle/realtime/busiest_second.h"
#include "kettle/realtime/lane.h"

namespace kettle {

namespace {

// Packets into a file, or nowhere.
PacketSink FileSink(const std::string& path) {
  if (path.empty()) return {};
  const auto writer = std::make_shared<std::unique_ptr<MediaWriter>>();
  return {[writer, path](const AVCodecContext& encoder) { *writer = std::make_unique<MediaWriter>(path, encoder); },
          [writer](const AVPacket& packet) { (*writer)->Write(packet); }, [writer] { (*writer)->Finish(); }};
}

double OwnCpuSeconds() {
  timespec used{};
  clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &used);
  return static_cast<double>(used.tv_sec) + static_cast<double>(used.tv_nsec) * 1e-9;
}

}  // namespace

PaceOutcome RunPaced(const PaceTask& task, Clock& clock, const std::function<void(double)>& progress) {
  SetSessionNiceness(task.session_niceness);
  const EndlessSource source(task.footage);
  std::vector<std::unique_ptr<Lane>> outputs;
  for (const PacedOutputTask& output : task.outputs)
    outputs.push_back(std::make_unique<Lane>(
        LaneRequest{output.settings, task.source_rate, task.queue_depth, "", output.niceness, output.processors}, clock,
        FileSink(output.output)));
  for (auto& output : outputs) output->WaitUntilOpen();

  PaceOutcome outcome;
  const auto frames = static_cast<std::int64_t>(std::lround(task.seconds * task.source_rate.fps()));
  outcome.seconds = static_cast<double>(task.source_rate.due_ns(frames)) * 1e-9;
  const std::int64_t start_ns = clock.now_ns() + kStartDelayNs;
  for (auto& output : outputs) output->Start(start_ns);
  BusiestSecond busiest;
  KeepThreadPunctual();
  ReleaseFrames(clock, task.source_rate, start_ns, frames, [&](std::int64_t index, std::int64_t due_ns, bool late) {
    outcome.late += late;
    if (const double elapsed = static_cast<double>(clock.now_ns() - start_ns) * 1e-9; busiest.due(elapsed))
      busiest.At(elapsed, OwnCpuSeconds());
    const FramePtr picture = source.Frame(index);
    bool healthy = true;
    for (auto& output : outputs) {
      output->Offer(index, due_ns, *picture);
      healthy = healthy && !output->failed();
    }
    if (index % 15 == 0) progress(static_cast<double>(index) / static_cast<double>(frames));
    return healthy;
  });
  outcome.busiest_cpu_cores = busiest.cores();
  for (auto& output : outputs) outcome.outputs.push_back(output->Finish());
  return outcome;
}

}  // namespace kettle
