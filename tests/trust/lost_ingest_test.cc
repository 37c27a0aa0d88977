// SPDX-License-Identifier: Apache-2.0
// Ingests that go away while a plan is rehearsed. An SRT one ended the whole rehearsal: nothing was told, and the other
// streams and the recording were gone.
#include <chrono>
#include <thread>

#include "rehearsing.h"

namespace kettle {
namespace {

using testing::AnyOf;
using testing::HasSubstr;

// libsrt waits 10 s for its other side: a shorter silence may be the line's.
class LostIngestTest : public test::RehearsingTest {
 protected:
  // The addresses of an ingest that takes both protocols.
  struct Addresses {
    std::string rtmp, srt;
  };
  Addresses StartBoth() {
    const std::string rtmp = StartIngest("--srt 127.0.0.1:0");
    std::string said;
    for (int i = 0; i < 300 && said.find("srt://") == said.npos; ++i) {
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
      said = Get(path("ingest.txt"));
    }
    const auto from = said.find("srt://");
    return {rtmp, said.substr(from, said.find('\n', from) - from)};
  }
  // Kills it once the rehearsal has streamed for so long.
  void KillAfter(double seconds) {
    std::this_thread::sleep_for(std::chrono::milliseconds(static_cast<int>(seconds * 1000)));
    kill(std::stoi(Get(path("ingest.pid"))), SIGKILL);
    std::filesystem::remove(path("ingest.pid"));
  }
  void ExpectTold(const test::Ran& ran, int seconds) {
    EXPECT_EQ(ran.code, 1) << ran.err << ran.out;
    EXPECT_THAT(ran.out, HasSubstr("does not hold"));
    ExpectValid("rehearsal");
    const nlohmann::json outcome = Json("out/rehearsal.json")["outcome"];
    EXPECT_EQ(outcome["stream"]["packets"].get<int>() + outcome["stream"]["skipped"].get<int>(), 12 * seconds);
    EXPECT_EQ(Frames("out/fast-kettle-rehearsal.mkv") + static_cast<int>(outcome["stalled"].size()),
              outcome["recording"]["packets"].get<int>());
    const auto diagnosed = Run("diagnose out");
    EXPECT_EQ(diagnosed.code, 1) << diagnosed.err;
    EXPECT_THAT(diagnosed.out, HasSubstr("connection")) << "it names the loss";
  }
  void LoseTheOnlyOne(const std::string& address, int seconds) {
    const pid_t pid = Start(
        {"rehearse", "plan.json", "--seconds", std::to_string(seconds), "--quiet", "--out", "out", "--to", address});
    AwaitChildrenOf(pid, "kettle-engine");
    KillAfter(4);
    ExpectTold(Wait(pid), seconds);
  }
};

TEST_F(LostIngestTest, TheOnlyOneOverSrt) { LoseTheOnlyOne(StartBoth().srt, 18); }

TEST_F(LostIngestTest, TheOnlyOneOverRtmp) { LoseTheOnlyOne(StartBoth().rtmp, 8); }

TEST_F(LostIngestTest, OneOfTwoCostsTheOtherNothing) {
  const std::string stays = StartIngest("");
  std::filesystem::rename(path("ingest.pid"), path("stays.pid"));
  const Addresses goes = StartBoth();
  const pid_t pid =
      Start({"rehearse", "plan.json", "--seconds", "18", "--quiet", "--out", "out", "--to", goes.srt, "--to", stays});
  AwaitChildrenOf(pid, "kettle-engine");
  KillAfter(4);
  ExpectTold(Wait(pid), 18);
  const nlohmann::json ingests = Json("out/rehearsal.json")["outcome"]["ingests"];
  EXPECT_FALSE(ingests[0]["dropped"].empty());
  EXPECT_TRUE(ingests[1]["dropped"].empty());
  EXPECT_EQ(ingests[1]["connection_losses"], 0);
  kill(std::stoi(Get(path("stays.pid"))), SIGTERM);
}

}  // namespace
}  // namespace kettle
