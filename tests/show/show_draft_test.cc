// SPDX-License-Identifier: Apache-2.0
#include "kettle/show/show_draft.h"

#include "kettle/show/show.h"
#include "support.h"

namespace kettle {
namespace {

class ShowDraftTest : public test::FolderTest {
 protected:
  Show Read(const ShowDraft& draft) { return ReadShow(Put("show.toml", ShowText(draft)), {}, {path("shipped")}); }
};

TEST_F(ShowDraftTest, WhatIsNotAnsweredIsLeftOut) {
  ShowDraft draft;
  draft.footage = {"start-line"};
  draft.source_size = "1280x720";
  draft.frame_rate = "60";
  const Show show = Read(draft);
  EXPECT_EQ(show.title, "My show");
  EXPECT_EQ(show.source_size, (FrameSize{1280, 720}));
  EXPECT_FALSE(show.stream_bit_rate);
  EXPECT_TRUE(show.line.readings.empty());
  EXPECT_FALSE(show.recording_is_none);
}

TEST_F(ShowDraftTest, AnswersAreReadBackAsTheyWereGiven) {
  ShowDraft draft;
  draft.title = "Thursday \"league\" \\ night";
  draft.footage = {"start-line", "harbour"};
  draft.source_size = "960x540";
  draft.frame_rate = "50";
  draft.bit_rate = "6000 kbit/s";
  draft.readings = {"11.8 Mbit/s", "9.9 Mbit/s"};
  draft.link = "wireless";
  draft.reserve = {"game 0.3 Mbit/s"};
  draft.recording_folder = "none";
  draft.favour = "balance";
  const Show show = Read(draft);
  EXPECT_EQ(show.title, draft.title);
  EXPECT_EQ(show.footage, draft.footage);
  EXPECT_EQ(show.stream_bit_rate->kbps(), 6000);
  EXPECT_EQ(show.line.readings.size(), 2u);
  EXPECT_EQ(show.reserve.size(), 1u);
  EXPECT_TRUE(show.recording_is_none);
  EXPECT_EQ(show.favour, Favour::kBalance);
}

TEST_F(ShowDraftTest, EachLineSaysWhatItIsFor) {
  ShowDraft draft;
  draft.footage = {"start-line"};
  std::istringstream lines(ShowText(draft));
  std::string line;
  while (std::getline(lines, line)) EXPECT_TRUE(line.empty() || line[0] == '[' || line.find('#') != line.npos) << line;
}

}  // namespace
}  // namespace kettle
