// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/rehearsal.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <csignal>
#include <deque>
#include <memory>
#include <mutex>
#include <optional>

#include "kettle/realtime/lane.h"
#include "kettle/realtime/sound.h"
#include "kettle/rehearsal/recorder.h"
#include "kettle/trial/trial.h"
#include "kettle/units/error.h"
#include "kettle/units/guarded_thread.h"
#include "kettle/units/quantiles.h"

namespace kettle {

namespace {

const std::set<std::string> kOwnProcesses = {"kettle-engine", "kettle-ingest", kStandInProcess};

constexpr int kSampleRate = 48'000;
constexpr double kShortestSecond = 0.05;    // less tells nothing of cores
constexpr double kLongestLookSeconds = 30;  // no encoder looks further ahead

std::vector<EncodeSettings> StreamsOf(const RehearsalTask& task) {
  std::vector<EncodeSettings> streams{task.stream};
  streams.insert(streams.end(), task.further_streams.begin(), task.further_streams.end());
  return streams;
}

// A third of a second's worth of each: more than a usual line's round trip holds.
std::vector<int> HeldBytes(const std::vector<EncodeSettings>& streams) {
  std::vector<int> bytes;
  for (const EncodeSettings& stream : streams)
    bytes.push_back(std::max(32 << 10, static_cast<int>(stream.maximum_bit_rate.kbps() * 1000 / 8 / 3)));
  return bytes;
}

class Rehearsing {
 public:
  Rehearsing(const RehearsalTask& task, Clock& clock)
      : task_(task),
        clock_(clock),
        source_(task.footage),
        sound_({kSampleRate, task.audio_kbps, task.audio_tracks}),
        stream_out_(task.ingests, {task.most_send_delay_seconds}, HeldBytes(StreamsOf(task)), clock),
        kept_(task.keep_last_seconds > 0 ? std::make_unique<KeptSeconds>(task.keep_last_seconds) : nullptr),
        meter_({task.game.begin(), task.game.end()}, kOwnProcesses) {
    if (!task.frames_csv.empty()) {
      std::vector<std::int64_t> frames{FramesOf(task.stream), task.one_encode ? 0 : FramesOf(task.recording)};
      for (const EncodeSettings& further : task.further_streams) frames.push_back(FramesOf(further));
      frame_log_.emplace(std::filesystem::path(task.frames_csv).parent_path(), frames);
    }
    int encode = 0;
    for (const EncodeSettings& stream : StreamsOf(task)) {
      streams_.push_back(std::make_unique<Lane>(
          LaneRequest{stream, task.source_rate, task.queue_depth, kStreamThread, StreamNiceness(task.first),
                      encode == 0 ? task.stream_processors : std::vector<int>()},
          clock,
          PacketSink{[this, encode](const AVCodecContext& encoder) { OpenStream(encode, encoder); },
                     [this, encode](const AVPacket& packet) { TakeOfStream(encode, packet); },
                     {},
                     NoteIn(encode == 0 ? 0 : static_cast<std::size_t>(encode) + 1)}));
      ++encode;
    }
    if (!task.one_encode)
      recording_.emplace(LaneRequest{task.recording, task.source_rate, task.queue_depth, kRecordingThread,
                                     RecordingNiceness(task.first, task.recording), task.recording_processors},
                         clock,
                         PacketSink{[this](const AVCodecContext& encoder) { OpenRecording(encoder); },
                                    [this](const AVPacket& packet) { Record(0, packet); },
                                    {},
                                    NoteIn(1)});
    ForEachLane([](Lane& lane) { lane.WaitUntilOpen(); });
  }
  ~Rehearsing() {
    ending_ = cut_short_ = true;
    for (auto* thread : {&sound_thread_, &meter_thread_, &killer_, &saver_}) thread->reset();  // waits for it
  }

  RehearsalOutcome Run(const std::function<void(double)>& progress) {
    SetSessionNiceness(StreamNiceness(task_.first));
    const auto frames = static_cast<std::int64_t>(std::lround(task_.seconds * task_.source_rate.fps()));
    outcome_.seconds = static_cast<double>(task_.source_rate.due_ns(frames)) * 1e-9;
    start_ns_ = clock_.now_ns() + kStartDelayNs;
    ForEachLane([this](Lane& lane) { lane.Start(start_ns_); });
    sound_thread_.emplace([this] { PlaySound(); });
    meter_thread_.emplace([this] { Meter(); });
    if (task_.power_cut_seconds > 0) killer_.emplace([this] { CutPower(); });
    if (kept_ && task_.save_at_seconds > 0) saver_.emplace([this] { SaveKept(); });
    Release(frames, progress);
    ending_ = true;
    if (saver_) saver_->Join();
    if (kept_) outcome_.saved = kept_->WaitForSaved();  // while the encoders whose header it needs are there
    meter_thread_->Join();  // it reads once more, as long as the encoders' threads are there to be read
    sound_thread_->Join();
    outcome_.stream = streams_.front()->Finish();
    for (std::size_t i = 1; i < streams_.size(); ++i) outcome_.further.push_back(streams_[i]->Finish());
    outcome_.recording = recording_ ? recording_->Finish() : RecordedOf(outcome_.stream);
    ThrowIfAllFailed();
    stream_out_.Finish(task_.most_send_delay_seconds + 1);
    for (auto& file : recorders_) file->Finish();
    AddLateLosses();
    Summarise();
    TellFrames();
    return std::move(outcome_);
  }

 private:
  struct HeldSound {
    int track;
    double seconds;
    PacketPtr packet;
  };
  void ForEachLane(const std::function<void(Lane&)>& what) {
    for (auto& stream : streams_) what(*stream);
    if (recording_) what(*recording_);
  }
  std::int64_t FramesOf(const EncodeSettings& encode) const {
    return std::llround(std::ceil(task_.seconds * encode.frame_rate.fps())) + 1;
  }
  std::function<void(const PacedFrame&)> NoteIn(std::size_t output) {
    if (!frame_log_) return {};
    return [this, output](const PacedFrame& frame) { frame_log_->Note(output, frame); };
  }
  // What was rehearsed is not lost with the times of its single frames.
  void TellFrames() {
    if (!frame_log_) return;
    try {
      WriteFramesCsv(*frame_log_, task_.frames_csv, outcome_, task_.one_encode);
    } catch (const Error& error) {
      outcome_.frames_trouble = error.what();
    }
  }
  void ThrowIfAllFailed() {
    bool all = true;
    ForEachLane([&](Lane& lane) { all = all && lane.failed(); });
    if (all) streams_.front()->RethrowFailure();
  }
  double Elapsed() const { return static_cast<double>(clock_.now_ns() - start_ns_) * 1e-9; }

  void Release(std::int64_t frames, const std::function<void(double)>& progress) {
    KeepThreadPunctual();
    ReleaseFrames(clock_, task_.source_rate, start_ns_, frames,
                  [&](std::int64_t index, std::int64_t due_ns, bool late) {
                    errors_ms_.Add(static_cast<double>(clock_.now_ns() - due_ns) * 1e-6);
                    if (late) {
                      outcome_.late_frames.push_back(static_cast<int>(index));
                      ++late_;
                    }
                    const FramePtr picture = source_.Frame(index);
                    bool some_go_on = false;  // one that fails, as with its GPU, costs the others nothing
                    ForEachLane([&](Lane& lane) {
                      lane.Offer(index, due_ns, *picture);
                      some_go_on = some_go_on || !lane.failed();
                    });
                    if (index % 15 == 0) progress(static_cast<double>(index) / static_cast<double>(frames));
                    cut_short_ = !some_go_on || sound_thread_->failed() || meter_thread_->failed();
                    return !cut_short_;
                  });
  }

  void OpenStream(int encode, const AVCodecContext& pictures) {
    stream_out_.Open(encode, pictures, sound_.contexts());
    if (task_.one_encode && encode == 0) OpenRecording(pictures);
  }
  void TakeOfStream(int encode, const AVPacket& packet) {
    stream_out_.EnqueuePicture(encode, packet);
    if (task_.one_encode && encode == 0) Record(0, packet);
  }
  // What the stream's encode gave to the files; what it skipped counts as the stream's.
  static PacedOutputOutcome RecordedOf(PacedOutputOutcome stream) {
    std::erase_if(stream.frame_times, [](const PacedFrame& frame) { return frame.skipped(); });
    stream.frames -= stream.skipped;
    stream.skipped = 0;
    stream.failed.clear();
    return stream;
  }

  void OpenRecording(const AVCodecContext& pictures) {
    std::vector<const AVCodecContext*> tracks{&pictures};
    for (const AVCodecContext* sound : sound_.contexts()) tracks.push_back(sound);
    if (kept_) kept_->Open(tracks);
    for (const RehearsalTask::File& file : task_.files)
      recorders_.push_back(std::make_unique<Recorder>(RecorderRequest{file.path, file.container}, tracks));
  }

  // A part of the show only, from its first keyframe on. Sound is encoded long before pictures that are looked ahead
  // at: it waits until its time begins.
  void Record(int track, const AVPacket& packet) {
    if (kept_) kept_->Add(track, packet);
    const std::scoped_lock lock(recording_mutex_);
    const double rate = track == 0 ? task_.recording.frame_rate.fps() : kSampleRate;
    const double seconds = static_cast<double>(packet.pts) / rate;
    if (seconds >= task_.record_to) return;
    if (recorded_from_ && track > 0 && seconds < *recorded_from_) return;  // sound that came late
    if (track > 0 && !recorded_from_) {
      held_sound_.push_back({track, seconds, PacketPtr(av_packet_clone(&packet))});
      while (held_sound_.front().seconds < seconds - kLongestLookSeconds) held_sound_.pop_front();
      return;
    }
    if (!recorded_from_) {
      if (seconds < task_.record_from || (packet.flags & AV_PKT_FLAG_KEY) == 0) return;
      recorded_from_ = seconds;
      for (const HeldSound& sound : held_sound_)
        if (sound.seconds >= seconds) RecordNow(sound.track, *sound.packet);
      held_sound_.clear();
    }
    RecordNow(track, packet);
  }
  void RecordNow(int track, const AVPacket& packet) {
    for (auto& file : recorders_) file->Enqueue(track, packet, packet.pts);
  }

  void PlaySound() {
    NameThread("sound");
    KeepThreadPunctual();
    const auto take = [&](int track, const AVPacket& packet) {
      if (track == 0) stream_out_.EnqueueSound(packet);
      Record(track + 1, packet);
    };
    // To the end of the pictures, so that both end together.
    for (std::int64_t block = 0; !cut_short_ && sound_.SecondsOf(block) <= outcome_.seconds; ++block) {
      clock_.SleepUntil(start_ns_ + std::llround(sound_.SecondsOf(block) * 1e9));
      if (!cut_short_) sound_.EncodeBlock(take);
    }
    sound_.End(take);
  }

  // In its own thread, for reading /proc takes longer than a frame may be late.
  void Meter() {
    NameThread("meter");
    for (int second = 1; !ending_; ++second) {
      const std::int64_t until = start_ns_ + second * 1'000'000'000LL;
      while (!ending_ && clock_.now_ns() < until) clock_.SleepUntil(std::min(until, clock_.now_ns() + 100'000'000));
      const double now = Elapsed();
      if (now - metered_seconds_ < kShortestSecond) continue;
      outcome_.timeline.push_back(TakeSecond(metered_seconds_, now));
      metered_seconds_ = now;
    }
  }

  // What was lost while the encoders and queues ran empty belongs to the last second.
  void AddLateLosses() {
    if (outcome_.timeline.empty()) return;
    const RehearsalSecond after = TakeSecond(metered_seconds_, Elapsed());
    RehearsalSecond& last = outcome_.timeline.back();
    last.late += after.late;
    last.skipped_stream += after.skipped_stream;
    last.skipped_recording += after.skipped_recording;
    last.dropped += after.dropped;
    last.stalled += after.stalled;
    last.connected = last.connected && after.connected;
    for (std::size_t i = 0; i < last.ingests.size(); ++i) {
      last.ingests[i].dropped += after.ingests[i].dropped;
      last.ingests[i].connected = last.ingests[i].connected && after.ingests[i].connected;
    }
  }

  RehearsalSecond TakeSecond(double from, double to) {
    RehearsalSecond second;
    second.start_seconds = from;
    meter_.Read(to - from, second);
    RehearsalCounts counts{late_, 0, recording_ ? recording_->skipped() : 0, 0, 0};
    for (const auto& stream : streams_) {
      counts.skipped_stream += stream->skipped();
      second.stream_waiting = std::max(second.stream_waiting, static_cast<int>(stream->waiting()));
    }
    for (auto& file : recorders_) {
      const RecorderState state = file->state();
      counts.stalled += state.stalled;
      counts.written_bytes += state.written_bytes;
      second.longest_write_ms = std::max(second.longest_write_ms, state.longest_write_ms);
      second.disk_waiting_seconds = std::max(second.disk_waiting_seconds, state.waiting_seconds);
    }
    second.late = counts.late - counts_.late;
    second.skipped_stream = counts.skipped_stream - counts_.skipped_stream;
    second.skipped_recording = counts.skipped_recording - counts_.skipped_recording;
    second.stalled = counts.stalled - counts_.stalled;
    second.disk_kbps = static_cast<double>(counts.written_bytes - counts_.written_bytes) * 8 / 1000 / (to - from);
    second.recording_waiting = recording_ ? static_cast<int>(recording_->waiting()) : 0;
    AddSending(stream_out_.TakeSecond(to - from), second);
    counts_ = counts;
    return second;
  }

  static void AddSending(std::vector<SendSecond> ingests, RehearsalSecond& second) {
    for (const SendSecond& sent : ingests) {
      const bool first = &sent == &ingests.front();
      second.dropped += sent.dropped;
      second.send_waiting_seconds = std::max(second.send_waiting_seconds, sent.waiting_seconds);
      second.send_blocked_share = std::max(second.send_blocked_share, sent.blocked_share);
      second.acknowledged_kbps =
          first ? sent.acknowledged_kbps : std::min(second.acknowledged_kbps, sent.acknowledged_kbps);
      second.round_trip_ms = std::max(second.round_trip_ms, sent.round_trip_ms);
      second.connected = second.connected && sent.connected;
    }
    second.ingests = std::move(ingests);
  }

  void SaveKept() {
    while (!ending_ && Elapsed() < task_.save_at_seconds) clock_.SleepUntil(clock_.now_ns() + 10'000'000);
    if (!ending_) kept_->Save(task_.save.path, task_.save.container);
  }

  void CutPower() {
    while (!ending_ && Elapsed() < task_.power_cut_seconds) clock_.SleepUntil(clock_.now_ns() + 1'000'000);
    if (!ending_) raise(SIGKILL);
  }

  void Summarise() {
    outcome_.ingests = stream_out_.Outcomes();
    if (kept_) outcome_.kept_bytes = kept_->most_bytes();
    for (std::size_t i = 0; i < recorders_.size(); ++i) {
      const RecorderState state = recorders_[i]->state();
      outcome_.files.push_back({task_.files[i].path, task_.files[i].container, state.written_bytes, state.stalled,
                                state.trouble, state.disk_full});
    }
    if (!recorders_.empty()) outcome_.stalled = recorders_.front()->Stalled();
    outcome_.clock_p50_ms = errors_ms_.At(0.5);
    outcome_.clock_p999_ms = errors_ms_.At(0.999);
    outcome_.clock_max_ms = errors_ms_.At(1);
  }

  const RehearsalTask& task_;
  Clock& clock_;
  RehearsalOutcome outcome_;
  const EndlessSource source_;
  Sound sound_;
  StreamOut stream_out_;
  std::unique_ptr<KeptSeconds> kept_;  // null: none are kept
  std::optional<FrameLog> frame_log_;  // not set: the outcome holds the times of single frames
  std::vector<std::unique_ptr<Recorder>> recorders_;
  std::mutex recording_mutex_;  // pictures and sound come from different threads
  std::optional<double> recorded_from_;
  std::deque<HeldSound> held_sound_;
  std::atomic<bool> ending_ = false, cut_short_ = false;  // the latter before all frames were released
  std::atomic<int> late_ = 0;
  std::vector<std::unique_ptr<Lane>> streams_;  // the stream's encodes
  std::optional<Lane> recording_;               // not set: the stream's encode is recorded
  CoreMeter meter_;
  RehearsalCounts counts_;
  Quantiles errors_ms_;
  std::int64_t start_ns_ = 0;
  double metered_seconds_ = 0;  // of the run: so far the timeline goes
  std::optional<GuardedThread> sound_thread_, meter_thread_, killer_, saver_;
};

}  // namespace

RehearsalOutcome RunRehearsal(const RehearsalTask& task, Clock& clock, const std::function<void(double)>& progress) {
  return Rehearsing(task, clock).Run(progress);
}

}  // namespace kettle
