// SPDX-License-Identifier: Apache-2.0
#include "kettle/planner/encode_each.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "kettle/option/with_encoder.h"
#include "kettle/planner/picture_choice.h"
#include "kettle/search/picture_search.h"

namespace kettle {

namespace {

constexpr double kWorthAnEncode = 1;        // points, in the mean over destinations
constexpr double kMostLost = 2;             // points that one destination may lose to it
constexpr double kStepsDown = 6;            // points below the best: faster presets are measured that far
constexpr std::size_t kMostCandidates = 8;  // for each
constexpr double kBehind = 2;               // points at a good picture: an encoder that others hardly bring nearer
constexpr double kLighter = 0.9;            // of the processors that the last pair should have taken

double CoresOf(const Option& option) { return option.cpu_cores + option.feeding_cores; }

// Without those that look no better than another one and take as much or more; the best looking come first.
std::vector<Option> Undominated(std::vector<Option> options) {
  std::stable_sort(options.begin(), options.end(), [](const Option& a, const Option& b) { return a.score > b.score; });
  std::vector<Option> left;
  for (Option& option : options)
    if (left.size() < kMostCandidates && std::none_of(left.begin(), left.end(), [&](const Option& better) {
          return CoresOf(better) <= CoresOf(option) && better.engine_share() <= option.engine_share();
        }))
      left.push_back(std::move(option));
  return left;
}

bool IsOf(const Option& option, const OwnStream& own) {
  const EncodeSettings &has = option.settings, &asked = own.stream;
  const auto among = [](const auto& items, const auto& item) {
    return std::find(items.begin(), items.end(), item) != items.end();
  };
  return has.rate_control == asked.rate_control && has.bit_rate == asked.bit_rate &&
         has.maximum_bit_rate == asked.maximum_bit_rate && has.keyframe_seconds == asked.keyframe_seconds &&
         (!own.most_b_frames || (has.b_frames && *has.b_frames <= *own.most_b_frames)) && among(own.sizes, has.size) &&
         among(own.rates, has.frame_rate) && among(own.families, has.encoder);
}

// The lightest of each, to tell what even those lack.
Demand LeastDemand(const std::vector<EachCandidates>& candidates, const Capacity& capacity) {
  const auto weight = [&](const Option& option) {
    return std::max(CoresOf(option) / std::max(1e-6, capacity.cpu_cores), option.engine_share());
  };
  std::vector<Option> lightest;
  for (const EachCandidates& each : candidates)
    lightest.push_back(*std::min_element(each.options.begin(), each.options.end(),
                                         [&](const Option& a, const Option& b) { return weight(a) < weight(b); }));
  return PredictDemand(lightest, capacity);
}

}  // namespace

// What keeps pace alone for these destinations, at whatever picture; the search of the common stream knows much of it,
// and all where they ask no more than that.
EachCandidates EncodeEachPlanner::CandidatesFor(const OwnStream& own) {
  std::vector<TriedPicture> tried;
  if (plan_.each->one && !MayGain(own)) {
    EncodeSettings settings = plan_.each->one->settings;
    settings.b_frames = own.stream.b_frames;
    tried = plan_.pictures;
    tried.push_back({settings.size, settings.frame_rate, options_.MeasureWhole(settings)});
    std::rotate(tried.begin(), tried.end() - 1, tried.end());
  } else {
    tried = SearchPicture({own.stream, own.sizes, own.rates, own.families, draft_.space.devices}, options_);
  }
  if (!tried.empty() && tried.front().best) MeasureFasterPresets(*tried.front().best, kStepsDown);
  EachCandidates candidates{own.destinations, {}};
  for (const Option& option : options_.options())
    if (IsOf(option, own) && request_.stream_devices.Has(option.settings.encoder, option.settings.device) &&
        option.scored() && option.keeps_pace(options_.required_headroom()) &&
        option.calm.empty() != options_.has_calm())
      candidates.options.push_back(option);
  pictures_[own.destinations.front()] = std::move(tried);
  return candidates;
}

// Faster presets of an option, each until one is that many points behind it.
void EncodeEachPlanner::MeasureFasterPresets(const Option& option, double most_behind) {
  const auto& presets = FindFamily(option.settings.encoder).presets;
  for (auto preset = std::find(presets.begin(), presets.end(), option.settings.preset); preset != presets.begin();) {
    EncodeSettings faster = option.settings;
    faster.preset = *--preset;
    if (options_.MeasureWhole(faster).score < option.score - most_behind) break;
  }
}

std::vector<EachCandidates> EncodeEachPlanner::AllCandidates(const std::vector<OwnStream>& streams) {
  std::vector<EachCandidates> all;
  for (const OwnStream& own : streams) {
    all.push_back(CandidatesFor(own));
    std::vector<Option>& options = all.back().options;
    if (plan_.each->one)
      std::erase_if(options, [&](const Option& option) { return option.score < plan_.each->one->score - kMostLost; });
    options = Undominated(std::move(options));
  }
  return all;
}

// Beside the recording as it was placed; where the streams would lose too much to it, the best stream's own encode is
// recorded instead.
std::optional<Pair> EncodeEachPlanner::PlaceBeside(const std::vector<EachCandidates>& candidates,
                                                   const Capacity& capacity) const {
  const Show& show = request_.show;
  const Pair& before = plan_.proving.attempts.back().pair;
  std::optional<Pair> beside, as_it_is;
  if (!before.one_encode) beside = PlaceEach(candidates, before.recording, capacity);
  const auto may_record = [&](const Option& option) {
    return show.recording_is_none || show.recording_plays == Plays::kModern ||
           FindFamily(option.settings.encoder).codec == "h264";
  };
  if (before.one_encode || draft_.one_encode_will_do())
    as_it_is = PlaceEach(candidates, std::nullopt, capacity, may_record);
  if (!beside || !as_it_is) return beside ? beside : as_it_is;
  const bool loses_too_much = MeanScore(*as_it_is) - MeanScore(*beside) > show.stream_gives;
  return show.favour == Favour::kStream && loses_too_much ? as_it_is : beside;
}

// The same with every option measured on all footage.
std::optional<Pair> EncodeEachPlanner::PlaceConfirmed(std::vector<EachCandidates>& candidates,
                                                      const Capacity& capacity) {
  constexpr int kMostRounds = 3;
  for (int round = 1; round <= kMostRounds; ++round) {
    std::optional<Pair> pair = PlaceBeside(candidates, capacity);
    if (!pair) return pair;
    bool keeps_pace = true;
    const auto confirm = [&](const Option& option, const std::vector<std::string>& destinations) {
      Option whole = options_.MeasureEverywhere(option.settings);
      keeps_pace = keeps_pace && whole.keeps_pace(options_.required_headroom());
      for (EachCandidates& each : candidates)
        if (each.destinations == destinations)
          for (Option& known : each.options)
            if (known.settings == whole.settings) known = whole;
      return whole;
    };
    pair->Stream(confirm(pair->stream, pair->destinations));
    for (FurtherStream& further : pair->further) further.option = confirm(further.option, further.destinations);
    pair->demand = DemandOf(*pair, plan_.capacity);
    if (keeps_pace && pair->demand.fits) return pair;
    for (EachCandidates& each : candidates)
      std::erase_if(each.options,
                    [this](const Option& option) { return !option.keeps_pace(options_.required_headroom()); });
  }
  return std::nullopt;
}

// Whether these destinations could have more than one encode for all gives them: bits, pixels, frames, or a GPU's
// encoder for a codec that others do not accept. (In real time such a codec gains nothing over H.264 on processors.)
bool EncodeEachPlanner::MayGain(const OwnStream& own) const {
  const EncodeSettings& common = request_.targets.stream;
  return own.stream.bit_rate > common.bit_rate || own.stream.size.pixels() > common.size.pixels() ||
         own.stream.frame_rate.fps() > common.frame_rate.fps() ||
         std::any_of(own.families.begin(), own.families.end(), [&](const std::string& family) {
           return FindFamily(family).device != DeviceKind::kCpu &&
                  std::find(request_.families.begin(), request_.families.end(), family) == request_.families.end();
         });
}

// Where that family's card was seen to look best at the common bit rate, for its encoders are at their best at much the
// same picture; the common one where the card was not asked.
TriedPicture EncodeEachPlanner::PictureToScout(const std::string& family, const Option& one) const {
  TriedPicture picture{one.settings.size, one.settings.frame_rate, std::nullopt};
  for (const Option& option : options_.options()) {
    const EncodeSettings& settings = option.settings;
    if (FindFamily(settings.encoder).interface == FindFamily(family).interface &&
        settings.device == draft_.space.DeviceOf(family) && settings.rate_control == one.settings.rate_control &&
        settings.bit_rate == one.settings.bit_rate && option.scored() &&
        option.keeps_pace(options_.required_headroom()) &&
        (!picture.best || option.busiest_score() > picture.best->busiest_score()))
      picture = {settings.size, settings.frame_rate, option};
  }
  return picture;
}

// Whether one of its presets there looks nearly as good as the common stream.
bool EncodeEachPlanner::ComesNear(const std::string& family, const Option& one) {
  const TriedPicture at = PictureToScout(family, one);
  const double least = one.busiest_score() - kBehind;
  const SearchSpace space{one.settings, {at.size}, {at.rate}, {family}, draft_.space.devices};
  const std::vector<TriedPicture> tried = SearchPicture(space, options_, least);
  return !tried.empty() && tried.front().best && tried.front().best->busiest_score() >= least;
}

// The streams of their own that may gain anything, without the GPUs' encoders for other codecs that come nowhere near.
std::vector<OwnStream> EncodeEachPlanner::ScoutOwnStreams(const Option& one) {
  std::vector<OwnStream> streams = request_.own_streams;
  std::map<std::string, bool> near;
  for (OwnStream& own : streams)
    std::erase_if(own.families, [&](const std::string& family) {
      const auto& common = request_.families;
      if (FindFamily(family).device == DeviceKind::kCpu ||
          std::find(common.begin(), common.end(), family) != common.end())
        return false;
      if (!near.contains(family)) near[family] = ComesNear(family, one);
      return !near[family];
    });
  return streams;
}

// What encodes for each take at the least, by what is known without a search: for those that ask what all would get,
// the lightest that loses little; for the others the lightest stream that was measured.
Demand EncodeEachPlanner::LeastForEach(const Option& one) const {
  const Option *lightest = nullptr, *lightest_good = &one;
  for (const Option& option : options_.options()) {
    const bool is_stream = option.scored() && option.settings.rate_control == one.settings.rate_control &&
                           option.settings.bit_rate == one.settings.bit_rate;
    if (!is_stream || !option.trouble.empty()) continue;
    if (!lightest || CoresOf(option) < CoresOf(*lightest)) lightest = &option;
    if (option.score >= one.score - kMostLost && CoresOf(option) < CoresOf(*lightest_good)) lightest_good = &option;
  }
  std::vector<Option> encodes;
  for (const OwnStream& own : request_.own_streams)
    encodes.push_back(own.stream.bit_rate == one.settings.bit_rate || !lightest ? *lightest_good : *lightest);
  if (!plan_.proving.attempts.back().pair.one_encode && !draft_.one_encode_will_do())
    encodes.push_back(plan_.proving.attempts.back().pair.recording);
  return PredictDemand(encodes, plan_.capacity);
}

// Why not even the lightest encodes fit, as far as that is known without a search; empty if they may. Where there is a
// GPU too, what fits depends on who goes where.
Message EncodeEachPlanner::WhyTooMuch(const Option& one) {
  const auto& known = options_.options();
  if (std::any_of(known.begin(), known.end(), [](const Option& option) { return option.device == "gpu"; })) return {};
  MeasureFasterPresets(one, kMostLost);
  const std::vector<Message> lacking = Lacking(LeastForEach(one), plan_.capacity);
  return lacking.empty() ? Message{} : Message{"each.does-not-fit", {{"lacking", lacking}}};
}

bool EncodeEachPlanner::SomeMayGain(const std::vector<OwnStream>& streams) const {
  return std::any_of(streams.begin(), streams.end(), [this](const OwnStream& own) { return MayGain(own); });
}

void EncodeEachPlanner::Try() {
  if (request_.own_streams.empty() || !plan_.proving.holds()) return;
  const bool must = draft_.must_split();
  if (!must && !(SomeMayGain(request_.own_streams) && draft_.MayGoOn(PlanStage::kEncodeEach))) return;
  draft_.Begin(PlanStage::kEncodeEach);
  const Attempt one = plan_.proving.attempts.back();
  EncodeEach& each = plan_.each.emplace();
  each.one_demand = one.pair.demand;
  std::vector<OwnStream> streams = request_.own_streams;
  if (!must) {
    each.one = one.pair.stream;
    each.why = WhyTooMuch(*each.one);
    if (!each.why.empty()) return;
    streams = ScoutOwnStreams(*each.one);
    if (!SomeMayGain(streams)) {
      each.why = Message{"each.other-codecs-no-better"};
      return;
    }
  }
  std::vector<EachCandidates> candidates = AllCandidates(streams);
  const Proving proving = ProveLighterUntilOneHolds(candidates, one);
  each.taken =
      proving.holds() && (must || proving.attempts.back().has_room(plan_.capacity) || !one.has_room(plan_.capacity));
  if (!each.taken && !proving.attempts.empty()) each.why = Message{"each.failed-proof"};
  std::vector<Attempt>& attempts = plan_.proving.attempts;
  if (must) attempts.clear();  // what served some destinations only is no plan
  attempts.insert(each.taken || attempts.empty() ? attempts.end() : attempts.end() - 1, proving.attempts.begin(),
                  proving.attempts.end());
  if (each.taken) Take(attempts.back().pair);
}

// Places and proves, lighter ones until one holds with room. Without any run, the reason is told.
Proving EncodeEachPlanner::ProveLighterUntilOneHolds(std::vector<EachCandidates>& candidates, const Attempt& one) {
  const int most_runs = draft_.must_split() ? 3 : std::clamp(draft_.runs_left(), 1, 3);
  EncodeEach& each = *plan_.each;
  Proving proving;
  for (const EachCandidates& none : candidates)
    if (none.options.empty()) {
      each.why = Message{each.one ? "each.nothing-good-enough" : "each.nothing-keeps-pace",
                         {{"destination", none.destinations.front()}}};
      return proving;
    }
  Capacity capacity = plan_.capacity;
  for (int run = 0; run < most_runs && (run == 0 || draft_.MayGoOn(PlanStage::kEncodeEach)); ++run) {
    const std::optional<Pair> pair = PlaceConfirmed(candidates, capacity);
    if (run == 0) each.pair = pair;
    if (!pair) break;
    const double gain = each.one ? MeanScore(*pair) - each.one->score : kWorthAnEncode;
    if (gain < kWorthAnEncode) {
      each.why =
          Message{"each.too-little", {{"points", gain}, {"cores", pair->demand.cpu_cores - one.pair.demand.cpu_cores}}};
      break;
    }
    proving.attempts.push_back({*pair, draft_.Prove(*pair)});
    const Attempt& last = proving.attempts.back();
    if (last.proof.holds() && last.has_room(plan_.capacity)) return proving;
    capacity.headroom = 1 - kLighter * pair->demand.cpu_cores / std::max(1e-6, capacity.cpu_cores);
  }
  if (proving.attempts.empty() && each.why.empty())
    each.why =
        Message{"each.does-not-fit", {{"lacking", Lacking(LeastDemand(candidates, plan_.capacity), plan_.capacity)}}};
  proving.LetBestStand(plan_.capacity);
  return proving;
}

// The targets and reasons are those of the stream that comes first from now on.
void EncodeEachPlanner::Take(const Pair& pair) {
  EncodeEach& each = *plan_.each;
  each.pair = pair;
  each.why = each.one ? Message{"each.looks-better", {{"points", MeanScore(pair) - each.one->score}}}
                      : Message{"each.only-way", {{"what", request_.targets.lacking}}};
  Targets& targets = plan_.targets;
  const auto own = std::find_if(request_.own_streams.begin(), request_.own_streams.end(),
                                [&](const OwnStream& other) { return other.destinations == pair.destinations; });
  if (own->stream.bit_rate != targets.stream.bit_rate)
    Explain(targets, {"stream.bit_rate", own->stream.bit_rate.str(),
                      Message{"each.own-rate", {{"destination", own->destinations.front()}}}});
  targets.stream = own->stream;
  targets.sizes = own->sizes;
  targets.rates = own->rates;
  targets.stream_codecs = own->codecs;
  targets.most_b_frames = own->most_b_frames;
  plan_.pictures = pictures_[own->destinations.front()];
  const EncodeSettings& settings = pair.stream.settings;
  const auto picture = std::find_if(plan_.pictures.begin(), plan_.pictures.end(), [&](const TriedPicture& tried) {
    return tried.size == settings.size && tried.rate == settings.frame_rate;
  });
  if (picture != plan_.pictures.end())
    ChoosePicture(plan_.pictures, *picture,
                  Message{picture == plan_.pictures.begin() ? "picture.best" : "picture.best-beside-others"}, targets);
  if (pair.one_encode) targets.recording = targets.stream;
}

Message EncodeEachPlanner::Nearest() const {
  return Message{"each.nearest",
                 {{"served", fmt::format("{}", fmt::join(request_.targets.served, ", "))}, {"why", plan_.each->why}}};
}

}  // namespace kettle
