// SPDX-License-Identifier: Apache-2.0
#include "profile.h"

#include "support.h"

namespace {

using testing::HasSubstr;

class ProfileTest : public kettle::test::FolderTest {
 protected:
  static constexpr const char* kSpeeds =
      "[device.megapixels_per_second]\np1 = 7\np2 = 6\np3 = 5\np4 = 4\np5 = 3\np6 = 2\np7 = 1.5\n";
  std::string Refused(const std::string& text) {
    try {
      standin::ReadProfile(Put("p.toml", text));
    } catch (const std::exception& error) {
      return error.what();
    }
    return "";
  }
  static std::string Device(const std::string& keys) { return "[[device]]\nname = \"X\"\n" + keys + kSpeeds; }
};

TEST_F(ProfileTest, ReadsWhatIsThereAndDefaultsTheRest) {
  const auto profile = standin::ReadProfile(Put("p.toml", Device("session_limit = 5\n")));
  ASSERT_EQ(profile.devices.size(), 1u);
  const auto& device = profile.devices[0];
  EXPECT_EQ(device.name, "X");
  EXPECT_EQ(device.session_limit, 5);
  EXPECT_EQ(device.codecs[0].max_width, 4096);
  EXPECT_FALSE(device.codecs[1].offered);
  EXPECT_DOUBLE_EQ(device.megapixels_per_second[6], 1.5);
  EXPECT_TRUE(profile.faults.empty());
}

TEST_F(ProfileTest, ReadsSeveralDevicesAndFaults) {
  const auto profile = standin::ReadProfile(
      Put("p.toml", Device("") + "[device.hevc]\nb_frames = 2\nten_bit = true\n" + Device("game_share = 0.5\n") +
                        "[[fault]]\nkind = \"slow\"\ndevice = 1\nsession = 4\nframe = 30\nfactor = 3\n"));
  ASSERT_EQ(profile.devices.size(), 2u);
  EXPECT_TRUE(profile.devices[0].codecs[1].offered);
  EXPECT_EQ(profile.devices[0].codecs[1].b_frames, 2);
  EXPECT_DOUBLE_EQ(profile.devices[1].game_share, 0.5);
  ASSERT_EQ(profile.faults.size(), 1u);
  EXPECT_EQ(profile.faults[0].kind, standin::FaultKind::kSlow);
  EXPECT_EQ(profile.faults[0].session, 4);
}

TEST_F(ProfileTest, NamesTheKeyThatIsWrong) {
  EXPECT_THAT(Refused(std::string("[[device]]\n") + kSpeeds), HasSubstr("device[0].name is missing"));
  EXPECT_THAT(Refused(Device("sesion_limit = 5\n")), HasSubstr("device[0].sesion_limit is not a known key"));
  EXPECT_THAT(Refused(Device("session_limit = 0\n")), HasSubstr("session_limit"));
  EXPECT_THAT(Refused(Device("game_share = 1.0\n")), HasSubstr("game_share"));
  EXPECT_THAT(Refused("[[device]]\nname = \"X\"\n[device.megapixels_per_second]\np1 = 3\n"), HasSubstr("p2"));
  EXPECT_THAT(Refused("driver_version = \"1\"\n"), HasSubstr("one [[device]] at least"));
  EXPECT_THAT(Refused(Device("") + "[[fault]]\nkind = \"explode\"\n"), HasSubstr("refuse, crash, hang"));
  EXPECT_THAT(Refused(Device("") + "[[fault]]\nkind = \"hang\"\ndevice = 1\n"), HasSubstr("not among the devices"));
  EXPECT_THAT(Refused("name = "), HasSubstr("line 1"));
  const std::string vaapi = "interface = \"vaapi\"\npacked_headers = ";
  EXPECT_THAT(Refused(Device(vaapi + "true\n") + "[device.h264]\nb_frames = 2\n"),
              HasSubstr("h264.b_frames must be 0"));
  EXPECT_THAT(Refused(Device(vaapi + "false\n") + "[device.hevc]\nb_frames = 2\n"),
              HasSubstr("hevc.b_frames must be 0"));
  EXPECT_THAT(Refused(Device(vaapi + "false\n") + "[device.h264]\nb_frames = 3\n"), HasSubstr("2 at most"));
  EXPECT_EQ(Refused(Device(vaapi + "false\n") + "[device.h264]\nb_frames = 2\n"), "");
}

TEST_F(ProfileTest, TheShippedOnesAreRight) {
  for (const char* name : {"integrated", "modest", "pair", "vaapi-b-frames", "vaapi-card", "vaapi-low-power"})
    for (const auto& device :
         standin::ReadProfile(std::string(KETTLE_SOURCE "/standin/gpu/profiles/") + name + ".toml").devices)
      EXPECT_THAT(device.name, HasSubstr("simulated"));
}

}  // namespace
