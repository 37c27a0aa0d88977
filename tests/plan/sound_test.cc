// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/sound.h"

#include "fakes.h"
#include "says.h"

namespace kettle {
namespace {

Targets Chosen(const std::vector<std::optional<int>>& limits_kbps, const std::vector<AudioDevice>& devices) {
  Show show;
  for (const auto& kbps : limits_kbps) {
    Destination to;
    to.name = "Pier";
    if (kbps) to.audio_bit_rate_max = BitRate::FromKbps(*kbps);
    show.destinations.push_back(to);
  }
  Targets targets;
  ChooseSound(show, devices, targets);
  return targets;
}

TEST(ChooseSound, KeepsToTheTightestDestination) {
  EXPECT_EQ(Chosen({}, {}).audio.kbps(), 160);
  EXPECT_EQ(Chosen({320}, {}).audio.kbps(), 160);
  const Targets tight = Chosen({320, 128, std::nullopt}, {});
  EXPECT_EQ(tight.audio.kbps(), 128);
  EXPECT_THAT(tight.reasons.front().why, test::Says("less than the usual 160 kbit/s"));
}

TEST(ChooseSound, WarnsOfACardThatRunsAtAnotherRate) {
  EXPECT_TRUE(Chosen({}, {{0, "Deck", true, true, {44100, 48000}, 48000}}).warnings.empty());
  const Targets now = Chosen({}, {{0, "Deck", true, true, {44100, 48000}, 44100}});
  ASSERT_EQ(now.warnings.size(), 1u);
  EXPECT_THAT(now.warnings[0], test::Says("Deck runs at 44.1 kHz now"));
  const Targets never = Chosen({}, {{0, "Deck", true, true, {44100}, std::nullopt}});
  ASSERT_EQ(never.warnings.size(), 1u);
  EXPECT_THAT(never.warnings[0], test::Says("does not run at 48 kHz"));
}

}  // namespace
}  // namespace kettle
