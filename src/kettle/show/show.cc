// SPDX-License-Identifier: Apache-2.0
#include "kettle/show/show.h"

#include <algorithm>
#include <cstdio>

#include "kettle/encoders/catalogue.h"
#include "kettle/footage/cache.h"
#include "kettle/footage/scene.h"
#include "kettle/machine/machine.h"
#include "kettle/show/toml_reader.h"
#include "kettle/units/suggestion.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

std::string FullKey(const ShowKey& key) { return key.section.empty() ? key.key : key.section + "." + key.key; }

// Puts the options' values into the file's table, as if they stood there; returns the option of each.
std::map<std::string, std::string> Apply(const ShowOverrides& overrides, toml::table& table) {
  std::map<std::string, std::string> options;
  for (const ShowKey& key : ShowKeys()) {
    const auto given = overrides.find(key.option);
    if (given == overrides.end() || given->second.empty()) continue;
    toml::table* section = &table;
    if (!key.section.empty()) {
      section = table[key.section].as_table();
      if (!section) {
        table.insert_or_assign(key.section, toml::table{});
        section = table[key.section].as_table();
      }
    }
    const std::string& first = given->second.front();
    if (key.kind == ShowKey::Kind::kText) {
      section->insert_or_assign(key.key, first);
    } else if (key.kind == ShowKey::Kind::kNumber) {
      char* end = nullptr;
      const double number = std::strtod(first.c_str(), &end);
      if (first.empty() || *end != 0) FailInput("--{}: \"{}\" is not a number", key.option, first);
      section->insert_or_assign(key.key, number);
    } else {
      toml::array list;
      for (const std::string& item : given->second) list.push_back(item);
      section->insert_or_assign(key.key, std::move(list));
    }
    options[FullKey(key)] = key.option;
  }
  return options;
}

constexpr double kArchive = 80;  // between high quality (70) and no difference seen (90)

// "archive", or how the recording shall look, of 100: "70".
double ParseRecordingQuality(const std::string& text) {
  if (text == "archive") return kArchive;
  double score = 0;
  char rest = 0;
  if (std::sscanf(text.c_str(), "%lf%c", &score, &rest) == 1 && score >= 30 && score <= 95) return score;
  FailInput("\"{}\" is not known; give \"archive\" ({:g} of 100), a number from \"30\" to \"95\", or bit_rate", text,
            kArchive);
}

// "30 s".
double ParseKeepLast(const std::string& text) {
  double seconds = 0;
  char unit[4] = "";
  if (std::sscanf(text.c_str(), "%lf %3s", &seconds, unit) == 2) {
    const std::string given = unit;
    const double all = given == "s" ? seconds : given == "min" ? seconds * 60 : 0;
    if (all >= 1 && all <= 600) return all;
  }
  FailInput("\"{}\" is no length; write \"30 s\" or \"2 min\", from 1 s to 10 min", text);
}

class ShowReader {
 public:
  ShowReader(const fs::path& file, const ShowOverrides& overrides, const ShowPlaces& places)
      : file_(file),
        folder_(file.parent_path()),
        places_(places),
        table_(file.empty() ? toml::table() : ReadToml(file)) {
    options_ = Apply(overrides, table_);
    options_from_cwd_ = overrides.contains("footage");
  }

  Show Read() {
    CheckStructure();
    Show show;
    ReadFootage(show);
    const fs::path named = file_.empty() ? fs::path(show.footage.front()) : file_;
    show.title = Section("").Text("title").value_or(named.stem().string());
    ReadPicture(show);
    ReadStream(show);
    ReadRecording(show);
    ReadUplink(show);
    ReadLoad(show);
    show.required_headroom = Section("require").Number("headroom", 0, 0.9).value_or(show.required_headroom);
    show.first = Section("require").Value("first", ParseFirst).value_or(show.first);
    show.game_gives = Section("require").Number("game_gives", 0, 100).value_or(show.game_gives * 100) / 100;
    show.favour = Section("require").Value("favour", ParseFavour).value_or(show.favour);
    show.stream_gives = Section("require").Number("stream_gives", 0, 100).value_or(show.stream_gives);
    return show;
  }

 private:
  TomlSection Section(const std::string& name) const {
    static const toml::table empty;
    const toml::table* table = name.empty() ? &table_ : table_[name].as_table();
    return {table ? *table : empty, file_.string(), name, options_};
  }

  void CheckStructure() const {
    std::map<std::string, std::vector<std::string>> known;
    for (const ShowKey& key : ShowKeys()) known[key.section].push_back(key.key);
    std::vector<std::string> top = known[""];
    for (const auto& [section, keys] : known)
      if (!section.empty()) top.push_back(section);
    Section("").CheckKeys(top);
    for (const auto& [section, keys] : known) {
      if (section.empty()) continue;
      if (table_.contains(section) && !table_[section].is_table())
        Section("").Fail(section, "must be a section: [" + section + "]");
      Section(section).CheckKeys(keys);
    }
  }

  void ReadFootage(Show& show) const {
    const TomlSection picture = Section("picture");
    for (const std::string& item : picture.List("footage")) {
      if (IsScene(item)) {
        show.footage.push_back(item);
        continue;
      }
      const bool looks_like_file = item.find_first_of("/.") != item.npos;
      const fs::path path = fs::path(item).is_absolute() || options_from_cwd_ ? fs::path(item) : folder_ / item;
      if (!looks_like_file && !IsThere(path)) {
        std::vector<std::string> names;
        for (const SceneInfo& scene : Scenes()) names.push_back(scene.name);
        picture.Fail("footage", fmt::format("there is no scene \"{}\"{}", item, Suggestion(item, names)));
      }
      if (!IsThere(path)) picture.Fail("footage", fmt::format("{}: no such file", path.string()));
      show.footage.push_back(path.string());
    }
    if (show.footage.empty())
      picture.Fail("footage", "is missing: name a scene (\"start-line\") or give a clip of your game");
  }

  void ReadPicture(Show& show) const {
    const TomlSection picture = Section("picture");
    const auto clip =
        std::find_if(show.footage.begin(), show.footage.end(), [](const auto& item) { return !IsScene(item); });
    const auto info = clip == show.footage.end() ? std::nullopt : std::optional(InspectClip(*clip));
    const auto size = picture.Value("source_size", [&](const std::string& text) {
      if (text != "display") return FrameSize::Parse(text);
      const auto display = DisplaySize(places_.root);
      if (!display) FailInput("no display is connected; write the size as \"1280x720\"");
      return *display;
    });
    const auto rate = picture.Value("frame_rate", FrameRate::Parse);
    if (!size && !info) picture.Fail("source_size", "is missing: the size your capture has, as \"1280x720\"");
    if (!rate && !info) picture.Fail("frame_rate", "is missing: the frame rate of your capture, as \"60\"");
    show.source_size = size ? *size : info->size;
    show.source_rate = rate ? *rate : info->rate;
  }

  void ReadStream(Show& show) const {
    const TomlSection stream = Section("stream");
    for (const std::string& name : stream.List("destinations")) try {
        show.destinations.push_back(FindDestination(name, folder_, places_.destinations));
      } catch (const Error& error) {
        if (name.ends_with(".toml")) throw;
        stream.Fail("destinations", error.what());
      }
    if (stream.Text("size") != "auto") show.stream_size = stream.Value("size", FrameSize::Parse);
    if (stream.Text("frame_rate") != "auto") show.stream_rate = stream.Value("frame_rate", FrameRate::Parse);
    show.stream_bit_rate = stream.Value("bit_rate", BitRate::Parse);
    show.stream_encoder = stream.Value("encoder", [](const std::string& name) { return FindFamily(name).name; });
    show.stream_device = stream.Text("device").value_or("");
    if (const auto encodes = stream.Text("encodes"); encodes == "one")
      show.one_encode_for_all = true;
    else if (encodes && encodes != "auto")
      stream.Fail("encodes", fmt::format("\"{}\" is not known; say \"auto\" or \"one\"", *encodes));
    show.viewing_size = stream.Value("viewing_size", FrameSize::Parse);
    if (show.viewing_size &&
        (show.viewing_size->width > show.source_size.width || show.viewing_size->height > show.source_size.height))
      stream.Fail("viewing_size", fmt::format("{} is larger than the source's {}: there is nothing to compare with",
                                              show.viewing_size->str(), show.source_size.str()));
    if (show.stream_size &&
        (show.stream_size->width > show.source_size.width || show.stream_size->height > show.source_size.height))
      stream.Fail("size", fmt::format("{} is larger than the source's {}; enlarging adds no detail",
                                      show.stream_size->str(), show.source_size.str()));
    if (show.stream_rate && show.stream_rate->fps() > show.source_rate.fps() + 1e-9)
      stream.Fail("frame_rate",
                  fmt::format("{} is more than the source's {}", show.stream_rate->str(), show.source_rate.str()));
    for (const Destination& destination : show.destinations) CheckLimits(stream, show, destination);
  }

  static void CheckLimits(const TomlSection& stream, const Show& show, const Destination& to) {
    if (show.stream_bit_rate && to.video_bit_rate_max && *show.stream_bit_rate > *to.video_bit_rate_max)
      stream.Fail("bit_rate", fmt::format("{} is more than {} accepts; give {} or less", show.stream_bit_rate->str(),
                                          to.name, to.video_bit_rate_max->str()));
    if (show.stream_size && to.size_max &&
        (show.stream_size->width > to.size_max->width || show.stream_size->height > to.size_max->height))
      stream.Fail("size", fmt::format("{} is larger than {} accepts; give {} or less", show.stream_size->str(), to.name,
                                      to.size_max->str()));
    if (show.stream_rate && to.frame_rate_max && show.stream_rate->fps() > to.frame_rate_max->fps() + 1e-9)
      stream.Fail("frame_rate", fmt::format("{} is more than {} accepts; give {} or less", show.stream_rate->str(),
                                            to.name, to.frame_rate_max->str()));
  }

  // Not set: "auto", or left out.
  template <typename Item>
  static std::optional<Item> AutoOrSource(const TomlSection& section, const std::string& key, Item source) {
    const auto text = section.Text(key);
    if (text == "auto") return std::nullopt;
    if (text == "source") return source;
    try {
      return section.Value(key, Item::Parse);
    } catch (const Error& error) {
      throw Error(Fault::kInput, fmt::format("{}; or \"auto\", \"source\"{}", error.what(),
                                             key == "size" ? ", \"stream\", \"none\"" : ""));
    }
  }

  void ReadRecording(Show& show) const {
    const TomlSection recording = Section("recording");
    show.recording_is_none = recording.Text("size") == "none";
    show.recording_is_stream = show.recording_is_none || recording.Text("size") == "stream";
    if (!show.recording_is_stream) show.recording_size = AutoOrSource<FrameSize>(recording, "size", show.source_size);
    show.recording_rate = AutoOrSource<FrameRate>(recording, "frame_rate", show.source_rate);
    if (show.recording_size &&
        (show.recording_size->width > show.source_size.width || show.recording_size->height > show.source_size.height))
      recording.Fail("size", fmt::format("{} is larger than the source's {}; enlarging adds no detail",
                                         show.recording_size->str(), show.source_size.str()));
    if (show.recording_rate && show.recording_rate->fps() > show.source_rate.fps() + 1e-9)
      recording.Fail("frame_rate", fmt::format("{} is more than the source's {}", show.recording_rate->str(),
                                               show.source_rate.str()));
    show.recording_bit_rate = recording.Value("bit_rate", BitRate::Parse);
    ReadRecordingCodec(recording, show);
    const auto quality = recording.Value("quality", ParseRecordingQuality);
    // An option stands in for what the file says, also of the other key.
    const bool rate_asked = options_.contains("recording.bit_rate"),
               quality_asked = options_.contains("recording.quality");
    if (quality && show.recording_bit_rate && rate_asked == quality_asked)
      recording.Fail("quality", "give quality or bit_rate, not both");
    if (quality_asked) show.recording_bit_rate.reset();
    if (!show.recording_bit_rate) show.recording_score = quality.value_or(kArchive);
    if (show.recording_is_none) show.recording_container = "none";
    show.keep_last_seconds = recording.Value("keep_last", ParseKeepLast).value_or(0);
    const fs::path folder = recording.Text("folder").value_or("recordings");
    const bool from_option = options_.contains("recording.folder");
    show.recording_folder_exists = from_option || folder.is_absolute();
    show.recording_folder = show.recording_folder_exists ? folder : folder_ / folder;
    show.recording_hours = recording.Number("hours", 0.01, 1000).value_or(show.recording_hours);
  }

  static void ReadRecordingCodec(const TomlSection& recording, Show& show) {
    show.recording_container = recording.Text("container").value_or(show.recording_container);
    const std::string& container = show.recording_container;
    const std::vector<std::string> held = CodecsHeldBy(container);
    if (held.empty())
      recording.Fail("container", fmt::format("there is no container \"{}\"; use matroska or fragmented-mp4, which "
                                              "survive a crash, or mp4, which does not",
                                              container));
    const auto plays = recording.Value("plays", ParsePlays);
    show.recording_plays = plays.value_or(show.recording_plays);
    if (plays == Plays::kModern && container != "matroska")
      recording.Fail("plays", fmt::format("\"modern\" may give HEVC or AV1, which many editors refuse in {}; use "
                                          "container = \"matroska\", or plays = \"anywhere\"",
                                          container));
    show.recording_device = recording.Text("device").value_or("");
    if (!show.recording_device.empty() && show.recording_is_stream)
      recording.Fail("device", "the stream's own encode is recorded; leave it out");
    show.recording_encoder = recording.Value("encoder", [](const std::string& name) { return FindFamily(name).name; });
    if (!show.recording_encoder) return;
    const std::string& codec = FindFamily(*show.recording_encoder).codec;
    if (std::find(held.begin(), held.end(), codec) == held.end())
      recording.Fail("encoder", fmt::format("{} makes {}, which {} does not hold; use container = \"matroska\"",
                                            *show.recording_encoder, codec, container));
    if (plays == Plays::kAnywhere && codec != "h264")
      recording.Fail("encoder", fmt::format("{} makes {}, which does not play anywhere; leave plays out, or write "
                                            "\"modern\"",
                                            *show.recording_encoder, codec));
    if (show.recording_is_stream)
      recording.Fail("encoder", "size = \"stream\" records the stream's own encode; leave one of them out");
  }

  void ReadUplink(Show& show) const {
    const TomlSection uplink = Section("uplink");
    show.line.readings = uplink.Values("readings", BitRate::Parse);
    show.reserve = uplink.Values("reserve", ParseReserve);
    if (const auto link = uplink.Value("link", ParseLink)) show.line.kind = *link;
    const auto trace = uplink.Text("trace");
    if (!trace) return;
    if (!show.line.readings.empty()) uplink.Fail("trace", "give readings or a trace, not both");
    const bool from_option = options_.contains("uplink.trace");
    const fs::path path = from_option || fs::path(*trace).is_absolute() ? fs::path(*trace) : folder_ / *trace;
    show.line.trace = LineTrace::Read(path);
  }

  void ReadLoad(Show& show) const {
    const TomlSection load = Section("load");
    const auto profile = load.Text("profile");
    if (!profile) return;
    const bool as_given = options_.contains("load.profile") || *profile == "live" || fs::path(*profile).is_absolute();
    show.load = as_given ? *profile : (folder_ / *profile).string();
    if (*profile != "live" && !IsThere(show.load))
      load.Fail("profile",
                fmt::format("there is no \"{}\"; fast-kettle load capture writes a load profile", show.load));
  }

  fs::path file_, folder_;
  ShowPlaces places_;
  toml::table table_;
  std::map<std::string, std::string> options_;
  bool options_from_cwd_ = false;
};

}  // namespace

const char* Name(Favour favour) {
  switch (favour) {
    case Favour::kStream: return "stream";
    case Favour::kRecording: return "recording";
    case Favour::kBalance: return "balance";
  }
  return "";
}

Favour ParseFavour(const std::string& text) {
  for (const Favour favour : {Favour::kStream, Favour::kRecording, Favour::kBalance})
    if (text == Name(favour)) return favour;
  FailInput("\"{}\" is not known; what matters more is \"stream\", \"recording\" or \"balance\"", text);
}

const char* Name(Plays plays) { return plays == Plays::kAnywhere ? "anywhere" : "modern"; }

Plays ParsePlays(const std::string& text) {
  for (const Plays plays : {Plays::kAnywhere, Plays::kModern})
    if (text == Name(plays)) return plays;
  FailInput("\"{}\" is not known; a recording plays \"anywhere\" (H.264) or is \"modern\" (HEVC or AV1 too)", text);
}

std::vector<std::string> CodecsHeldBy(const std::string& container) {
  if (container == "matroska") return {"h264", "hevc", "av1", "vp9"};
  if (container == "mp4" || container == "fragmented-mp4") return {"h264", "hevc", "av1"};
  return {};
}

std::vector<Recipient> Recipients(const Show& show) {
  std::vector<Recipient> recipients;
  for (const Destination& to : show.destinations) recipients.push_back(TakerOf(to));
  return recipients;
}

Show ReadShow(const fs::path& file, const ShowOverrides& overrides, const ShowPlaces& places) {
  return ShowReader(file, overrides, places).Read();
}

}  // namespace kettle
