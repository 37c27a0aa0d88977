// SPDX-License-Identifier: Apache-2.0
#include "kettle/planning/destination.h"

#include <set>

#include "kettle/planning/toml_reader.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace fs = std::filesystem;

Destination ReadDestination(const fs::path& file) {
  const toml::table table = ReadToml(file);
  const TomlSection section(table, file.string(), "");
  section.CheckKeys({"name", "video_bit_rate_max", "size_max", "frame_rate_max", "keyframe_seconds", "codecs"});
  Destination destination;
  destination.name = section.Text("name").value_or("");
  if (destination.name.empty()) section.Fail("name", "is missing");
  destination.video_bit_rate_max = section.Value("video_bit_rate_max", BitRate::Parse);
  destination.size_max = section.Value("size_max", FrameSize::Parse);
  destination.frame_rate_max = section.Value("frame_rate_max", FrameRate::Parse);
  destination.keyframe_seconds = section.Number("keyframe_seconds", 0.25, 20).value_or(destination.keyframe_seconds);
  if (auto codecs = section.List("codecs"); !codecs.empty()) destination.codecs = codecs;
  return destination;
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
