// SPDX-License-Identifier: Apache-2.0
// Real publishes over loopback, from our client to the stand-in ingest.
#include <arpa/inet.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cstdlib>
#include <nlohmann/json.hpp>
#include <thread>

#include "arrived.h"
#include "certificate.h"
#include "flv_file.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/media/reader.h"
#include "kettle/media/writer.h"
#include "kettle/rtmp/publisher.h"
#include "kettle/uplink/measurement.h"
#include "kettle/uplink/paced_publish.h"
#include "kettle/uplink/test_publish.h"
#include "running_ingest.h"
#include "support.h"

namespace kettle {
namespace {

using standin::IngestOptions;
using test::Complaint;
using test::RunningIngest;
using testing::HasSubstr;

class PublishTest : public test::FolderTest {
 protected:
  // A second of pictures with a header.
  TestStream MakeStream(const std::string& family = "x264", const std::string& preset = "superfast") {
    test::MakeY4m(path("source.y4m"), {192, 128}, {30, 1}, 30);
    const Y4mFile source(path("source.y4m"));
    EncodeSettings settings = test::SmallSettings(family, preset);
    settings.rate_control = RateControl::kCappedVariable;
    settings.maximum_bit_rate = BitRate::FromKbps(settings.bit_rate.kbps() * 1.5);
    settings.size = {192, 128};
    settings.frame_rate = {30, 1};
    Encoder encoder(ConfigFor(settings));
    MediaWriter writer(path("stream.mkv"), encoder.context());
    for (int i = 0; i <= source.frames(); ++i) {
      const FramePtr picture = i < source.frames() ? source.Frame(i) : nullptr;
      if (picture) picture->pts = i;
      encoder.Send(picture.get());
      while (PacketPtr packet = encoder.Receive()) writer.Write(*packet);
    }
    writer.Finish();
    return TestStream(ReadCodedPictures(path("stream.mkv")), 30);
  }
};

// Publishes filled up pictures, and gives the file that the ingest has kept of them.
std::filesystem::path PublishAndSave(const std::filesystem::path& folder, const TestStream& stream, int pictures) {
  std::filesystem::create_directory(folder);
  RunningIngest ingest({.report = folder / "arrived.csv", .save_folder = folder});
  RtmpPublisher publisher(ingest.url(), "key", 5);
  std::string bytes = publisher.Wrap(stream.Metadata()) + publisher.Wrap(stream.Header());
  for (int i = 0; i < pictures; ++i) bytes += publisher.Wrap(stream.Picture(i, 20'000));
  while (!bytes.empty()) {
    bytes.erase(0, publisher.Send(bytes));
    publisher.WaitToSend(0.05);
  }
  publisher.Finish(5);
  while (ingest.server().accepted() < 1) usleep(1000);
  return folder / "1.flv";
}

TEST_F(PublishTest, FilledUpPicturesArriveAndPlay) {
  const TestStream stream = MakeStream();
  const auto file = PublishAndSave(path("saved"), stream, 60);
  MediaReader saved(file);
  EXPECT_EQ(saved.size(), (FrameSize{192, 128}));
  int pictures = 0;
  while (saved.Next()) ++pictures;
  EXPECT_EQ(pictures, 60) << "twice the second, filler passed over";
  EXPECT_GT(std::filesystem::file_size(file), 60u * 20'000);
  EXPECT_THAT(Get(path("saved") / "arrived.csv"), HasSubstr("simulated"));
}

TEST_F(PublishTest, HevcAndAv1ArriveToo) {
  for (const auto& [encoder, preset] : {std::pair{"x265", "ultrafast"}, std::pair{"svt-av1", "12"}}) {
    const TestStream stream = MakeStream(encoder, preset);
    EXPECT_EQ(stream.Picture(3, 5000).body.size(), 5000u);
    const auto saved = PublishAndSave(path(encoder), stream, 60);
    EXPECT_GT(std::filesystem::file_size(saved), 60u * 20'000);
    EXPECT_EQ(test::Arrived(path(encoder) / "arrived.csv"), std::pair(60, 2)) << "pictures, and keyframes among them";
#if LIBAVFORMAT_VERSION_MAJOR >= 61  // an independent reader of Enhanced RTMP
    MediaReader reader(saved);
    int pictures = 0;
    while (reader.Next()) ++pictures;
    EXPECT_EQ(pictures, 60) << encoder;
#endif
  }
}

TEST_F(PublishTest, PicturesAreFilledUpWithWhatDecodersPassOver) {
  const TestStream stream = MakeStream();
  const std::string bare = stream.Picture(3, 0).body, filled = stream.Picture(3, 5000).body;
  EXPECT_EQ(filled.size(), 5000u);
  EXPECT_EQ(filled.substr(0, bare.size()), bare);
  EXPECT_EQ(filled[bare.size() + 4], 12) << "a NAL unit of filler data";
  EXPECT_EQ(static_cast<unsigned char>(filled.back()), 0x80);
  EXPECT_EQ(stream.Picture(3, bare.size() + 1).body, bare) << "no room for a filler unit";
  EXPECT_EQ(stream.Picture(30, 0).body.substr(5), stream.Picture(0, 0).body.substr(5)) << "it starts again";
  EXPECT_EQ(stream.Picture(30, 0).timestamp_ms, 1000u);
  EXPECT_TRUE(stream.IsKeyframe(30));
  EXPECT_FALSE(stream.IsKeyframe(31));
  EXPECT_EQ(static_cast<int>(stream.Header().body[1]), 0) << "a sequence header";
}

TEST_F(PublishTest, APacedPublishOverALineWithRoomLosesNothing) {
  RunningIngest ingest({.report = path("arrived.csv")});
  double progress = 0;
  const PacedPublishOutcome outcome =
      PublishPaced({ingest.url(), "key", 2}, MakeStream(), [&](double share) { progress = share; });
  EXPECT_EQ(outcome.sending.frames, 60);
  EXPECT_EQ(outcome.sending.dropped, 0);
  EXPECT_EQ(outcome.sending.stretches, 0);
  EXPECT_GT(outcome.sending.peak_delay_seconds, 0);
  EXPECT_GT(progress, 0.5);
}

TEST_F(PublishTest, APacedPublishDropsWhatALineCannotCarry) {
  // An outage so long that any machine sees it.
  RunningIngest ingest({.link = {LineTrace({{0, 5000}, {1, 0}, {4, 5000}}, 5)}});
  PacedPublish request{ingest.url(), "key", 5};
  request.held_bytes = 4 << 10;
  request.rule.most_delay_seconds = 0.5;
  const PacedPublishOutcome outcome = PublishPaced(request, MakeStream(), [](double) {});
  EXPECT_GT(outcome.sending.dropped, 20);
  EXPECT_GE(outcome.sending.stretches, 1);
  EXPECT_GT(outcome.pipe_bytes, 0);
  EXPECT_GT(outcome.sending.peak_delay_seconds, 0.5);
}

TEST_F(PublishTest, TheStreamThatTheModelSeesHasTheEncodesFrames) {
  MakeStream();
  const CodedPictures coded = ReadCodedPictures(path("stream.mkv"));
  EXPECT_EQ(coded.codec, "h264");
  EXPECT_EQ(coded.width, 192);
  const CodedStream stream = StreamOf(coded, 30);
  ASSERT_EQ(stream.frames.size(), 30u);
  EXPECT_EQ(stream.seconds, 1);
  EXPECT_TRUE(stream.frames[0].keyframe);
  EXPECT_EQ(stream.frames[7].size_bytes, static_cast<int>(coded.pictures[7].data.size()));
  EXPECT_LE(coded.pictures[7].decode_seconds, coded.pictures[7].show_seconds);
  EXPECT_THAT(Complaint(Fault::kInput, [&] { ReadCodedPictures(Put("noise.mkv", "noise")); }), HasSubstr("noise.mkv"));
  EXPECT_THAT(Complaint(Fault::kInput, [&] { TestStream({.codec = "vp9"}, 30); }), HasSubstr("H.264"));
}

TEST_F(PublishTest, MeasuresAndReportsTheLine) {
  RunningIngest ingest({.link = {LineTrace::Steady(6000, 1), 5, 0}});
  MeasureRequest request{ingest.url(), {"key"}, 5};
  double progress = 0;
  const IngestReport report = MeasureIngest(request, MakeStream(), [&](double share) { progress = share; });
  EXPECT_EQ(report.trouble, "");
  ASSERT_TRUE(report.measured());
  EXPECT_GT(report.sustained_kbps, 500) << "something; how much is for the benchmark";
  EXPECT_GT(report.line_kbps, report.sustained_kbps) << "headers take room";
  EXPECT_GT(report.answer_ms, 0);
  EXPECT_GT(progress, 0.9);
  EXPECT_EQ(report.Trace().seconds(), report.seconds);
}

TEST_F(PublishTest, AWrongKeyIsRefusedAndNeverShown) {
  RunningIngest ingest({.key = "right"});
  const std::string line = Complaint(Fault::kInput, [&] { RtmpPublisher publisher(ingest.url(), "s3cret", 5); });
  EXPECT_THAT(line, HasSubstr("is the stream key right?"));
  EXPECT_THAT(line, testing::Not(HasSubstr("s3cret")));
  while (ingest.server().refused() < 1) usleep(1000);
}

TEST_F(PublishTest, AnIngestThatRepeatsTheKeyDoesNotShowIt) {
  RunningIngest ingest({.key = "right", .refusal = "no stream \"s3cret\"\r\n\x1b[31mhere\xFF"});
  const IngestReport report = MeasureIngest({ingest.url(), {"s3cret"}, 5}, MakeStream(), [](double) {});
  EXPECT_THAT(report.trouble, HasSubstr("no stream \"(hidden)\"   [31mhere\xEF\xBF\xBD"));
}

TEST_F(PublishTest, OverSrtPicturesArriveAndPlay) {
  std::filesystem::create_directory(path("saved"));
  const TestStream stream = MakeStream();
  {
    RunningIngest ingest({.srt_port = 0, .key = "right", .report = path("arrived.csv"), .save_folder = path("saved")});
    TestPublish publish(ingest.url("srt"), {"right"}, stream, 30);
    IngestConnection* line = &publish.line();
    std::string bytes = publish.Opening();
    for (int i = 0; i < 60; ++i) bytes += publish.Picture(i, 5'000);
    EXPECT_EQ(bytes.size() % 188, 0u) << "whole packets";
    const std::size_t total = bytes.size();
    while (!bytes.empty()) {
      bytes.erase(0, line->Send(bytes));
      line->WaitToSend(0.01);
    }
    line->Finish(10);
    // On a disturbed machine some of it is sent again, and counts as arrived only then.
    for (int i = 0; i < 1000 && line->state().acknowledged_bytes <= 60 * 5'000; ++i) usleep(10'000);
    EXPECT_EQ(line->state().waiting_bytes, 0);
    EXPECT_GT(line->state().acknowledged_bytes, 60 * 5'000);
    // What is acknowledged is handed over a second after it was sent, or later where the machine is busy.
    constexpr std::size_t kBuffer = 16'384;  // the ingest writes in pieces
    const auto saved_bytes = [&]() -> std::size_t {
      std::error_code absent;
      const auto bytes_there = std::filesystem::file_size(path("saved") / "srt-1.ts", absent);
      return absent ? 0 : bytes_there;
    };
    for (int i = 0; i < 1000 && saved_bytes() + kBuffer < total; ++i) usleep(20'000);
    usleep(500'000);
  }
  MediaReader saved(path("saved") / "srt-1.ts");
  EXPECT_EQ(saved.size(), (FrameSize{192, 128}));
  int pictures = 0;
  while (saved.Next()) ++pictures;
  EXPECT_EQ(pictures, 60);
  EXPECT_THAT(Get(path("arrived.csv")), HasSubstr("srt-1"));
}

TEST_F(PublishTest, OverSrtTheLineIsMeasuredAndWhatIsLostSentAgain) {
  RunningIngest ingest({.link = {LineTrace::Steady(4000, 1), 5, 0}, .srt_port = 0});
  const IngestReport report = MeasureIngest({ingest.url("srt"), {"key"}, 6}, MakeStream(), [](double) {});
  EXPECT_EQ(report.trouble, "");
  ASSERT_TRUE(report.measured());
  EXPECT_TRUE(report.simulated) << "it says so";
  EXPECT_GT(report.sustained_kbps, 300) << "something; how much is for the benchmark";
  EXPECT_GT(report.round_trip_ms, 5) << "the link's delay";
  EXPECT_GT(report.line_kbps, report.sustained_kbps);
}

TEST_F(PublishTest, OverSrtRefusalsAreToldApart) {
  RunningIngest ingest({.srt_port = 0, .key = "right", .passphrase = "a long passphrase"});
  const auto refused = [&](const StreamKey& key) {
    return MeasureIngest({ingest.url("srt"), key, 5}, MakeStream(), [](double) {}).trouble;
  };
  EXPECT_THAT(refused({"s3cret", "a long passphrase"}), HasSubstr("is the stream key right?"));
  EXPECT_THAT(refused({"right", "another passphrase"}), HasSubstr("the passphrase is wrong"));
  EXPECT_THAT(refused({"right"}), HasSubstr("one side encrypts"));
  EXPECT_THAT(refused({"right", "short"}), HasSubstr("10 to 79"));
  MeasureRequest nowhere{IngestUrl::Parse("srt://127.0.0.1:1"), {"s3cret"}, 5};
  nowhere.patience_seconds = 0.5;
  const std::string line = MeasureIngest(nowhere, MakeStream(), [](double) {}).trouble;
  EXPECT_THAT(line, testing::AllOf(HasSubstr("no SRT answer for 0.5 s"), testing::Not(HasSubstr("s3cret"))));
}

TEST_F(PublishTest, WhatIsNotThereOrNotRtmpIsSaidInOneLine) {
  const auto publish = [](const IngestUrl& url) {
    return Complaint(Fault::kInput, [&] { RtmpPublisher publisher(url, "key", 1); });
  };
  EXPECT_THAT(publish(IngestUrl::Parse("rtmp://127.0.0.1:1/live")), HasSubstr("no connection"));
  EXPECT_THAT(publish(IngestUrl::Parse("rtmp://pier.invalid/live")), HasSubstr("does not resolve"));
  // One that takes the connection and says nothing.
  const int silent = socket(AF_INET, SOCK_STREAM, 0);
  sockaddr_in address{.sin_family = AF_INET};
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  socklen_t size = sizeof address;
  ASSERT_EQ(bind(silent, reinterpret_cast<sockaddr*>(&address), size), 0);
  ASSERT_EQ(listen(silent, 4), 0);
  getsockname(silent, reinterpret_cast<sockaddr*>(&address), &size);
  EXPECT_THAT(publish(IngestUrl::Parse(fmt::format("rtmp://127.0.0.1:{}/live", ntohs(address.sin_port)))),
              HasSubstr("no RTMP handshake"));
  close(silent);
}

TEST_F(PublishTest, OnlyACertificateThatVerifiesIsTrusted) {
  test::MakeCertificate(path(""));
  RunningIngest ingest({.certificate = path("certificate.pem"), .private_key = path("key.pem")});
  unsetenv("SSL_CERT_FILE");
  EXPECT_THAT(Complaint(Fault::kInput, [&] { RtmpPublisher publisher(ingest.url("rtmps"), "key", 5); }),
              HasSubstr("certificate does not verify"));
  setenv("SSL_CERT_FILE", path("certificate.pem").c_str(), 1);
  EXPECT_NO_THROW(RtmpPublisher(ingest.url("rtmps"), "key", 5));
  IngestUrl other = ingest.url("rtmps");
  other.host = "localhost";
  EXPECT_THAT(Complaint(Fault::kInput, [&] { RtmpPublisher publisher(other, "key", 5); }),
              HasSubstr("certificate does not verify"));
  unsetenv("SSL_CERT_FILE");
}

TEST_F(PublishTest, AnIngestThatGoesAwayLeavesWhatWasMeasured) {
  auto ingest = std::make_unique<RunningIngest>(IngestOptions{});
  MeasureRequest request{ingest->url(), {"key"}, 12};
  request.most_kbps = 20'000;
  const IngestReport report = MeasureIngest(request, MakeStream(), [&](double share) {
    if (share > 0.6) ingest.reset();
  });
  EXPECT_THAT(report.trouble, HasSubstr("connection"));
  EXPECT_TRUE(report.measured());
}

TEST_F(PublishTest, NoMoreIsSentThanAsked) {
  for (const char* scheme : {"rtmp", "srt"}) {
    RunningIngest open({.srt_port = 0});
    MeasureRequest request{open.url(scheme), {"key"}, 5};
    request.most_kbps = 3000;
    const auto start = std::chrono::steady_clock::now();
    const IngestReport report = MeasureIngest(request, MakeStream(), [](double) {});
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    EXPECT_EQ(report.trouble, "");
    ASSERT_TRUE(report.measured()) << scheme;
    EXPECT_FALSE(report.filled) << scheme << ": the line carries more";
    EXPECT_LE(report.sustained_kbps, 3000) << scheme;
    EXPECT_LE(static_cast<double>(open.server().arrived_bytes()), 3000 * 125 * seconds) << scheme;
    EXPECT_EQ(report.most_kbps, 3000);
  }
}

// Of a real server: it closes the connection at a message of a megabyte.
TEST_F(PublishTest, PicturesAreNoLargerThanThoseOfRealEncodes) {
  RunningIngest ingest({});
  MeasureRequest request{ingest.url(), {"key"}, 5};
  request.most_kbps = kMostTestKbps;
  const IngestReport report = MeasureIngest(request, MakeStream(), [](double) {});
  EXPECT_EQ(report.trouble, "");
  EXPECT_LT(ingest.server().largest_message_bytes(), 1u << 20);
  EXPECT_GT(ingest.server().largest_message_bytes(), 1u << 16) << "they did grow";
}

TEST_F(PublishTest, AStandstillIsNoticed) {
  RunningIngest ingest({.link = {LineTrace({{0, 5000}, {1, 0}}, 2)}});
  MeasureRequest request{ingest.url(), {"key"}, 30};
  request.patience_seconds = 1;
  EXPECT_THAT(MeasureIngest(request, MakeStream(), [](double) {}).trouble, HasSubstr("stalled"));
}

}  // namespace
}  // namespace kettle
