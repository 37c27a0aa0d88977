// SPDX-License-Identifier: Apache-2.0
#include "profile.h"

#include "support.h"

namespace {

class ProfileTest : public kettle::test::FolderTest {
 protected:
  static constexpr const char* kSpeeds =
      "[megapixels_per_second]\np1 = 7\np2 = 6\np3 = 5\np4 = 4\np5 = 3\np6 = 2\np7 = 1.5\n";
  std::string Refused(const std::string& text) {
    try {
      standin::ReadProfile(Put("p.toml", text));
    } catch (const std::exception& error) {
      return error.what();
    }
    return "";
  }
};

TEST_F(ProfileTest, ReadsWhatIsThereAndDefaultsTheRest) {
  const auto profile = standin::ReadProfile(Put("p.toml", std::string("name = \"X\"\nsession_limit = 5\n") + kSpeeds));
  EXPECT_EQ(profile.name, "X");
  EXPECT_EQ(profile.session_limit, 5);
  EXPECT_EQ(profile.max_width, 4096);
  EXPECT_DOUBLE_EQ(profile.megapixels_per_second[6], 1.5);
}

TEST_F(ProfileTest, NamesTheKeyThatIsWrong) {
  EXPECT_THAT(Refused(kSpeeds), testing::HasSubstr("name is missing"));
  EXPECT_THAT(Refused(std::string("name = \"X\"\nsesion_limit = 5\n") + kSpeeds), testing::HasSubstr("sesion_limit"));
  EXPECT_THAT(Refused(std::string("name = \"X\"\nsession_limit = 0\n") + kSpeeds), testing::HasSubstr("session_limit"));
  EXPECT_THAT(Refused("name = \"X\"\n[megapixels_per_second]\np1 = 3\n"), testing::HasSubstr("p2"));
  EXPECT_THAT(Refused("name = "), testing::HasSubstr("line 1"));
}

TEST_F(ProfileTest, TheShippedOneIsRight) {
  EXPECT_THAT(standin::ReadProfile(KETTLE_SOURCE "/standin/gpu/profiles/modest.toml").name,
              testing::HasSubstr("simulated"));
}

}  // namespace
