// SPDX-License-Identifier: Apache-2.0
#include "kettle/encoders/library_options.h"

extern "C" {
#include <libavcodec/avcodec.h>
}

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

using Named = std::vector<std::pair<std::string, std::string>>;

// A library that libavcodec hands "name=value:name=value" on to, and how its other options are called there.
struct Library {
  const char* title;
  const char* encoder;                         // libavcodec's name of it
  const char* params;                          // the option that hands on
  std::map<std::string, std::string> renamed;  // from libavcodec's name; an empty one: says nothing to the library
  const char *average, *maximum, *buffer;      // kbit/s, kbit/s, kbit or ms
  bool buffer_in_ms;
  Named always, with_average, with_buffer;  // what libavcodec sets besides
};

// Until its version 60 libavcodec sets the hierarchy of predictions, whatever the preset; later ones leave it alone.
Named SvtAv1Always() {
  Named always{
      {"color-primaries", "1"}, {"transfer-characteristics", "1"}, {"matrix-coefficients", "1"}, {"color-range", "0"}};
  if (LIBAVCODEC_VERSION_MAJOR < 60) always.emplace_back("hierarchical-levels", "4");
  return always;
}

const Library kLibraries[] = {
    {"x264",
     "libx264",
     "x264-params",
     {{"sc_threshold", "scenecut"}, {"bf", "bframes"}, {"forced-idr", ""}},
     "bitrate",
     "vbv-maxrate",
     "vbv-bufsize",
     false,
     {{"colorprim", "bt709"}, {"transfer", "bt709"}, {"colormatrix", "bt709"}, {"range", "tv"}},
     {},
     {}},
    {"x265",
     "libx265",
     "x265-params",
     {{"forced-idr", ""}, {"log-level", ""}},
     "bitrate",
     "vbv-maxrate",
     "vbv-bufsize",
     false,
     {{"colorprim", "bt709"}, {"transfer", "bt709"}, {"colormatrix", "bt709"}, {"range", "limited"}},
     {},
     {{"vbv-init", "0.75"}}},  // how full libavcodec starts the buffer
    {"SVT-AV1",
     "libsvtav1",
     "svtav1-params",
     {},
     "tbr",
     "mbr",
     "buf-sz",
     true,
     SvtAv1Always(),
     {{"rc", "1"}, {"min-qp", "1"}, {"max-qp", "63"}},
     {}}};

const Library* LibraryOf(const EncoderConfig& config) {
  for (const Library& library : kLibraries)
    if (config.library_name == library.encoder) return &library;
  return nullptr;
}

// "a=1:b=2" as options.
Named Split(const std::string& params) {
  Named options;
  for (std::size_t from = 0; from < params.size();) {
    const std::size_t to = std::min(params.find(':', from), params.size());
    const std::size_t equals = params.find('=', from);
    options.emplace_back(params.substr(from, equals - from), params.substr(equals + 1, to - equals - 1));
    from = to + 1;
  }
  return options;
}

class Translation {
 public:
  Translation(const EncodeSettings& settings, const Library& library)
      : family_(FindFamily(settings.encoder)), config_(ConfigFor(settings)), library_(library) {}

  Named Options() {
    Add(family_.preset_option, config_.options.at(family_.preset_option));
    if (const auto profile = config_.options.find("profile"); profile != config_.options.end())
      Add(profile->first, profile->second);
    AddRates();
    if (config_.keyframe_frames > 0) Add("keyint", std::to_string(config_.keyframe_frames));
    for (const auto& [name, value] : config_.options)
      if (name == library_.params)
        for (const auto& [own, own_value] : Split(value)) Add(own, own_value);
      else
        Add(name, value);
    for (const auto& [name, value] : library_.always) Add(name, value);
    return std::move(options_);
  }

 private:
  // The first of a name counts.
  void Add(const std::string& name, const std::string& value) {
    const auto renamed = library_.renamed.find(name);
    const std::string& own = renamed == library_.renamed.end() ? name : renamed->second;
    if (!own.empty() && std::none_of(options_.begin(), options_.end(), [&](const auto& o) { return o.first == own; }))
      options_.emplace_back(own, value);
  }

  void AddRates() {
    const auto kilo = [](std::int64_t bits) { return fmt::format("{}", bits / 1000); };
    if (config_.bit_rate > 0) {
      const auto params = config_.options.find(library_.params);
      const Named own = params == config_.options.end() ? Named{} : Split(params->second);
      const bool ruled = std::any_of(own.begin(), own.end(), [](const auto& option) { return option.first == "rc"; });
      for (const auto& [name, value] : library_.with_average)
        if (name != "rc" || !ruled) Add(name, value);
      Add(library_.average, kilo(config_.bit_rate));
    }
    if (config_.maximum_bit_rate > 0) Add(library_.maximum, kilo(config_.maximum_bit_rate));
    if (config_.buffer_bits <= 0) return;
    const std::int64_t rate = std::max(config_.bit_rate, config_.maximum_bit_rate);
    Add(library_.buffer, library_.buffer_in_ms
                             ? fmt::format("{}", config_.buffer_bits * 1000 / std::max<std::int64_t>(1, rate))
                             : kilo(config_.buffer_bits));
    for (const auto& [name, value] : library_.with_buffer) Add(name, value);
  }

  const EncoderFamily& family_;
  const EncoderConfig config_;
  const Library& library_;
  Named options_;
};

// libavcodec's own names: those of every encoder, then those of this one.
Named OptionsOfLibav(const EncodeSettings& settings) {
  const EncoderConfig config = ConfigFor(settings);
  const EncoderFamily& family = FindFamily(settings.encoder);
  Named options{{family.preset_option, config.options.at(family.preset_option)}};
  if (config.bit_rate > 0) options.emplace_back("b", fmt::format("{}", config.bit_rate));
  if (config.maximum_bit_rate > 0) options.emplace_back("maxrate", fmt::format("{}", config.maximum_bit_rate));
  if (config.buffer_bits > 0) options.emplace_back("bufsize", fmt::format("{}", config.buffer_bits));
  if (config.keyframe_frames > 0) options.emplace_back("g", fmt::format("{}", config.keyframe_frames));
  for (const auto& [name, value] : config.options)
    if (std::none_of(options.begin(), options.end(), [&, &n = name](const auto& o) { return o.first == n; }))
      options.emplace_back(name, value);
  for (const char* name : {"color_primaries", "color_trc", "colorspace"}) options.emplace_back(name, "bt709");
  options.emplace_back("color_range", "tv");
  return options;
}

}  // namespace

LibraryOptions OptionsOfLibrary(const EncodeSettings& settings) {
  const EncoderConfig config = ConfigFor(settings);
  if (const Library* library = LibraryOf(config)) return {library->title, Translation(settings, *library).Options()};
  return {"libavcodec " + config.library_name, OptionsOfLibav(settings)};
}

}  // namespace kettle
