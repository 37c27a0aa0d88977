// SPDX-License-Identifier: Apache-2.0
// A key that was pasted where it does not belong is neither shown nor kept, whatever the scheme and the place.
#include "rehearsing.h"

namespace kettle {
namespace {

constexpr const char* kKey = "s3cr3tK3y";

class SecretsTest : public test::RehearsingTest {
 protected:
  // All that was written anywhere: output, results, history.
  void ExpectNowhere(const test::Ran& ran, const std::string& what) {
    EXPECT_EQ(ran.code, 2) << what << ran.out;
    EXPECT_EQ((ran.out + ran.err).find(kKey), std::string::npos) << what << ": " << ran.err;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(path("")))
      if (entry.is_regular_file() && entry.path().filename() != "with-key.toml") {
        EXPECT_EQ(Get(entry.path()).find(kKey), std::string::npos) << what << ": " << entry.path();
      }
  }
};

TEST_F(SecretsTest, InAnAddress) {
  const std::string key = kKey;
  for (const std::string scheme : {"rtmp", "rtmps", "srt"})
    for (const std::string& place :
         {"://127.0.0.1:9/" + (scheme == "srt" ? key : "live/" + key), "://127.0.0.1:9?streamid=" + key,
          "://" + key + "@127.0.0.1:9/live", "://127.0.0.1:9/live?key=" + key, "://127.0.0.1:9/live#" + key,
          "://127.0.0.1:9/live/" + key + "/"}) {
      const std::string address = scheme + place;
      ExpectNowhere(Run("uplink --to '" + address + "' --seconds 5 --out out"), "uplink " + address);
      ExpectNowhere(Run("rehearse plan.json --to '" + address + "' --seconds 2 --out out"), "rehearse " + address);
      ExpectNowhere(Run("rehearse '" + address + "' --out out"), "in the plan's place " + address);
      ExpectNowhere(Run("rehearse plan.json --too='" + address + "' --out out"), "mistyped " + address);
      ExpectNowhere(Run("rehearse plan.json '" + address + "' --out out"), "without its option " + address);
      ExpectNowhere(Run("'" + address + "'"), "as a command " + address);
      Put("with-key.toml", "name = \"Pier\"\n[[ingest]]\naddress = \"" + address + "\"\n");
      ExpectNowhere(Run("uplink --to with-key.toml --seconds 5 --out out"), "destination " + address);
    }
}

}  // namespace
}  // namespace kettle
