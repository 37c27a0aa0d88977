// SPDX-License-Identifier: Apache-2.0
// What the worker of a proof run does: encodes are written and sent.
#include "kettle/rehearsal/proof_run.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "kettle/media/reader.h"
#include "kettle/rtmp/discarding_server.h"
#include "support.h"

namespace kettle {
namespace {

class ProofRunTest : public test::FolderTest {
 protected:
  // The stream, a recording, and an encode of the stream for other destinations.
  ProofTask Task(int port) {
    ProofTask task;
    task.pace.footage = {test::MakeY4m(path("a.y4m"), {96, 64}, {25, 1}, 20)};
    task.pace.source_rate = {25, 1};
    task.pace.seconds = 1;
    task.pace.sound_kbps = 96;
    for (const char* file : {"stream.flv", "recording.mkv", "stream-2.flv"})
      task.pace.outputs.push_back({test::SmallSettings(), path(file).string()});
    task.encodes = {0, -1, 1};
    const std::string url = fmt::format("rtmp://127.0.0.1:{}/proof", port);
    task.ingests = {{"a", url, "key", "", 0}, {"b", url, "key", "", 1}, {"c", url, "key", "", 1}};
    return task;
  }
  SteadyClock clock_;
};

TEST_F(ProofRunTest, WhatIsWrittenIsSentToEachDestinationToo) {
  const DiscardingServer server;
  const ProofTask task = nlohmann::json(Task(server.port())).get<ProofTask>();  // as the worker gets it
  const PaceOutcome outcome = RunProofTask(task, clock_, [](double) {});
  ASSERT_EQ(outcome.outputs.size(), 3u);
  const int sent = outcome.outputs[0].packets + 2 * outcome.outputs[2].packets;
  EXPECT_GT(server.messages(), sent) << "pictures to each, and sound";
  MediaReader recording(path("recording.mkv"));
  EXPECT_TRUE(recording.Next());
}

TEST_F(ProofRunTest, WhereNobodyTakesItThatIsTold) {
  int port = 0;
  {
    const DiscardingServer gone;
    port = gone.port();
  }
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { RunProofTask(Task(port), clock_, [](double) {}); }),
              testing::HasSubstr("127.0.0.1"));
}

}  // namespace
}  // namespace kettle
