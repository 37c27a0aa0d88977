// SPDX-License-Identifier: Apache-2.0
// The whole pipeline on small pictures, against the stand-in ingest. That frames are lost on a busy machine is no
// fault here: what must be right is that each of them is counted once.
#include "kettle/rehearsal/rehearsal.h"

#include <nlohmann/json.hpp>

#include "kettle/media/reader.h"
#include "running_ingest.h"
#include "support.h"

namespace kettle {
namespace {

using test::RunningIngest;
using testing::HasSubstr;

class RehearsalTest : public test::FolderTest {
 protected:
  RehearsalTask Task(const RunningIngest& ingest, double seconds) {
    RehearsalTask task;
    task.footage = {test::MakeY4m(path("a.y4m"), {192, 128}, {25, 1}, 20)};
    task.source_rate = {25, 1};
    task.seconds = seconds;
    task.stream = test::SmallSettings();
    task.stream.keyframe_seconds = 1;
    task.recording = task.stream;
    task.stream.size = {96, 64};
    task.ingests = {{"quay", ingest.url().str(), "right", ""}};
    task.files = {{path("recording.mkv").string(), "matroska"}};
    return task;
  }
  static int Pictures(const std::filesystem::path& file) {
    MediaReader reader(file);
    int pictures = 0;
    while (reader.Next()) ++pictures;
    return pictures;
  }
  SteadyClock clock_;
};

TEST_F(RehearsalTest, EveryFrameIsSentAndRecordedOrCounted) {
  std::filesystem::create_directory(path("saved"));
  RehearsalOutcome outcome;
  {
    RunningIngest ingest({.key = "right", .save_folder = path("saved")});
    outcome = RunRehearsal(Task(ingest, 3), clock_, [](double) {});
  }
  EXPECT_TRUE(outcome.simulated_ingest());
  EXPECT_EQ(outcome.stream.frames, 75);
  EXPECT_EQ(outcome.stream.packets + outcome.stream.skipped, 75);
  EXPECT_EQ(outcome.recording.packets + outcome.recording.skipped, 75);
  EXPECT_EQ(Pictures(path("recording.mkv")), outcome.recording.packets - static_cast<int>(outcome.stalled.size()));
  EXPECT_EQ(Pictures(path("saved") / "1.flv"), outcome.stream.packets - outcome.dropped());
  ASSERT_GE(outcome.timeline.size(), 3u);
  EXPECT_GT(outcome.timeline[1].acknowledged_kbps, 0);
  EXPECT_GT(outcome.timeline[1].disk_kbps, 0);
  int skipped = 0;
  for (const RehearsalSecond& second : outcome.timeline) skipped += second.skipped_stream;
  EXPECT_EQ(skipped, outcome.stream.skipped) << "none between the seconds, or after the last";
  EXPECT_GT(outcome.clock_max_ms, 0);
  EXPECT_EQ(outcome.lost() == 0 && outcome.stream.packets == outcome.stream.frames, outcome.holds());
  const RehearsalOutcome again = nlohmann::json(outcome).get<RehearsalOutcome>();
  EXPECT_EQ(again.stream.frames, 75);
  EXPECT_EQ(again.timeline.size(), outcome.timeline.size());
  EXPECT_EQ(again.files.front().container, "matroska");
}

TEST_F(RehearsalTest, OneEncodeIsSentAndRecorded) {
  std::filesystem::create_directory(path("saved"));
  RehearsalOutcome outcome;
  {
    RunningIngest ingest({.key = "right", .save_folder = path("saved")});
    RehearsalTask task = Task(ingest, 2);
    task.one_encode = true;
    task.recording = task.stream;
    outcome = RunRehearsal(task, clock_, [](double) {});
  }
  EXPECT_EQ(outcome.stream.frames, 50);
  EXPECT_EQ(outcome.recording.frames, outcome.stream.packets) << "what was skipped counts once, as the stream's";
  EXPECT_EQ(outcome.recording.skipped, 0);
  EXPECT_EQ(Pictures(path("recording.mkv")), outcome.stream.packets - static_cast<int>(outcome.stalled.size()));
  EXPECT_EQ(MediaReader(path("recording.mkv")).size(), FrameSize({96, 64})) << "the stream's picture";
  EXPECT_EQ(Pictures(path("saved") / "1.flv"), outcome.stream.packets - outcome.dropped());
}

TEST_F(RehearsalTest, FramesGoToTheirFileIfThereIsOne) {
  RunningIngest ingest({});
  RehearsalTask task = Task(ingest, 2);
  task.frames_csv = path("frames.csv").string();
  const RehearsalOutcome outcome = RunRehearsal(task, clock_, [](double) {});
  EXPECT_TRUE(outcome.stream.frame_times.empty());
  EXPECT_EQ(outcome.stream.frames, 50);
  const std::string csv = Get(path("frames.csv"));
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 1 + 50 + 50);
}

// The first timestamp of each track, in seconds.
std::vector<double> Beginnings(const std::filesystem::path& file) {
  AVFormatContext* format = nullptr;
  if (avformat_open_input(&format, file.c_str(), nullptr, nullptr) < 0) return {};
  std::vector<double> first;
  const PacketPtr packet = NewPacket();
  while (av_read_frame(format, packet.get()) >= 0) {
    const auto track = static_cast<std::size_t>(packet->stream_index);
    if (track >= first.size()) first.resize(track + 1, -1);  // some containers tell of a track when it comes
    if (first[track] < 0) first[track] = static_cast<double>(packet->pts) * av_q2d(format->streams[track]->time_base);
    av_packet_unref(packet.get());
  }
  avformat_close_input(&format);
  return first;
}

TEST_F(RehearsalTest, ARecordingThatStartsLateBeginsWithPictureAndSoundTogether) {
  RunningIngest ingest({});
  RehearsalTask task = Task(ingest, 5);
  task.record_from = 2;
  task.audio_tracks = 2;
  task.recording.look_ahead_frames = 20;  // pictures come out long after the sound of their time
  RunRehearsal(task, clock_, [](double) {});
  const std::vector<double> first = Beginnings(path("recording.mkv"));
  ASSERT_EQ(first.size(), 3u);
  EXPECT_GE(first[0], 2);
  for (const std::size_t track : {1, 2}) EXPECT_NEAR(first[track], first[0], 0.15) << track;
}

// libav decodes all of it, from its first picture on.
TEST_F(RehearsalTest, WhatComesAfterALostConnectionPlays) {
  for (const char* folder : {"before", "after"}) std::filesystem::create_directory(path(folder));
  auto ingest = std::make_unique<RunningIngest>(standin::IngestOptions{.save_folder = path("before")});
  const RehearsalTask task = Task(*ingest, 8);
  std::thread away([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(2500));
    const int port = ingest->server().port();
    ingest.reset();
    ingest = std::make_unique<RunningIngest>(standin::IngestOptions{.port = port, .save_folder = path("after")});
  });
  const RehearsalOutcome outcome = RunRehearsal(task, clock_, [](double) {});
  away.join();
  ingest.reset();
  EXPECT_GE(outcome.connection_losses(), 1);
  const int before = Pictures(path("before/1.flv")), after = Pictures(path("after/1.flv"));
  EXPECT_GT(after, 0);
  constexpr int kNotRead = 12;  // the ingest's kernel had taken them, and its program did not come to read them
  EXPECT_GE(before + after + outcome.dropped(), outcome.stream.packets - kNotRead) << "it arrived, or is told";
  const std::vector<double> first = Beginnings(path("after/1.flv"));
  ASSERT_EQ(first.size(), 2u);
  EXPECT_NEAR(first[0], first[1], 0.05) << "picture and sound begin together";
}

TEST_F(RehearsalTest, APartOfTheShowIsRecorded) {
  RunningIngest ingest({});
  RehearsalTask task = Task(ingest, 4);
  task.record_from = 1;
  task.record_to = 3;
  const RehearsalOutcome outcome = RunRehearsal(task, clock_, [](double) {});
  EXPECT_LE(Pictures(path("recording.mkv")), 50);
  EXPECT_GT(Pictures(path("recording.mkv")), 0);
  EXPECT_EQ(outcome.stream.frames, 100) << "the stream went on";
}

TEST_F(RehearsalTest, AWrongKeyIsAnErrorThatDoesNotShowIt) {
  RunningIngest ingest({.key = "right"});
  RehearsalTask task = Task(ingest, 1);
  task.ingests.front().key = "s3cret";
  const std::string line = test::Complaint(Fault::kInput, [&] { RunRehearsal(task, clock_, [](double) {}); });
  EXPECT_THAT(line, HasSubstr("stream key"));
  EXPECT_THAT(line, testing::Not(HasSubstr("s3cret")));
}

// The pictures that an ingest has kept: all that were sent, less those dropped on the way there.
TEST_F(RehearsalTest, SeveralIngestsGetTheSameEncodeOverRtmpAndSrt) {
  for (const char* folder : {"one", "two", "three"}) std::filesystem::create_directory(path(folder));
  RehearsalOutcome outcome;
  {
    RunningIngest one({.key = "right", .save_folder = path("one")}), two({.save_folder = path("two")}),
        three({.srt_port = 0, .key = "right", .save_folder = path("three")});
    RehearsalTask task = Task(one, 3);
    task.ingests.push_back({"pier", two.url().str(), "any", ""});
    task.ingests.push_back({"lamp", three.url("srt").str(), "right", ""});
    outcome = RunRehearsal(task, clock_, [](double) {});
    usleep(500'000);
  }
  ASSERT_EQ(outcome.ingests.size(), 3u);
  EXPECT_EQ(outcome.ingests[2].name, "lamp");
  for (const IngestOutcome& ingest : outcome.ingests) EXPECT_TRUE(ingest.simulated) << ingest.name;
  const auto sent = [&](std::size_t i) {
    return outcome.stream.packets - static_cast<int>(outcome.ingests[i].dropped.size());
  };
  EXPECT_EQ(Pictures(path("one") / "1.flv"), sent(0));
  EXPECT_EQ(Pictures(path("two") / "1.flv"), sent(1));
  EXPECT_GT(Pictures(path("three") / "srt-1.ts"), 0) << "the last of them may be held back by the listener";
  for (const RehearsalSecond& second : outcome.timeline) EXPECT_EQ(second.ingests.size(), 3u);
}

TEST_F(RehearsalTest, EachIngestGetsTheEncodeThatIsForIt) {
  for (const char* folder : {"one", "two"}) std::filesystem::create_directory(path(folder));
  RehearsalOutcome outcome;
  {
    RunningIngest one({.key = "right", .save_folder = path("one")}), two({.save_folder = path("two")});
    RehearsalTask task = Task(one, 3);
    task.further_streams = {task.stream};
    task.further_streams[0].size = {192, 128};
    task.ingests.insert(task.ingests.begin(), {"pier", two.url().str(), "any", "", 1});
    task = nlohmann::json(task).get<RehearsalTask>();  // as the worker gets it
    outcome = RunRehearsal(task, clock_, [](double) {});
  }
  ASSERT_EQ(outcome.further.size(), 1u);
  EXPECT_EQ(outcome.further[0].packets + outcome.further[0].skipped, 75);
  EXPECT_EQ(outcome.ingests[0].stream, 1) << "in the order asked for";
  EXPECT_EQ(MediaReader(path("one") / "1.flv").size(), (FrameSize{96, 64}));
  EXPECT_EQ(MediaReader(path("two") / "1.flv").size(), (FrameSize{192, 128}));
  EXPECT_EQ(Pictures(path("one") / "1.flv"), outcome.stream.packets - static_cast<int>(outcome.DroppedOf(0)));
  EXPECT_EQ(Pictures(path("two") / "1.flv"), outcome.further[0].packets - static_cast<int>(outcome.DroppedOf(1)));
  int skipped = 0;
  for (const RehearsalSecond& second : outcome.timeline) skipped += second.skipped_stream;
  EXPECT_EQ(skipped, outcome.stream.skipped + outcome.further[0].skipped);
}

TEST_F(RehearsalTest, AnIngestThatIsCutOffDoesNotHarmTheOthers) {
  standin::LinkShape shape;
  shape.own["cut"].line = LineTrace({{0, 5000}, {1, 0}, {60, 5000}}, 61);
  RunningIngest ingest({.link = shape});
  RehearsalTask task = Task(ingest, 6);  // with the usual patience: a busy machine alone drops nothing
  task.stream.bit_rate = task.stream.maximum_bit_rate = BitRate::FromKbps(1500);
  task.stream.size = {192, 128};
  IngestUrl cut = ingest.url();
  cut.app = "cut";
  task.ingests.push_back({"cut", cut.str(), "any", ""});
  const RehearsalOutcome outcome = RunRehearsal(task, clock_, [](double) {});
  EXPECT_TRUE(outcome.ingests[0].dropped.empty());
  EXPECT_GT(outcome.ingests[1].dropped.size(), 10u);
  EXPECT_EQ(outcome.dropped(), static_cast<int>(outcome.ingests[1].dropped.size()));
}

TEST_F(RehearsalTest, TheLastSecondsAreSavedWhileTheShowGoesOn) {
  for (const bool one_encode : {false, true}) {
    RunningIngest ingest({});
    RehearsalTask task = Task(ingest, 5);
    task.one_encode = one_encode;
    task.keep_last_seconds = 1.5;
    task.save_at_seconds = 4;
    task.save = {path("last.mkv").string(), "matroska"};
    const RehearsalOutcome outcome = RunRehearsal(task, clock_, [](double) {});
    EXPECT_EQ(outcome.saved.trouble, "");
    EXPECT_GE(outcome.saved.seconds, 1.4);
    const PacedOutputOutcome& kept = one_encode ? outcome.stream : outcome.recording;
    EXPECT_LE(outcome.saved.seconds, 1.5 + 1 + (kept.skipped + 5) / 25.0) << "the group of pictures before it, at most";
    EXPECT_GT(outcome.kept_bytes, outcome.saved.bytes / 2);
    const std::vector<double> first = Beginnings(path("last.mkv"));
    ASSERT_EQ(first.size(), 2u);
    EXPECT_NEAR(first[0], 0, 0.1) << "it begins at zero";
    EXPECT_NEAR(first[1], first[0], 0.1);
    MediaReader reader(path("last.mkv"));
    const auto picture = reader.Next();
    ASSERT_TRUE(picture) << "and with a keyframe: it decodes at once";
    EXPECT_LE(Pictures(path("last.mkv")), outcome.saved.seconds * 25 + 1);
    EXPECT_GE(Pictures(path("last.mkv")), outcome.saved.seconds * 25 - kept.skipped - 1);
    EXPECT_EQ(outcome.stream.frames, 125) << "the show went on";
  }
}

TEST_F(RehearsalTest, AnOutageIsCountedWhereItBelongs) {
  RunningIngest ingest({.link = {LineTrace({{0, 5000}, {1, 0}, {3.5, 5000}}, 5)}});
  RehearsalTask task = Task(ingest, 5);
  task.most_send_delay_seconds = 0.5;
  task.frames_csv = path("frames.csv").string();
  task.stream.bit_rate = task.stream.maximum_bit_rate = BitRate::FromKbps(1500);
  task.stream.size = {192, 128};
  const RehearsalOutcome outcome = RunRehearsal(task, clock_, [](double) {});
  EXPECT_FALSE(outcome.holds());
  EXPECT_GT(outcome.dropped(), 0);
  EXPECT_TRUE(outcome.stalled.empty()) << "the disk has no part in it";
  EXPECT_THAT(Get(path("frames.csv")), HasSubstr(",dropped\n"));
  int dropped = 0;
  for (const RehearsalSecond& second : outcome.timeline) dropped += second.dropped;
  EXPECT_LE(dropped, outcome.dropped());
  EXPECT_GT(dropped, 0);
}

class FramesCsvTest : public test::FolderTest {
 protected:
  std::string Csv(FrameLog& log, const RehearsalOutcome& outcome, bool one_encode) {
    WriteFramesCsv(log, path("frames.csv"), outcome, one_encode);
    return Get(path("frames.csv"));
  }
};

TEST_F(FramesCsvTest, TellsTheFateOfEachFrame) {
  RehearsalOutcome outcome;
  const std::vector<PacedFrame> frames = {{0, 0, 1.5}, {1, 40, -1}, {2, 80, 2}};
  FrameLog log(path(""), {3, 3, 3});
  for (const PacedFrame& frame : frames) {
    log.Note(0, {frame.frame, frame.due_ms, -1});
    log.Note(0, frame);
    log.Note(2, frame);
  }
  log.Note(1, {0, 0, 0});
  log.Note(0, {7, 0, 0});  // there is no room for it: it is forgotten, no more
  outcome.ingests = {{"quay", "rtmp://quay", {2}}};
  EXPECT_EQ(Csv(log, outcome, false),
            "output,frame,due_ms,taken_ms,fate\n"
            "stream,0,0.000,1.500,sent\n"
            "stream,1,40.000,,skipped\n"
            "stream,2,80.000,2.000,dropped\n"
            "recording,0,0.000,0.000,recorded\n");
  outcome.stalled = {0};
  EXPECT_THAT(Csv(log, outcome, true), testing::EndsWith("recording,0,0.000,1.500,stalled\n"
                                                         "recording,2,80.000,2.000,recorded\n"))
      << "what the one encode skipped counts as the stream's";
  outcome.further.emplace_back();
  outcome.ingests.push_back({"pier", "rtmp://pier", {0}, 0, "", false, 1});
  EXPECT_THAT(Csv(log, outcome, false), HasSubstr("stream-2,0,0.000,1.500,dropped\nstream-2,1,40.000,,skipped\n"));
  EXPECT_EQ(outcome.DroppedOf(0), 1u);
  EXPECT_EQ(outcome.dropped(), 2);
  RehearsalSecond second;
  second.busiest = "a,\"b\"";
  const std::string csv = SecondsCsv({second});
  EXPECT_THAT(csv, HasSubstr(",\"a,\"\"b\"\"\",")) << "a name cannot break a row";
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 2);
}

TEST_F(FramesCsvTest, OfAnEveningHoldsTheEndAndEveryLostFrame) {
  constexpr int kFrames = 2 * FrameLog::kMostRows;
  FrameLog log(path(""), {kFrames, 0});
  for (int i = 0; i < kFrames; ++i) log.Note(0, {i, i * 16.0, i == 5 ? -1 : 1.0});
  RehearsalOutcome outcome;
  outcome.ingests = {{"quay", "rtmp://quay", {9}}};
  const std::string csv = Csv(log, outcome, false);
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 1 + 2 + FrameLog::kMostRows);
  EXPECT_THAT(csv, HasSubstr("stream,5,80.000,,skipped\nstream,9,144.000,1.000,dropped\nstream,100000,"));
}

TEST_F(FramesCsvTest, HasItsRoomFromTheStart) {
  EXPECT_THAT(test::Complaint(Fault::kMachine, [&] { FrameLog(path(""), {1LL << 50}); }),
              HasSubstr("no room for the results"));
}

TEST(CoreMeter, TellsOwnThreadsByTheirNames) {
  CoreMeter meter({"no-such-game"}, {});
  RehearsalSecond second;
  meter.Read(1, second);
  EXPECT_EQ(second.game_cores, 0);
  EXPECT_EQ(second.stream_cores, 0) << "no thread of that name";
  EXPECT_GE(second.other_own_cores, 0);
}

}  // namespace
}  // namespace kettle
