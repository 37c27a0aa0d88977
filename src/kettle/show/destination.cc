// SPDX-License-Identifier: Apache-2.0
#include "kettle/show/destination.h"

#include <algorithm>
#include <set>

#include "kettle/rtmp/url.h"
#include "kettle/show/toml_reader.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

constexpr double kAudienceKbps = 5000;  // a rule, where the destination file does not say

std::vector<Destination::Ingest> ReadIngests(const toml::table& table, const std::string& file) {
  std::vector<Destination::Ingest> ingests;
  const toml::array* list = table["ingest"].as_array();
  if (!list) return ingests;
  for (const toml::node& item : *list) {
    if (!item.is_table()) FailInput("{}: ingest: write each as a section [[ingest]] with name and address", file);
    const TomlSection ingest(*item.as_table(), file, "ingest");
    ingest.CheckKeys({"name", "address"});
    const auto address = ingest.Text("address");
    if (!address) ingest.Fail("address", "is missing");
    try {
      IngestUrl::Parse(*address);
    } catch (const Error& error) {
      ingest.Fail("address", error.what());
    }
    ingests.push_back({ingest.Text("name").value_or(*address), *address});
  }
  return ingests;
}

}  // namespace

Recipient TakerOf(const Destination& destination) {
  Recipient recipient{destination.name, destination.video_bit_rate_max};
  recipient.audio = std::min(recipient.audio, destination.audio_bit_rate_max.value_or(recipient.audio));
  if (!destination.transcodes)
    recipient.audience_max = destination.audience_bit_rate.value_or(BitRate::FromKbps(kAudienceKbps));
  return recipient;
}

Destination ReadDestination(const fs::path& file) {
  const toml::table table = ReadToml(file);
  const TomlSection section(table, file.string(), "");
  section.CheckKeys({"name", "video_bit_rate_max", "size_max", "frame_rate_max", "keyframe_seconds", "codecs",
                     "audio_bit_rate_max", "b_frames_max", "sizes", "frame_rates", "transcodes", "audience_bit_rate",
                     "ingest"});
  Destination destination;
  destination.name = section.Text("name").value_or("");
  if (destination.name.empty()) section.Fail("name", "is missing");
  destination.video_bit_rate_max = section.Value("video_bit_rate_max", BitRate::Parse);
  destination.size_max = section.Value("size_max", FrameSize::Parse);
  destination.frame_rate_max = section.Value("frame_rate_max", FrameRate::Parse);
  destination.keyframe_seconds = section.Number("keyframe_seconds", 0.25, 20).value_or(destination.keyframe_seconds);
  if (auto codecs = section.List("codecs"); !codecs.empty()) destination.codecs = codecs;
  for (const std::string& codec : destination.codecs)
    if (std::find(kStreamCodecs.begin(), kStreamCodecs.end(), codec) == kStreamCodecs.end())
      section.Fail("codecs", fmt::format("\"{}\" is not known; a stream is \"h264\", \"hevc\" or \"av1\"", codec));
  destination.audio_bit_rate_max = section.Value("audio_bit_rate_max", BitRate::Parse);
  if (const auto most = section.Number("b_frames_max", 0, 16)) destination.b_frames_max = static_cast<int>(*most);
  destination.sizes = section.Values("sizes", FrameSize::Parse);
  destination.frame_rates = section.Values("frame_rates", FrameRate::Parse);
  if (const auto transcodes = section.Flag("transcodes")) destination.transcodes = *transcodes;
  destination.audience_bit_rate = section.Value("audience_bit_rate", BitRate::Parse);
  if (destination.audience_bit_rate && destination.transcodes)
    section.Fail("audience_bit_rate", "matters only with transcodes = false");
  destination.ingests = ReadIngests(table, file.string());
  if (std::none_of(kStreamCodecs.begin(), kStreamCodecs.end(),
                   [&](const char* codec) { return destination.Accepts(codec); }))
    section.Fail("codecs",
                 "all its ingests are srt://, which carries H.264 or HEVC, no AV1; add one of them, or an "
                 "ingest with rtmp://");
  return destination;
}

bool Destination::Accepts(const std::string& codec) const {
  if (std::find(codecs.begin(), codecs.end(), codec) == codecs.end()) return false;
  return codec != "av1" || !srt_only();
}

bool Destination::srt_only() const {
  const auto is_srt = [](const Ingest& ingest) { return ingest.address.starts_with("srt://"); };
  return !ingests.empty() && std::all_of(ingests.begin(), ingests.end(), is_srt);
}

Destination FindDestination(const std::string& name, const fs::path& show_folder, const fs::path& shipped) {
  if (name.ends_with(".toml")) {
    const fs::path file = fs::path(name).is_absolute() ? fs::path(name) : show_folder / name;
    return ReadDestination(file);
  }
  std::set<std::string> known;
  for (const fs::path& folder : {show_folder / "destinations", shipped}) {
    std::error_code error;
    if (fs::exists(folder / (name + ".toml"), error)) return ReadDestination(folder / (name + ".toml"));
    for (const auto& entry : fs::directory_iterator(folder, error))
      if (entry.path().extension() == ".toml") known.insert(entry.path().stem().string());
  }
  FailInput("there is no destination \"{}\"{}", name, Suggestion(name, {known.begin(), known.end()}));
}

}  // namespace kettle
