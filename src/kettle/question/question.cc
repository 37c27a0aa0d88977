// SPDX-License-Identifier: Apache-2.0
#include "kettle/question/question.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace {

using Encodes = std::vector<EncodeSettings>;
using MakeVariants = std::function<std::vector<Variant>(const Encodes& encodes, const SearchSpace& space)>;

struct Kind {
  std::string name;
  Message title, caveat;
  MakeVariants variants;
  bool wide = false;  // compared over a wide range of bit rates
  bool of_picture = false;
  std::optional<Feature> feature = {};  // that the encoder must have
};

// The encode as it is, and with one field set to each of `values`.
template <typename Field, typename Value>
MakeVariants Setting(Field EncodeSettings::*field, const std::string& as_is,
                     const std::vector<std::pair<std::string, Value>>& values) {
  return [=](const Encodes& encodes, const SearchSpace&) {
    std::vector<Variant> variants{{as_is, encodes.front()}};
    for (const auto& [label, value] : values) {
      EncodeSettings settings = encodes.front();
      settings.*field = value;
      if (settings == encodes.front()) continue;
      // Look-ahead and B-frames go only as far as the encoder does.
      try {
        ConfigFor(settings);
        variants.push_back({label, settings});
      } catch (const Error&) {
        if (&label == &values.back().first && variants.size() == 1) throw;
      }
    }
    return variants;
  };
}

std::vector<Variant> Profiles(const Encodes& encodes, const SearchSpace&) {
  std::vector<Variant> variants;
  const EncodeSettings& base = encodes.front();
  for (const Profile& profile : FindFamily(base.encoder).profiles) {
    if (profile.bit_depth != base.bit_depth || profile.chroma != base.chroma) continue;
    EncodeSettings settings = base;
    settings.profile = profile.name;
    if (profile.name.ends_with("baseline")) settings.b_frames = 0;  // it has none
    variants.push_back({profile.name, settings});
  }
  return variants;
}

std::vector<Variant> Scalers(const Encodes& encodes, const SearchSpace& space) {
  EncodeSettings base = encodes.front();
  if (base.size == space.sizes.front()) {
    if (space.sizes.size() < 2)
      FailInput("--question scaler: {} is the source's own size, nothing is scaled; give a smaller --size",
                base.size.str());
    base.size = space.sizes[space.sizes.size() / 2];
  }
  std::vector<Variant> variants;
  for (const ScaleFilter filter : {ScaleFilter::kBicubic, ScaleFilter::kBilinear, ScaleFilter::kLanczos}) {
    base.scaler = filter;
    variants.push_back({Name(filter), base});
  }
  return variants;
}

std::vector<Variant> Sizes(const Encodes& encodes, const SearchSpace& space) {
  std::vector<Variant> variants;
  for (const FrameSize size : space.sizes) {
    variants.push_back({size.str(), encodes.front()});
    variants.back().settings.size = size;
  }
  return variants;
}

std::vector<Variant> FrameRates(const Encodes& encodes, const SearchSpace& space) {
  std::vector<Variant> variants;
  for (const FrameRate rate : space.rates) {
    variants.push_back({rate.str() + " frames a second", encodes.front()});
    variants.back().settings.frame_rate = rate;
  }
  return variants;
}

std::vector<Variant> Encoders(const Encodes& encodes, const SearchSpace&) {
  std::vector<Variant> variants;
  for (const EncodeSettings& settings : encodes)
    variants.push_back({settings.encoder + " " + settings.preset, settings});
  return variants;
}

const std::vector<Kind>& Kinds() {
  using Ints = std::vector<std::pair<std::string, int>>;
  using Switches = std::vector<std::pair<std::string, bool>>;
  using Seconds = std::vector<std::pair<std::string, double>>;
  const Switches on_off{{"off", false}, {"on", true}};
  static const std::vector<Kind> kinds = {
      {"size", Message{"question.size"}, {}, Sizes, true, true},
      {"frame-rate", Message{"question.frame-rate"}, Message{"caveat.frame-rate"}, FrameRates, true, true},
      {"encoder", Message{"question.encoder"}, {}, Encoders, true},
      {"scaler", Message{"question.scaler"}, {}, Scalers},
      {"b-frames",
       Message{"question.b-frames"},
       {},
       Setting(&EncodeSettings::b_frames, "preset's own",
               Ints{{"no B-frames", 0}, {"1 B-frame", 1}, {"2 B-frames", 2}, {"3 B-frames", 3}}),
       false,
       false,
       Feature::kBFrames},
      {"look-ahead", Message{"question.look-ahead"}, Message{"caveat.look-ahead"},
       Setting(&EncodeSettings::look_ahead_frames, "preset's own",
               Ints{{"no look-ahead", 0}, {"10 frames", 10}, {"25 frames", 25}, {"40 frames", 40}}),
       false, false, Feature::kLookAhead},
      {"adaptive-quantisation", Message{"question.adaptive-quantisation"}, Message{"caveat.not-seen"},
       Setting(&EncodeSettings::adaptive_quantisation, "preset's own", on_off), false, false,
       Feature::kAdaptiveQuantisation},
      {"psychovisual", Message{"question.psychovisual"}, Message{"caveat.not-seen"},
       Setting(&EncodeSettings::psychovisual, "preset's own", on_off), false, false, Feature::kPsychovisual},
      {"multi-pass",
       Message{"question.multi-pass"},
       {},
       Setting(&EncodeSettings::multi_pass, "preset's own", on_off),
       false,
       false,
       Feature::kMultiPass},
      {"keyframe-interval", Message{"question.keyframe-interval"}, Message{"caveat.keyframe-interval"},
       Setting(&EncodeSettings::keyframe_seconds, "as it is", Seconds{{"1 s", 1}, {"2 s", 2}, {"4 s", 4}})},
      {"buffer", Message{"question.buffer"}, Message{"caveat.buffer"},
       Setting(&EncodeSettings::buffer_seconds, "as it is", Seconds{{"0.5 s", 0.5}, {"1 s", 1}, {"2 s", 2}})},
      {"profile", Message{"question.profile"}, {}, Profiles}};
  return kinds;
}

std::vector<BitRate> RatesAround(BitRate asked, bool wide) {
  std::vector<BitRate> rates;
  for (const double factor : wide ? std::vector{0.35, 0.6, 1.0, 1.6, 2.5} : std::vector{0.75, 1.0, 1.35})
    rates.push_back(factor == 1 ? asked : BitRate::FromKbps(std::round(asked.kbps() * factor / 10) * 10));
  return rates;
}

}  // namespace

std::vector<std::string> QuestionNames() {
  std::vector<std::string> names;
  for (const Kind& kind : Kinds()) names.push_back(kind.name);
  return names;
}

EncodeSettings AtRate(EncodeSettings settings, BitRate rate) {
  const double peak =
      settings.bit_rate.bits_per_second > 0 ? settings.maximum_bit_rate.kbps() / settings.bit_rate.kbps() : 1;
  settings.bit_rate = rate;
  settings.maximum_bit_rate = BitRate::FromKbps(std::round(rate.kbps() * peak));
  return settings;
}

std::vector<EncodeSettings> EncodesOf(const Question& question) {
  std::vector<BitRate> rates{question.asked_rate};
  for (const BitRate rate : question.rates)
    if (rate != question.asked_rate) rates.push_back(rate);
  std::vector<EncodeSettings> encodes;
  for (const BitRate rate : rates)
    for (const Variant& variant : question.variants) encodes.push_back(AtRate(variant.settings, rate));
  return encodes;
}

Question MakeQuestion(const std::string& name, const Encodes& encodes, const SearchSpace& space,
                      std::vector<BitRate> rates) {
  const auto kind = std::find_if(Kinds().begin(), Kinds().end(), [&](const Kind& k) { return k.name == name; });
  if (kind == Kinds().end())
    FailInput("--question: there is no question \"{}\"{}", name, Suggestion(name, QuestionNames()));
  const EncodeSettings& base = encodes.front();
  if (IsQuality(base.rate_control))
    FailInput("--question compares at the same bit rate: {} has none of its own", Name(base.rate_control));
  if (kind->feature && !FindFamily(base.encoder).features.contains(*kind->feature))
    FailInput("--question {}: {} has no {}", name, base.encoder, Name(*kind->feature));
  Question question{kind->name, kind->title,   kind->caveat,    kind->variants(encodes, space),
                    {},         base.bit_rate, kind->of_picture};
  if (question.variants.size() < 2)
    FailInput("--question {}: there is nothing to compare {} with; give more than one", name,
              question.variants.empty() ? base.encoder : question.variants.front().label);
  if (rates.size() < 2) rates = RatesAround(base.bit_rate, kind->wide);
  std::sort(rates.begin(), rates.end());
  rates.erase(std::unique(rates.begin(), rates.end()), rates.end());
  question.rates = rates;
  // The nearest to the encode's own.
  question.asked_rate = *std::min_element(rates.begin(), rates.end(), [&](BitRate a, BitRate b) {
    return std::abs(std::log(a.kbps() / base.bit_rate.kbps())) < std::abs(std::log(b.kbps() / base.bit_rate.kbps()));
  });
  return question;
}

}  // namespace kettle
