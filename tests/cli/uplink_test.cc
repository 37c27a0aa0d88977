// SPDX-License-Identifier: Apache-2.0
// The line, as a user asks about it; measured over a simulated ingest of its own.
#include "ingest_program.h"

namespace kettle {
namespace {

using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

// Small enough for any machine.
constexpr const char* kSmall =
    " --footage open-water --footage-seconds 1 --source-size 192x108 --frame-rate 12 --preset ultrafast --out out";

class UplinkTest : public test::IngestProgramTest {};

TEST_F(UplinkTest, ReadingsBecomeABudget) {
  const auto ran =
      Run("uplink --reading '11.8 Mbit/s' --reading '9.9 Mbit/s' --link wireless --reserve 'voice call 0.2 "
          "Mbit/s' --destination quayside" +
          std::string(kSmall));
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out,
              AllOf(HasSubstr("your uplink carries    9995"), HasSubstr("voice call"), HasSubstr("limited by"),
                    HasSubstr("Quayside's maximum of 3500 kbit/s"), HasSubstr("Constant or variable bit rate?")));
  ExpectValid("uplink");
  const nlohmann::json uplink = Json("out/uplink.json");
  EXPECT_EQ(uplink["readings"], nlohmann::json({11800, 9900}));
  EXPECT_EQ(uplink["video_budget_kbps"]["Quayside"], 3500);
  EXPECT_GT(uplink["budget_kbps"], 5000);
  EXPECT_GT(std::filesystem::file_size(path("out/line.png")), 1000u);
  EXPECT_THAT(Run("redraw out").out, testing::StartsWith(ran.out));
  EXPECT_GT(std::filesystem::file_size(path("out/queue-delay.svg")), 1000u);
}

TEST_F(UplinkTest, ATraceIsModelledAndItsGapTold) {
  std::string trace = "seconds,kbps\n";
  for (int i = 0; i < 60; ++i)
    if (i < 20 || i > 30) trace += fmt::format("{},{}\n", i, i == 45 ? 300 : 3000);
  Put("evening.csv", trace);
  const auto ran = Run("uplink --trace evening.csv" + std::string(kSmall));
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Please check: the uplink's trace: no readings from 20 to 31 s"),
                             HasSubstr("60 seconds of trace")));
  ExpectValid("uplink");
}

TEST_F(UplinkTest, ALineTooPoorForPicturesSaysWhatIsMissing) {
  const auto ran = Run("uplink --reading '0.6 Mbit/s' --reserve 'game 0.3 Mbit/s'" + std::string(kSmall));
  EXPECT_EQ(ran.code, 1) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("more upload, or less reserved"));
  ExpectValid("uplink");
}

TEST_F(UplinkTest, ADestinationThatTakesTooLittleSaysSo) {
  Put("narrow.toml", "name = \"Narrow\"\nvideo_bit_rate_max = \"100 kbit/s\"\n");
  const auto ran = Run("uplink --reading '9 Mbit/s' --destination narrow.toml" + std::string(kSmall));
  EXPECT_EQ(ran.code, 1) << ran.err;
  EXPECT_THAT(ran.out,
              AllOf(HasSubstr("Narrow's maximum of 100 kbit/s"), HasSubstr("that limit would have to be higher")));
}

TEST_F(UplinkTest, MeasuresAnIngest) {
  Put("key.txt", "s3cret\n");
  Put("link.toml", "rate = \"6 Mbit/s\"\ndelay_ms = 5\n");
  const std::string address = StartIngest("--link link.toml --key-file key.txt --report arrived.csv --save saved");
  const auto ran = Run("uplink --to " + address + " --key-file key.txt --seconds 5" + kSmall);
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("SIMULATED"), HasSubstr("Ingests"), HasSubstr(address + " (simulated)"),
                             HasSubstr("What your stream may send")));
  ExpectValid("uplink");
  EXPECT_TRUE(Json("out/uplink.json").contains("trace"));
  EXPECT_EQ(Json("out/uplink.json")["simulated"], true);
  for (const std::string& text :
       {ran.out, ran.err, Get(path("out/uplink.json")), Get(path("ingest.txt")), Get(path("arrived.csv"))})
    EXPECT_THAT(text, Not(HasSubstr("s3cret")));
  Put("wrong.txt", "wrong\n");
  const auto refused = Run("uplink --to " + address + " --key-file wrong.txt --seconds 5" + kSmall);
  EXPECT_EQ(refused.code, 2);
  EXPECT_THAT(refused.complaint(), HasSubstr("is the stream key right?"));
}

TEST_F(UplinkTest, MeasuresOverSrtByName) {
  Put("key.txt", "s3cret\na long passphrase\n");
  Put("link.toml", "rate = \"4 Mbit/s\"\n");
  StartIngest("--srt 127.0.0.1:0 --link link.toml --key-file key.txt");
  std::string address;
  for (int i = 0; i < 500 && address.empty(); ++i) {
    const std::string said = Get(path("ingest.txt"));
    if (const auto at = said.find("srt://127.0.0.1:"); at != said.npos && said.find('\n', at) != said.npos)
      address = "srt://localhost:" + said.substr(at + 16, said.find('\n', at) - at - 16);
    usleep(10'000);
  }
  const auto ran = Run("uplink --to " + address + " --key-file key.txt --seconds 6" + kSmall);
  EXPECT_EQ(ran.code, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("SIMULATED"), HasSubstr(address + " (simulated)")));
  EXPECT_THAT(ran.out + ran.err + Get(path("out/uplink.json")), Not(HasSubstr("s3cret")));
  EXPECT_THAT(ran.out + ran.err + Get(path("out/uplink.json")), Not(HasSubstr("long passphrase")));
  ExpectValid("uplink");
}

TEST_F(UplinkTest, APlanTakesItsRateFromTheLineAndEndsWithALadder) {
  Put("show.toml",
      "[picture]\nsource_size = \"320x180\"\nframe_rate = \"12\"\nfootage = [\"open-water\"]\n[uplink]\nreadings = "
      "[\"1.2 Mbit/s\", \"1 Mbit/s\"]\n[stream]\nsize = \"320x180\"\nframe_rate = \"12\"\n[require]\nheadroom = "
      "0.05\n");
  const auto ran = Run("plan --show show.toml --footage-seconds 1 --proof-seconds 2 --out out");
  EXPECT_THAT(ran.code, testing::AnyOf(0, 1)) << ran.err;
  ExpectValid("plan");
  const nlohmann::json plan = Json("out/plan.json");
  EXPECT_EQ(plan["line"]["carried_kbps"], 1010);
  EXPECT_EQ(plan["rate_control"]["rate_controls"].size(), 3u);
  const nlohmann::json because = plan["because"];
  const auto rate =
      std::find_if(because.begin(), because.end(), [](const auto& b) { return b["choice"] == "stream.bit_rate"; });
  ASSERT_NE(rate, because.end());
  EXPECT_THAT((*rate)["why"]["text"].get<std::string>(),
              HasSubstr("your uplink carries 1010 kbit/s (the low end of your 2 readings)"));
  EXPECT_GT(std::filesystem::file_size(path("out/line.svg")), 1000u);
  if (ran.code == 0) {
    EXPECT_FALSE(plan["ladder"].empty());
    EXPECT_THAT(ran.out, HasSubstr("If your uplink cannot carry it"));
  }
}

TEST_F(UplinkTest, RefusesInOneLine) {
  Put("backwards.csv", "0,3000\n2,3000\n1,3000\n");
  Put("picky.toml", "name = \"Picky\"\ncodecs = [\"av1\"]\n");
  Put("odd.toml", "name = \"Odd\"\ntranscodes = \"no\"\n");
  Put("keyed.toml", "name = \"Keyed\"\n[[ingest]]\naddress = \"rtmp://127.0.0.1/live/s3cret\"\n");
  for (const auto& [arguments, words] : std::vector<std::pair<std::string, std::string>>{
           {"uplink", "say what the line carries"},
           {"uplink --reading 11.8", "Mbit/s"},
           {"uplink --reading '9 Mbit/s' --link wirless", "wireless"},
           {"uplink --reading '9 Mbit/s' --reserve '0.2 Mbit/s'", "what it is for"},
           {"uplink --reading '9 Mbit/s' --destination quaysid", "quayside"},
           {"uplink --reading '9 Mbit/s' --destination odd.toml", "true or false"},
           {"uplink --reading '9 Mbit/s' --destination keyed.toml", "--key-file"},
           {"uplink --reading '9 Mbit/s' --trace backwards.csv", "not both"},
           {"uplink --trace backwards.csv", "backwards.csv:3"},
           {"uplink --trace none.csv", "no such file"},
           {"uplink --to rtmp://127.0.0.1:1/live --seconds 5", "no connection"},
           {"uplink --to rtmp://pier.invalid/live --seconds 5", "does not resolve"},
           {"uplink --to http://pier.invalid/live", "rtmp://"},
           {"uplink --to rtmp://127.0.0.1/live --key-file none.txt", "no such file"},
           {"uplink --to rtmp://127.0.0.1/live --seconds 1", "--seconds"}}) {
    const auto ran = Run(arguments);
    EXPECT_EQ(ran.code, 2) << arguments << ": " << ran.out << ran.err;
    const std::string complaint = ran.complaint();
    EXPECT_THAT(complaint, AllOf(HasSubstr(words), Not(HasSubstr("s3cret")))) << arguments;
    EXPECT_EQ(std::count(complaint.begin(), complaint.end(), '\n'), 1) << arguments << ": " << ran.err;
  }
}

TEST_F(UplinkTest, TheIngestRefusesInOneLine) {
  Put("bad.toml", "rate = \"3\"\n");
  for (const char* options : {"--listen nowhere", "--listen 127.0.0.1:x", "--link bad.toml", "--link none.toml",
                              "--key-file none.txt", "--certificate bad.toml", "--bogus"}) {
    const std::string command =
        "cd '" + path("").string() + "' && " KETTLE_INGEST " " + options + " >stdout.txt 2>stderr.txt </dev/null";
    EXPECT_EQ(WEXITSTATUS(std::system(command.c_str())), 2) << options;
    const std::string said = Get(path("stderr.txt"));
    EXPECT_EQ(std::count(said.begin(), said.end(), '\n'), 1) << options << ": " << said;
  }
}

}  // namespace
}  // namespace kettle
