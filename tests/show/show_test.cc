// SPDX-License-Identifier: Apache-2.0
#include "kettle/show/show.h"

#include "support.h"

namespace kettle {
namespace {

using test::Complaint;

constexpr const char* kFull = R"(title = "Thursday league"
[picture]
source_size = "1280x720"
frame_rate  = "60"
footage     = ["start-line", "open-water"]
[stream]
size         = "auto"
frame_rate   = "30"
bit_rate     = "4500 kbit/s"
destinations = ["quayside", "mine.toml"]
[recording]
size      = "source"
folder    = "recordings"
container = "matroska"
hours     = 2.5
quality   = "archive"
[uplink]
readings = ["11.8 Mbit/s", "9.9 Mbit/s"]
link     = "wireless"
reserve  = ["game 0.3 Mbit/s", "voice call 0.2 Mbit/s"]
[require]
headroom = 0.3
first = "stream"
)";

class ShowTest : public test::FolderTest {
 protected:
  Show Read(const std::string& text, const ShowOverrides& overrides = {}) {
    Put("mine.toml", "name = \"Mine\"\nvideo_bit_rate_max = \"8 Mbit/s\"\n");
    return ReadShow(Put("show.toml", text), overrides,
                    {std::string(KETTLE_SOURCE) + "/demo/destinations", path("root")});
  }
  // The complaint, without the folder.
  std::string Refused(const std::string& text, const ShowOverrides& overrides = {}) {
    std::string line = Complaint(Fault::kInput, [&] { Read(text, overrides); });
    const std::string folder = path("").string();
    if (const auto at = line.find(folder); at != line.npos) line.erase(at, folder.size());
    return line;
  }
  static std::string With(const std::string& section, const std::string& lines) {
    std::string text = "[picture]\nsource_size = \"640x360\"\nframe_rate = \"30\"\nfootage = [\"start-line\"]\n";
    return section == "picture" ? "[picture]\n" + lines + "\n" : text + "[" + section + "]\n" + lines + "\n";
  }
};

TEST_F(ShowTest, ReadsEverything) {
  std::string full = kFull;
  full.replace(full.find("\"quayside\", "), 12, "");
  const Show show = Read(full);
  EXPECT_EQ(show.title, "Thursday league");
  EXPECT_EQ(show.source_size, (FrameSize{1280, 720}));
  EXPECT_THAT(show.footage, testing::ElementsAre("start-line", "open-water"));
  EXPECT_EQ(show.stream_size, std::nullopt);
  EXPECT_EQ(show.stream_rate, (FrameRate{30, 1}));
  EXPECT_EQ(show.stream_bit_rate, BitRate::FromKbps(4500));
  EXPECT_EQ(show.destinations.at(0).name, "Mine");
  EXPECT_EQ(show.recording_hours, 2.5);
  EXPECT_EQ(show.line.readings.size(), 2u);
  EXPECT_EQ(show.reserve.at(1).first, "voice call");
  EXPECT_EQ(show.reserve.at(1).second, BitRate::FromKbps(200));
  EXPECT_EQ(show.required_headroom, 0.3);
  EXPECT_EQ(show.first, First::kStream);
}

TEST_F(ShowTest, TheShippedShowIsRight) {
  const std::string source = KETTLE_SOURCE;
  const Show show = ReadShow(source + "/demo/saltmarsh.toml", {}, {source + "/demo/destinations", "/"});
  EXPECT_EQ(show.destinations.size(), 2u);
}

TEST_F(ShowTest, OptionsOverrideTheFile) {
  const Show show = Read(With("stream", "bit_rate = \"1 Mbit/s\""), {{"stream-bit-rate", {"2 Mbit/s"}},
                                                                     {"footage", {"open-water"}},
                                                                     {"headroom", {"0.1"}},
                                                                     {"first", {"game"}},
                                                                     {"reading", {"5 Mbit/s", "6 Mbit/s"}},
                                                                     {"title", {"Other"}}});
  EXPECT_EQ(show.stream_bit_rate, BitRate::FromKbps(2000));
  EXPECT_THAT(show.footage, testing::ElementsAre("open-water"));
  EXPECT_EQ(show.required_headroom, 0.1);
  EXPECT_EQ(show.first, First::kGame);
  EXPECT_EQ(show.line.readings.size(), 2u);
  EXPECT_EQ(show.title, "Other");
}

TEST_F(ShowTest, EveryMistakeIsOneLineWithItsPlace) {
  const std::tuple<const char*, const char*, const char*> cases[] = {
      {"stream", "bitrate = \"1 Mbit/s\"", "show.toml:6: stream.bitrate: unknown key; did you mean \"bit_rate\"?"},
      {"strem", "", "show.toml:5: strem: unknown section; did you mean \"stream\"?"},
      {"stream", "bit_rate = \"4500\"", "show.toml:6: stream.bit_rate: \"4500\" has no unit"},
      {"stream", "bit_rate = 4500", "show.toml:6: stream.bit_rate: \"4500\" has no unit"},
      {"stream", "bit_rate = true", "show.toml:6: stream.bit_rate: must be text in quotes"},
      {"stream", "size = \"1280x720\"", "larger than the source's 640x360"},
      {"stream", "frame_rate = \"60\"", "more than the source's 30"},
      {"stream", "bit_rate = \"9 Mbit/s\"\ndestinations = [\"mine.toml\"]",
       "more than Mine accepts; give 8000 kbit/s or less"},
      {"stream", "destinations = [\"quaysid\"]", "did you mean \"quayside\"?"},
      {"stream", "destinations = \"quayside\"", "must be a list"},
      {"stream", "destinations = [7]", "must be a list of texts"},
      {"recording", "container = \"avi\"", "survive a crash"},
      {"recording", "size = \"1280x720\"", "larger than the source's 640x360"},
      {"recording", "size = \"big\"", "recording.size"},
      {"recording", "frame_rate = \"60\"", "more than the source's 30"},
      {"recording", "hours = -1", "must be a number"},
      {"recording", "size = \"big\"", "\"auto\", \"source\", \"stream\", \"none\""},
      {"recording", "keep_last = \"30\"", "write \"30 s\" or \"2 min\""},
      {"recording", "keep_last = \"2 h\"", "from 1 s to 10 min"},
      {"recording", "plays = \"everywhere\"", "\"anywhere\" (H.264) or is \"modern\""},
      {"recording", "plays = \"modern\"\ncontainer = \"mp4\"", "many editors refuse in mp4"},
      {"recording", "encoder = \"x266\"", "did you mean"},
      {"recording", "encoder = \"vp9\"\ncontainer = \"mp4\"", "mp4 does not hold; use container = \"matroska\""},
      {"recording", "encoder = \"x265\"\nplays = \"anywhere\"", "does not play anywhere"},
      {"recording", "encoder = \"x265\"\nsize = \"stream\"", "leave one of them out"},
      {"recording", "quality = \"best\"", "give \"archive\" (80 of 100)"},
      {"recording", "quality = \"99\"", "from \"30\" to \"95\""},
      {"recording", "quality = \"archive\"\nbit_rate = \"9 Mbit/s\"", "not both"},
      {"uplink", "readings = [\"9.9\"]", "has no unit"},
      {"uplink", "link = \"wirelss\"", "did you mean \"wireless\"?"},
      {"uplink", "reserve = [\"0.3 Mbit/s\"]", "what it is for"},
      {"load", "profile = \"x.json\"", "load capture writes a load profile"},
      {"require", "headroom = 2", "from 0 to 0.9"},
      {"require", "first = \"recording\"", "require.first: \"recording\" is not known; give \"game\" or \"stream\""},
      {"require", "favour = \"viewers\"", "what matters more is \"stream\", \"recording\" or \"balance\""},
      {"require", "stream_gives = -1", "from 0 to 100"},
      {"picture", "footage = [\"start-lin\"]", "did you mean \"start-line\"?"},
      {"picture", "footage = [\"clips/none.mkv\"]", "no such file"},
      {"picture", "footage = []", "picture.footage: is missing"},
      {"picture", "footage = [\"start-line\"]", "picture.source_size: is missing"},
      {"picture", "footage = [\"start-line\"]\nsource_size = \"display\"\nframe_rate = \"60\"",
       "no display is connected"},
      {"picture", "footage = [\"start-line\"]\nsource_size = \"0x0\"\nframe_rate = \"60\"", "each side must be"},
      {"picture", "footage = [\"start-line\"]\nsource_size = \"641x360\"\nframe_rate = \"60\"", "must be even"},
      {"picture", "footage = [\"start-line\"]\nsource_size = \"640x360\"\nframe_rate = \"0\"", "is out of range"}};
  for (const auto& [section, lines, expected] : cases)
    EXPECT_THAT(Refused(With(section, lines)), testing::HasSubstr(expected)) << lines;
  EXPECT_THAT(Refused("[picture\n"), testing::HasSubstr("show.toml:1: not TOML"));
}

TEST_F(ShowTest, WhatTheRecordingIsMayBeLeftOpen) {
  const Show open = Read(With("recording", "size = \"auto\"\nframe_rate = \"auto\""));
  EXPECT_FALSE(open.recording_size);
  EXPECT_FALSE(open.recording_rate);
  EXPECT_FALSE(open.recording_is_stream);
  EXPECT_FALSE(Read(With("recording", "")).recording_size) << "left out is the same";
  const Show source = Read(With("recording", "size = \"source\"\nframe_rate = \"source\""));
  EXPECT_EQ(source.recording_size, source.source_size);
  EXPECT_EQ(source.recording_rate, source.source_rate);
  const Show none = Read(With("recording", "size = \"none\"\nkeep_last = \"1.5 min\""));
  EXPECT_TRUE(none.recording_is_none);
  EXPECT_EQ(none.recording_container, "none");
  EXPECT_EQ(none.keep_last_seconds, 90);
  const Show modern = Read(With("recording", "plays = \"modern\"\nencoder = \"x265\""));
  EXPECT_EQ(modern.recording_plays, Plays::kModern);
  EXPECT_EQ(modern.recording_encoder, "x265");
  EXPECT_EQ(Read(With("recording", "encoder = \"x265\"\ncontainer = \"mp4\"")).recording_encoder, "x265")
      << "asked for by name, it needs no plays";
  const Show stream = Read(With("recording", "size = \"stream\""));
  EXPECT_TRUE(stream.recording_is_stream);
  const Show favouring = Read(With("require", "favour = \"balance\"\nstream_gives = 4"));
  EXPECT_EQ(favouring.favour, Favour::kBalance);
  EXPECT_EQ(favouring.stream_gives, 4);
}

TEST_F(ShowTest, AMistakeInAnOptionNamesTheOption) {
  EXPECT_THAT(Refused(With("stream", ""), {{"stream-bit-rate", {"4500"}}}), testing::StartsWith("--stream-bit-rate: "));
  EXPECT_THAT(Refused(With("stream", ""), {{"headroom", {"much"}}}), testing::StartsWith("--headroom: "));
}

TEST_F(ShowTest, ADestinationFileIsCheckedToo) {
  Put("bad.toml", "name = \"Bad\"\nvideo_bit_rate = \"8 Mbit/s\"\n");
  EXPECT_THAT(Refused(With("stream", "destinations = [\"bad.toml\"]")),
              testing::HasSubstr("bad.toml:2: video_bit_rate: unknown key"));
}

TEST_F(ShowTest, TheDisplayGivesTheSize) {
  Put("root/sys/class/drm/card0-DP-1/status", "connected\n");
  Put("root/sys/class/drm/card0-DP-1/modes", "1920x1080\n");
  EXPECT_EQ(Read(With("picture", "footage = [\"start-line\"]\nsource_size = \"display\"\nframe_rate = 60")).source_size,
            (FrameSize{1920, 1080}));
}

// It was once relative to wherever the program was started.
TEST_F(ShowTest, TheRecordingFolderIsRelativeToTheShow) {
  const auto folder = [&](const std::string& text, const ShowOverrides& overrides = {}) {
    return Read(With("recording", text), overrides).recording_folder;
  };
  EXPECT_EQ(folder("folder = \"videos\""), path("videos"));
  EXPECT_EQ(folder(""), path("recordings"));
  EXPECT_EQ(folder("folder = \"/videos\""), "/videos");
  EXPECT_EQ(folder("folder = \"videos\"", {{"recording-folder", {"here"}}}), "here");
  EXPECT_FALSE(Read(With("recording", "folder = \"videos\"")).recording_folder_exists) << "it may come later";
  EXPECT_TRUE(Read(With("recording", "folder = \"/videos\"")).recording_folder_exists);
}

TEST_F(ShowTest, AnOptionStandsInForTheFilesOtherWayToAskForTheRecording) {
  const std::string file = With("recording", "quality = \"archive\"");
  const Show by_rate = Read(file, {{"recording-bit-rate", {"9 Mbit/s"}}});
  EXPECT_EQ(by_rate.recording_bit_rate->kbps(), 9000);
  EXPECT_FALSE(by_rate.recording_score) << "the file's quality gives way";
  const Show by_quality = Read(file, {{"recording-quality", {"70"}}});
  EXPECT_EQ(by_quality.recording_score, 70);
  EXPECT_THAT(Refused(file, {{"recording-bit-rate", {"9 Mbit/s"}}, {"recording-quality", {"70"}}}),
              testing::HasSubstr("not both"));
}

}  // namespace
}  // namespace kettle
