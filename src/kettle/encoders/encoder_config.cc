// SPDX-License-Identifier: Apache-2.0
// From abstract settings to what a library is opened with.
#include <algorithm>
#include <cmath>
#include <functional>

#include "kettle/device/graphics.h"
#include "kettle/device/nvidia.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace {

// "; x264, x265 can": the other families of which `can` is true, or "; no encoder here can".
std::string WhoCan(const std::function<bool(const EncoderFamily&)>& can) {
  std::vector<std::string> names;
  for (const EncoderFamily& family : Catalogue())
    if (can(family)) names.push_back(family.name);
  return names.empty() ? "; no encoder can" : fmt::format("; {} can", fmt::join(names, ", "));
}

std::string Replaced(std::string text, const std::string& what, const std::string& with) {
  if (const auto at = text.find(what); at != text.npos) text.replace(at, what.size(), with);
  return text;
}

AVPixelFormat PixelFormat(const EncodeSettings& settings, Interface interface) {
  const bool deep = settings.bit_depth == 10;
  if (settings.chroma == Chroma::k444) return deep ? AV_PIX_FMT_YUV444P10LE : AV_PIX_FMT_YUV444P;
  if (interface == Interface::kProcessor) return deep ? AV_PIX_FMT_YUV420P10LE : AV_PIX_FMT_YUV420P;
  if (interface == Interface::kNvenc) return deep ? AV_PIX_FMT_P010LE : AV_PIX_FMT_YUV420P;
  return deep ? AV_PIX_FMT_P010LE : AV_PIX_FMT_NV12;
}

class Mapper {
 public:
  explicit Mapper(const EncodeSettings& settings) : settings_(settings), family_(FindFamily(settings.encoder)) {}

  EncoderConfig Map() {
    CheckPreset();
    config_.library_name = family_.library_name;
    config_.size = settings_.size;
    config_.rate = settings_.frame_rate;
    if (family_.name == DiscardingEncoder().name) return config_;
    if (settings_.size.width > family_.largest.width || settings_.size.height > family_.largest.height)
      FailInput("{} is larger than {} takes: at most {}", settings_.size.str(), family_.name, family_.largest.str());
    config_.keyframe_frames = static_cast<int>(std::lround(settings_.keyframe_seconds * settings_.frame_rate.fps()));
    for (const auto& [name, value] : family_.options) Set(name, value);
    Set(family_.preset_option, settings_.preset);
    MapProfile();
    MapRates();
    MapFeature(Feature::kBFrames, settings_.b_frames);
    MapFeature(Feature::kLookAhead, settings_.look_ahead_frames);
    MapFeature(Feature::kAdaptiveQuantisation, settings_.adaptive_quantisation);
    MapFeature(Feature::kPsychovisual, settings_.psychovisual);
    MapFeature(Feature::kMultiPass, settings_.multi_pass);
    MapDevice();
    return std::move(config_);
  }

 private:
  void CheckPreset() const {
    const auto& presets = family_.presets;
    if (std::find(presets.begin(), presets.end(), settings_.preset) == presets.end())
      FailInput("{} has no preset \"{}\"{}", family_.name, settings_.preset, Suggestion(settings_.preset, presets));
  }

  void Set(const std::string& name, const std::string& value) {
    const auto colon = name.find(':');
    if (colon == name.npos) {
      config_.options[name] = value;
      return;
    }
    std::string& joined = config_.options[name.substr(0, colon)];
    joined += (joined.empty() ? "" : ":") + name.substr(colon + 1) + "=" + value;
  }

  void Set(const Options& options, int value) {
    for (const auto& [name, text] : options)
      Set(name, Replaced(Replaced(Replaced(text, "{}", std::to_string(value)), "{maximum}",
                                  std::to_string(settings_.maximum_bit_rate.bits_per_second)),
                         "{overshoot}", std::to_string(OvershootPercent())));
  }

  // 0 to 100: what the library that asks for it takes.
  long OvershootPercent() const {
    const auto average = static_cast<double>(std::max<std::int64_t>(1, settings_.bit_rate.bits_per_second));
    const auto maximum = static_cast<double>(settings_.maximum_bit_rate.bits_per_second);
    return std::clamp(std::lround((maximum / average - 1) * 100), 0L, 100L);
  }

  bool Fits(const Profile& profile) const {
    return profile.bit_depth == settings_.bit_depth && profile.chroma == settings_.chroma &&
           (settings_.profile.empty() || settings_.profile == profile.name);
  }

  void MapProfile() {
    config_.pixel_format = PixelFormat(settings_, family_.interface);
    const auto& profiles = family_.profiles;
    const auto found = std::find_if(profiles.begin(), profiles.end(), [&](const Profile& p) { return Fits(p); });
    if (found != profiles.end()) {
      if (!family_.profile_option.empty()) Set(family_.profile_option, found->name);
      return;
    }
    const auto named =
        std::find_if(profiles.begin(), profiles.end(), [&](const Profile& p) { return p.name == settings_.profile; });
    if (!settings_.profile.empty() && named != profiles.end())
      FailInput("{}'s profile \"{}\" is for {} bit {}, not for {} bit {}", family_.name, named->name, named->bit_depth,
                Name(named->chroma), settings_.bit_depth, Name(settings_.chroma));
    if (!settings_.profile.empty()) {
      std::vector<std::string> names;
      for (const Profile& profile : profiles) names.push_back(profile.name);
      FailInput("{} has no profile \"{}\"{}", family_.name, settings_.profile, Suggestion(settings_.profile, names));
    }
    FailInput("{} has no {} bit {}{}", family_.name, settings_.bit_depth, Name(settings_.chroma),
              WhoCan([&](const EncoderFamily& family) {
                return std::any_of(family.profiles.begin(), family.profiles.end(),
                                   [&](const Profile& p) { return Fits(p); });
              }));
  }

  void MapRates() {
    const auto found = family_.rates.find(settings_.rate_control);
    if (found == family_.rates.end()) {
      std::vector<std::string> names;
      for (const auto& [rate_control, mapping] : family_.rates) names.emplace_back(Name(rate_control));
      FailInput("{} has no {}; it has {}", family_.name, Name(settings_.rate_control), fmt::join(names, ", "));
    }
    const RateMapping& mapping = found->second;
    const std::int64_t maximum = settings_.maximum_bit_rate.bits_per_second;
    if (mapping.average) config_.bit_rate = mapping.maximum_as_average ? maximum : settings_.bit_rate.bits_per_second;
    if (mapping.maximum) config_.maximum_bit_rate = maximum;
    if (mapping.buffer) config_.buffer_bits = std::llround(static_cast<double>(maximum) * settings_.buffer_seconds);
    const QualityScale& scale = family_.quality;
    const int level = settings_.quality_level.value_or(scale.usual);
    if (IsQuality(settings_.rate_control) && (level < scale.best || level > scale.worst))
      FailInput("{}'s quality level must be {} (best) to {} (worst), not {}", family_.name, scale.best, scale.worst,
                level);
    Set(mapping.options, level * mapping.level_times);
  }

  void MapFeature(Feature feature, std::optional<int> value) {
    if (!value) return;
    const auto found = family_.features.find(feature);
    if (found == family_.features.end()) {
      if (*value == 0) return;  // it has none, and none is asked for
      FailInput("{} has no {}{}", family_.name, Name(feature),
                WhoCan([&](const EncoderFamily& family) { return family.features.contains(feature); }));
    }
    const FeatureMapping& mapping = found->second;
    if (*value < 0 || *value > mapping.most)
      FailInput("{}: {} must be 0 to {}, not {}", family_.name, Name(feature), mapping.most, *value);
    if (*value == 0 && mapping.off_needs_quality && !IsQuality(settings_.rate_control))
      FailInput("{}: {} can be turned off only with constant or capped quality, not under a bit rate", family_.name,
                Name(feature));
    Set(mapping.options, *value);
    if (const auto special = mapping.of_values.find(*value); special != mapping.of_values.end())
      Set(special->second, *value);
  }

  void MapDevice() {
    if (family_.device == DeviceKind::kCpu && settings_.device != 0)
      FailInput("{} runs on the CPU: it has no device {}", family_.name, settings_.device);
    if (family_.interface == Interface::kNvenc) Set("gpu", std::to_string(settings_.device));
    if (family_.interface == Interface::kVaapi) config_.hardware = "vaapi";
    if (family_.interface == Interface::kQsv) config_.hardware = "qsv";
    if (!config_.hardware.empty()) config_.hardware_device = RenderNodePath(settings_.device);
  }

  const EncodeSettings& settings_;
  const EncoderFamily& family_;
  EncoderConfig config_;
};

}  // namespace

EncoderConfig ConfigFor(const EncodeSettings& settings) { return Mapper(settings).Map(); }

std::string BusAddressOf(const EncodeSettings& settings) {
  switch (FindFamily(settings.encoder).interface) {
    case Interface::kProcessor: return "";
    case Interface::kNvenc: return CudaBusAddress(settings.device);
    case Interface::kVaapi:
    case Interface::kQsv: return BusAddressOfNode(RenderNodePath(settings.device));
  }
  return "";
}

}  // namespace kettle
