// SPDX-License-Identifier: Apache-2.0
#include "timeline/rehearsal_figures.h"

#include "support.h"

namespace kettle {
namespace {

using testing::HasSubstr;
using testing::Not;

class RehearsalFiguresTest : public test::FolderTest {
 protected:
  RehearsalFiguresTest() {
    outcome_.seconds = 5;
    outcome_.stream.frames = 300;
    for (int i = 0; i < 5; ++i) {
      RehearsalSecond second;
      second.start_seconds = i;
      second.stream_cores = 0.5;
      second.recording_cores = 0.3;
      second.acknowledged_kbps = 3000;
      outcome_.timeline.push_back(second);
    }
  }
  std::string Drawn(bool simulated = false) {
    Draw(path(""), *MakeRehearsalChart(outcome_, {2, 3000, false, false}, simulated));
    EXPECT_GT(std::filesystem::file_size(path("rehearsal.png")), 10'000u);
    return Get(path("rehearsal.svg"));
  }
  RehearsalOutcome outcome_;
};

TEST_F(RehearsalFiguresTest, TheTitleIsTheVerdict) {
  EXPECT_THAT(Drawn(),
              testing::AllOf(HasSubstr("It holds: none of 300 frames was lost in 5 s"),
                             HasSubstr("all that may be used"), HasSubstr("stalled"), Not(HasSubstr("SIMULATED"))));
}

TEST_F(RehearsalFiguresTest, LossesAreCountedByTheirKind) {
  outcome_.late_frames = {7};
  outcome_.stream.skipped = 12;
  outcome_.ingests = {{"quay", "rtmp://quay", {1, 2, 3}}};
  outcome_.timeline[2].skipped_stream = 12;
  const std::string svg = Drawn(true);
  EXPECT_THAT(svg, HasSubstr("of 300 frames 1 late, 12 skipped by the stream, 3 dropped"));
  EXPECT_THAT(svg, HasSubstr("SIMULATED"));
}

TEST_F(RehearsalFiguresTest, ALostIngestAloneIsSaid) {
  outcome_.ingests = {{"quay", "rtmp://quay", {}, 1}};
  EXPECT_THAT(Drawn(), HasSubstr("the ingest was lost"));
}

TEST_F(RehearsalFiguresTest, OneSecondIsNoFigure) {
  outcome_.timeline.resize(1);
  EXPECT_FALSE(MakeRehearsalChart(outcome_, {2, 3000, false, false}, false));
}

}  // namespace
}  // namespace kettle
