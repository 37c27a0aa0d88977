// SPDX-License-Identifier: Apache-2.0
#include "kettle/realtime/turns.h"

#include <gmock/gmock.h>

#include <nlohmann/json.hpp>

#include "support.h"

namespace kettle {
namespace {

EncodeSettings Recording(const std::string& encoder) {
  EncodeSettings settings;
  settings.encoder = encoder;
  return settings;
}

TEST(Turns, TheGameGoesFirstUnlessTheStreamIsToldTo) {
  EXPECT_GT(StreamNiceness(First::kGame), 0);
  EXPECT_LT(StreamNiceness(First::kStream), 0);
}

TEST(Turns, ARecordingThatComputesStepsBehindGameAndStream) {
  for (const First first : {First::kGame, First::kStream}) {
    EXPECT_GT(RecordingNiceness(first, Recording("x264")), std::max(0, StreamNiceness(first))) << Name(first);
    EXPECT_EQ(RecordingNiceness(first, Recording("nvenc-h264")), StreamNiceness(first)) << Name(first);
  }
}

TEST(Turns, AreReadByName) {
  for (const First first : {First::kGame, First::kStream}) {
    EXPECT_EQ(ParseFirst(Name(first)), first);
    EXPECT_EQ(nlohmann::json(first).get<First>(), first);
  }
  EXPECT_THAT(test::Complaint(Fault::kInput, [] { ParseFirst("recording"); }),
              testing::AllOf(testing::HasSubstr("\"recording\""), testing::HasSubstr("\"game\" or \"stream\"")));
}

}  // namespace
}  // namespace kettle
