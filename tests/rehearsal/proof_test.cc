// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/proof.h"

#include <nlohmann/json.hpp>

#include "support.h"

namespace kettle {
namespace {

Proof Good() {
  Proof proof;
  proof.status = WorkerStatus::kDone;
  proof.stream.frames = proof.stream.packets = 300;
  proof.recording.frames = proof.recording.packets = 600;
  return proof;
}

TEST(Proof, HoldsOnlyIfEveryFrameCameOut) {
  EXPECT_TRUE(Good().holds());
  Proof skipped = Good();
  skipped.recording.skipped = 1;
  skipped.recording.packets = 599;
  EXPECT_FALSE(skipped.holds());
  Proof lost = Good();
  lost.stream.packets = 299;
  EXPECT_FALSE(lost.holds()) << "a frame went in and did not come out";
  Proof further = Good();
  further.further = {further.stream};
  EXPECT_TRUE(further.holds());
  further.further[0].skipped = 1;
  EXPECT_FALSE(further.holds());
  Proof crashed = Good();
  crashed.status = WorkerStatus::kCrashed;
  EXPECT_FALSE(crashed.holds());
}

TEST(Proof, LateFramesAreNoSkippedFrames) {
  Proof late = Good();
  late.late = 9;
  EXPECT_TRUE(late.holds());
  const nlohmann::json json = late;
  EXPECT_EQ(json["verdict"], "keeps pace");
  EXPECT_EQ(json["stream"]["late"], 9);
}

TEST(Proof, TellsADisturbedMachine) {
  Proof proof = Good();
  EXPECT_FALSE(proof.disturbed());
  proof.late = 6;
  EXPECT_FALSE(proof.disturbed()) << "one frame in a hundred";
  proof.late = 7;
  EXPECT_TRUE(proof.disturbed());
  proof.late = 0;
  proof.stolen_cores = 0.5;
  EXPECT_TRUE(proof.disturbed());
}

TEST(Proof, IsSpoiltOnlyWhereItFailedAndTheHypervisorHadItsPart) {
  Proof proof = Good();
  proof.stolen_cores = 0.5;
  EXPECT_FALSE(proof.spoilt_by_hypervisor()) << "it held all the same";
  proof.stream.skipped = 1;
  EXPECT_TRUE(proof.spoilt_by_hypervisor());
  proof.stolen_cores = 0.05;
  EXPECT_FALSE(proof.spoilt_by_hypervisor());
  proof.stolen_cores = 0.5;
  proof.status = WorkerStatus::kCrashed;
  EXPECT_FALSE(proof.spoilt_by_hypervisor()) << "a driver that fails does so on a quiet machine too";
}

TEST(ProofCsv, ASkippedFrameHasNoTime) {
  Proof proof = Good();
  proof.stream.frame_times = {{0, 0, 1.5}, {1, 16.667, -1}};
  EXPECT_EQ(ProofCsv(proof), "output,frame,due_ms,taken_ms\nstream,0,0.000,1.500\nstream,1,16.667,\n");
}

class RunProofTest : public test::FolderTest {};

TEST_F(RunProofTest, AWorkerThatTellsOfOneEncodeOnlyIsNonsense) {
  const std::string script = R"sh(cat >/dev/null; echo '{"result": {"seconds": 1, "late": 0, "outputs": []}}')sh";
  const WorkerProcess worker({"/bin/sh", "-c", script}, StandInGpu{}, nullptr);
  const Footage footage{"x", path("x.y4m"), {192, 128}, {25, 1}, 25, 0};
  const Proof proof = RunProof(worker, {test::SmallSettings(), test::SmallSettings(), {footage}, 1, path(""), path("")},
                               [](auto...) {});
  EXPECT_EQ(proof.status, WorkerStatus::kMalformed);
  EXPECT_FALSE(proof.holds());
}

}  // namespace
}  // namespace kettle
