// SPDX-License-Identifier: Apache-2.0
// The sender and an ingest that dies or stops reading, whatever the protocol: each picture arrives or is told, and the
// next connection begins with a keyframe.
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>

#include "arrived.h"
#include "certificate.h"
#include "kettle/rehearsal/sender.h"
#include "support.h"

namespace kettle {
namespace {

struct Loss {
  const char* protocol;
  int signal;  // that its process gets
};

class LostConnectionTest : public test::FolderTest, public testing::WithParamInterface<Loss> {
 protected:
  void SetUp() override {
    test::MakeCertificate(path(""));
    setenv("SSL_CERT_FILE", path("certificate.pem").c_str(), 1);
  }
  void TearDown() override {
    End(SIGKILL);
    unsetenv("SSL_CERT_FILE");
  }
  // The ingest as a process of its own, at that port; 0: any.
  IngestUrl Start(int port = 0) {
    const std::string protocol = GetParam().protocol, at = "127.0.0.1:" + std::to_string(port);
    std::vector<std::string> words{KETTLE_INGEST, "--listen", protocol == "srt" ? "127.0.0.1:0" : at, "--report",
                                   path("arrived.csv")};
    if (protocol == "srt") words.insert(words.end(), {"--srt", at});
    if (protocol == "rtmps")
      words.insert(words.end(), {"--certificate", path("certificate.pem"), "--private-key", path("key.pem")});
    int ends[2];
    EXPECT_EQ(pipe(ends), 0);
    process_ = fork();
    if (process_ == 0) {
      dup2(ends[1], STDOUT_FILENO);
      std::vector<char*> arguments;
      for (std::string& word : words) arguments.push_back(word.data());
      arguments.push_back(nullptr);
      execv(arguments[0], arguments.data());
      _exit(127);
    }
    close(ends[1]);
    FILE* said = fdopen(ends[0], "r");
    char line[256] = "";
    while (std::fgets(line, sizeof line, said))
      if (const std::string text = line; text.find(protocol + "://") != text.npos) break;
    std::string text = line;
    text = text.substr(text.find(protocol + "://"));
    text.erase(text.find('\n'));
    said_ = said;  // open: it would be ended by saying more
    return IngestUrl::Parse(text);
  }
  void End(int signal) {
    if (process_ <= 0) return;
    kill(process_, signal);
    if (signal == SIGSTOP) return;
    waitpid(process_, nullptr, 0);
    process_ = 0;
    std::fclose(said_);
  }
  // Ends the ingest once it has read what was on its way, and counts what it has got.
  int PicturesThere() {
    usleep(500'000);
    End(SIGTERM);
    return test::Arrived(path("arrived.csv")).first;
  }
  // The next picture, with sound; a keyframe each 20.
  void EnqueueNext(Sender& sender) {
    const int i = next_++;
    std::string body(20'000, 'x');
    body[0] = 0x27;
    body[1] = 1;
    const auto ms = static_cast<std::uint32_t>(i * 50);
    sender.Enqueue({{RtmpType::kVideo, ms, 0, body}, FlvPacker::Picture{i, i % 20 == 0}, i * 0.05});
    sender.Enqueue({{RtmpType::kAudio, ms, 0, std::string("\xAF\1xx")}, std::nullopt, i * 0.05});
    usleep(10'000);
  }

  pid_t process_ = 0;
  FILE* said_ = nullptr;
  int next_ = 0;
  SteadyClock clock_;
};

TEST_P(LostConnectionTest, IsALossLikeAnyOther) {
  const IngestUrl url = Start();
  SenderRequest request{url, {"key", ""}, {}};
  request.retry_seconds = 0.1;
  request.patience_seconds = 2;
  request.dead_seconds = 1;
  Sender sender(request, clock_);
  while (next_ < 50) EnqueueNext(sender);
  End(GetParam().signal);
  while (next_ < 3000 && sender.state().connected) EnqueueNext(sender);
  ASSERT_FALSE(sender.state().connected);
  EXPECT_GE(sender.state().losses, 1);
  EXPECT_NE(sender.state().trouble, "");
  if (GetParam().signal == SIGSTOP)
    kill(process_, SIGCONT);
  else
    Start(url.port);
  while (next_ < 6000 && !sender.state().connected) EnqueueNext(sender);
  ASSERT_TRUE(sender.state().connected);
  const int back = next_;
  while (next_ < back + 60) EnqueueNext(sender);
  sender.Finish(10);
  const std::vector<std::int64_t> dropped = sender.Dropped();
  EXPECT_EQ(sender.state().dropped, static_cast<int>(dropped.size()));
  EXPECT_GT(dropped.size(), 0u);
  EXPECT_LT(dropped.back(), back + 40) << "what came after the next keyframe arrived";
}

// Each picture is told as dropped, or is there: nothing that was given to a dead ingest passes for sent.
TEST_P(LostConnectionTest, InTheLastSecondIsTold) {
  SenderRequest request{Start(), {"key", ""}, {}};
  request.dead_seconds = 1;
  Sender sender(request, clock_);
  while (next_ < 50) EnqueueNext(sender);
  End(GetParam().signal);
  const int end = next_;
  for (int i = 0; i < 5; ++i) EnqueueNext(sender);
  sender.Finish(2);
  const std::vector<std::int64_t> dropped = sender.Dropped();
  EXPECT_EQ(sender.state().dropped, static_cast<int>(dropped.size()));
  // Whoever is stopped still has a kernel that takes what TCP brings; nobody but the process acknowledges SRT's
  // packets.
  const bool stopped_over_tcp = GetParam().signal == SIGSTOP && std::string(GetParam().protocol) != "srt";
  if (stopped_over_tcp) {
    kill(process_, SIGCONT);
    EXPECT_GE(PicturesThere() + static_cast<int>(dropped.size()), next_);
  } else {
    for (int picture = end; picture < next_; ++picture) EXPECT_THAT(dropped, testing::Contains(picture));
  }
  if (GetParam().signal == SIGKILL) {
    EXPECT_GE(sender.state().losses, 1);
  }
}

INSTANTIATE_TEST_SUITE_P(Protocols, LostConnectionTest,
                         testing::Values(Loss{"rtmp", SIGKILL}, Loss{"rtmps", SIGKILL}, Loss{"srt", SIGKILL},
                                         Loss{"rtmp", SIGSTOP}, Loss{"rtmps", SIGSTOP}, Loss{"srt", SIGSTOP}),
                         [](const auto& instance) {
                           return std::string(instance.param.protocol) +
                                  (instance.param.signal == SIGKILL ? "_killed" : "_stopped");
                         });

}  // namespace
}  // namespace kettle
