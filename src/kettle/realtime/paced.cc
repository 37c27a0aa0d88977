// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/paced.h"

#include <atomic>
#include <cmath>
#include <memory>
#include <optional>

#include "kettle/machine/cpu_time.h"
#include "kettle/media/writer.h"
#include "kettle/realtime/busiest_second.h"
#include "kettle/realtime/lane.h"
#include "kettle/realtime/sound.h"
#include "kettle/realtime/thread.h"
#include "kettle/units/guarded_thread.h"

namespace kettle {

namespace {

// Packets into a file, or nowhere.
PacketSink FileSink(const std::string& path) {
  if (path.empty()) return {[](const AVCodecContext&) {}, [](const AVPacket&) {}, [] {}};
  const auto writer = std::make_shared<std::unique_ptr<MediaWriter>>();
  return {[writer, path](const AVCodecContext& encoder) { *writer = std::make_unique<MediaWriter>(path, encoder); },
          [writer](const AVPacket& packet) { (*writer)->Write(packet); }, [writer] { (*writer)->Finish(); }};
}

// The same, told to the witness too.
PacketSink Witnessed(const PacketSink& file, const PacketWitness& witness, std::size_t output,
                     const std::vector<const AVCodecContext*>& sound) {
  return {[=, &witness](const AVCodecContext& encoder) {
            file.open(encoder);
            witness.open(output, encoder, sound);
          },
          [=, &witness](const AVPacket& packet) {
            file.take(packet);
            witness.picture(output, packet);
          },
          file.end};
}

// Sound takes its share of the processors too. In a thread of its own, as in a streaming program.
class SoundBeside {
 public:
  SoundBeside(int kbps, Clock& clock, const PacketWitness* witness)
      : sound_({.kbps = kbps}), clock_(clock), witness_(witness) {}
  ~SoundBeside() { ending_ = true; }

  std::vector<const AVCodecContext*> contexts() const { return sound_.contexts(); }
  void Start(std::int64_t start_ns) {
    start_ns_ = start_ns;
    thread_.emplace([this] { Play(); });
  }

 private:
  void Play() {
    NameThread("sound");
    KeepThreadPunctual();
    for (std::int64_t block = 0; !ending_; ++block) {
      clock_.SleepUntil(start_ns_ + std::llround(sound_.SecondsOf(block) * 1e9));
      if (ending_) return;
      sound_.EncodeBlock([this](int, const AVPacket& packet) {
        if (witness_) witness_->sound(packet);
      });
    }
  }
  Sound sound_;
  Clock& clock_;
  const PacketWitness* witness_;
  std::int64_t start_ns_ = 0;
  std::atomic<bool> ending_ = false;
  std::optional<GuardedThread> thread_;  // the last one: it waits for its end
};

}  // namespace

PaceOutcome RunPaced(const PaceTask& task, Clock& clock, const std::function<void(double)>& progress,
                     const PacketWitness* witness) {
  SetSessionNiceness(task.session_niceness);
  const EndlessSource source(task.footage);
  std::optional<SoundBeside> sound;
  if (task.sound_kbps > 0) sound.emplace(task.sound_kbps, clock, witness);
  std::vector<std::unique_ptr<Lane>> outputs;
  for (const PacedOutputTask& output : task.outputs) {
    const PacketSink file = FileSink(output.output);
    outputs.push_back(std::make_unique<Lane>(
        LaneRequest{output.settings, task.source_rate, task.queue_depth, "", output.niceness, output.processors}, clock,
        witness ? Witnessed(file, *witness, outputs.size(),
                            sound ? sound->contexts() : std::vector<const AVCodecContext*>())
                : file));
  }
  for (auto& output : outputs) output->WaitUntilOpen();

  PaceOutcome outcome;
  const auto frames = static_cast<std::int64_t>(std::lround(task.seconds * task.source_rate.fps()));
  outcome.seconds = static_cast<double>(task.source_rate.due_ns(frames)) * 1e-9;
  const std::int64_t start_ns = clock.now_ns() + kStartDelayNs;
  for (auto& output : outputs) output->Start(start_ns);
  if (sound) sound->Start(start_ns);
  BusiestSecond busiest;
  KeepThreadPunctual();
  ReleaseFrames(clock, task.source_rate, start_ns, frames, [&](std::int64_t index, std::int64_t due_ns, bool late) {
    constexpr double kLeastSeconds = 4;
    const double elapsed = static_cast<double>(clock.now_ns() - start_ns) * 1e-9;
    if (busiest.due(elapsed)) busiest.At(elapsed, OwnCpuSeconds());
    if (task.most_cpu_cores > 0 && elapsed >= kLeastSeconds && busiest.cores() > task.most_cpu_cores) {
      outcome.ended_early = true;
      outcome.seconds = static_cast<double>(due_ns - start_ns) * 1e-9;
      return false;
    }
    outcome.late += late;
    const FramePtr picture = source.Frame(index);
    bool healthy = true;
    for (auto& output : outputs) {
      output->Offer(index, due_ns, *picture);
      healthy = healthy && !output->failed();
    }
    if (index % 15 == 0) progress(static_cast<double>(index) / static_cast<double>(frames));
    return healthy;
  });
  sound.reset();
  outcome.busiest_cpu_cores = busiest.cores();
  for (auto& output : outputs) {
    outcome.outputs.push_back(output->Finish());
    output->RethrowFailure();
  }
  return outcome;
}

}  // namespace kettle
