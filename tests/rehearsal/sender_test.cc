// SPDX-License-Identifier: Apache-2.0
// The sender against the stand-in ingest: what is given arrives, and a lost connection is made good.
#include "kettle/rehearsal/sender.h"

#include <unistd.h>

#include "certificate.h"
#include "running_ingest.h"
#include "support.h"

namespace kettle {
namespace {

using test::RunningIngest;

RtmpMessage Message(RtmpType type, std::uint32_t ms, std::size_t bytes) {
  std::string body(bytes, 'x');
  body[0] = type == RtmpType::kVideo ? 0x27 : static_cast<char>(0xAF);
  body[1] = 1;
  return {type, ms, 0, body};
}

class SenderTest : public test::FolderTest {
 protected:
  // Pictures at 20 a second from `from` to `to`, a keyframe each second; waits a little between them.
  void Enqueue(Sender& sender, int from, int to) {
    for (int i = from; i < to; ++i) {
      sender.Enqueue({Message(RtmpType::kVideo, static_cast<std::uint32_t>(i * 50), 500),
                      FlvPacker::Picture{i, i % 20 == 0}, i * 0.05});
      usleep(5000);
    }
  }
  struct Arrived {
    int pictures = 0, sounds = 0;
  };
  Arrived ReadArrived(const std::string& name) {
    Arrived all;
    std::istringstream rows(Get(path(name)));
    std::string row;
    std::getline(rows, row);
    while (std::getline(rows, row)) {
      int second = 0, connection = 0, bytes = 0, pictures = 0, keyframes = 0, sounds = 0;
      double kbps = 0;
      EXPECT_EQ(std::sscanf(row.c_str(), "%d,%d,%d,%lf,%d,%d,%d", &second, &connection, &bytes, &kbps, &pictures,
                            &keyframes, &sounds),
                7);
      all.pictures += pictures;
      all.sounds += sounds;
    }
    return all;
  }
  SteadyClock clock_;
};

TEST_F(SenderTest, WhatIsGivenArrives) {
  {
    RunningIngest ingest({.report = path("arrived.csv")});
    Sender sender({ingest.url(), {"key"}, {}}, clock_);
    EXPECT_TRUE(sender.simulated());
    sender.SetOpening({Message(RtmpType::kData, 0, 20)});
    Enqueue(sender, 0, 40);
    for (int i = 0; i < 5; ++i) sender.Enqueue({Message(RtmpType::kAudio, 0, 50), std::nullopt, 2});
    sender.Finish(10);
    EXPECT_TRUE(sender.Dropped().empty());
    EXPECT_EQ(sender.state().dropped, 0);
    EXPECT_GT(sender.state().acknowledged_bytes, 40 * 500);
    EXPECT_EQ(sender.state().losses, 0);
    EXPECT_EQ(sender.state().blocked_seconds, 0) << "the kernel held all of it";
  }
  const Arrived arrived = ReadArrived("arrived.csv");
  EXPECT_EQ(arrived.pictures, 40);
  EXPECT_EQ(arrived.sounds, 5);
}

TEST_F(SenderTest, ALineThatTakesNothingMoreIsNoticed) {
  RunningIngest ingest({.link = {LineTrace::Steady(1000, 1)}});
  Sender sender({ingest.url(), {"key"}, {}}, clock_);
  for (int i = 0; i < 40; ++i)  // 2.4 Mbit at once
    sender.Enqueue({Message(RtmpType::kVideo, 0, 7500), FlvPacker::Picture{i, i == 0}});
  sender.Finish(10);
  EXPECT_TRUE(sender.Dropped().empty());
  // What the kernels of both sides hold needs no line.
  EXPECT_GT(sender.state().blocked_seconds, 0.3);
  EXPECT_GT(sender.TakeLongestWait(), 0.3);
  EXPECT_EQ(sender.TakeLongestWait(), 0) << "told once";
  EXPECT_LT(sender.state().blocked_seconds, 60);
}

TEST_F(SenderTest, OverTlsWhatTheLineRefusedIsGivenAgainAndWhatIsOldIsDropped) {
  test::MakeCertificate(path(""));
  setenv("SSL_CERT_FILE", path("certificate.pem").c_str(), 1);
  std::size_t dropped = 0;
  {
    RunningIngest ingest({.link = {LineTrace::Steady(3000, 1)},
                          .report = path("arrived.csv"),
                          .certificate = path("certificate.pem"),
                          .private_key = path("key.pem")});
    SenderRequest request{ingest.url("rtmps"), {"key"}, {0.5}};
    request.held_bytes = 32 << 10;
    Sender sender(request, clock_);
    unsetenv("SSL_CERT_FILE");
    for (int i = 0; i < 60; ++i)  // 9.6 Mbit at once
      sender.Enqueue({Message(RtmpType::kVideo, 0, 20'000), FlvPacker::Picture{i, i == 0}});
    usleep(800'000);
    sender.Enqueue({Message(RtmpType::kVideo, 0, 20'000), FlvPacker::Picture{60, true}});
    sender.Finish(20);
    dropped = sender.Dropped().size();
    EXPECT_EQ(sender.state().dropped, static_cast<int>(dropped));
    EXPECT_EQ(sender.state().losses, 0) << sender.state().trouble;
  }
  EXPECT_GT(dropped, 10u);
  EXPECT_LT(dropped, 60u);
  // What the ingest's kernel had acknowledged and its program not yet read is counted as arrived.
  const int told = ReadArrived("arrived.csv").pictures + static_cast<int>(dropped);
  EXPECT_LE(told, 61);
  EXPECT_GE(told, 61 - 16);
}

TEST_F(SenderTest, AnIngestThatIsNotThereIsAnError) {
  EXPECT_THAT(test::Complaint(Fault::kInput,
                              [&] {
                                Sender({IngestUrl::Parse("rtmp://127.0.0.1:1/live"), {"s3cret"}, {}}, clock_);
                              }),
              testing::AllOf(testing::HasSubstr("no connection"), testing::Not(testing::HasSubstr("s3cret"))));
}

TEST_F(SenderTest, ALostConnectionIsMadeAgainAndStartsWithAKeyframe) {
  auto ingest = std::make_unique<RunningIngest>(standin::IngestOptions{.report = path("first.csv")});
  const IngestUrl url = ingest->url();
  SenderRequest request{url, {"key"}, {}};
  request.retry_seconds = 0.05;
  request.rule.most_delay_seconds = 60;  // nothing is dropped for its age
  Sender sender(request, clock_);
  Enqueue(sender, 0, 30);
  ingest.reset();
  int next = 30;
  for (; next < 2000 && sender.state().connected; ++next) Enqueue(sender, next, next + 1);
  EXPECT_FALSE(sender.state().connected);
  EXPECT_EQ(sender.state().losses, 1);
  EXPECT_NE(sender.state().trouble, "");
  ingest = std::make_unique<RunningIngest>(standin::IngestOptions{.port = url.port, .report = path("second.csv")});
  for (int i = 0; i < 400 && !sender.state().connected; ++i) usleep(50'000);
  EXPECT_TRUE(sender.state().connected);
  const int more = (next / 20 + 2) * 20;  // a keyframe comes
  Enqueue(sender, next, more + 5);
  sender.Finish(10);
  const std::vector<std::int64_t> dropped = sender.Dropped();
  EXPECT_TRUE(std::find(dropped.begin(), dropped.end(), more) == dropped.end()) << "the keyframe and what follows it";
  EXPECT_GE(sender.state().acknowledged_bytes, 30 * 500) << "of both connections";
  EXPECT_EQ(sender.state().dropped, static_cast<int>(dropped.size()));
  ingest.reset();
  const int seen = ReadArrived("first.csv").pictures + ReadArrived("second.csv").pictures;
  // What the first ingest's kernel had acknowledged and its program not yet read is counted as arrived.
  EXPECT_LE(seen, more + 5 - static_cast<int>(dropped.size()));
  EXPECT_GE(seen + 16, more + 5 - static_cast<int>(dropped.size()));
}

}  // namespace
}  // namespace kettle
