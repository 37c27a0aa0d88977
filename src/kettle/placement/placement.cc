// SPDX-License-Identifier: Apache-2.0
#include "kettle/placement/placement.h"

#include <algorithm>
#include <cmath>

#include "kettle/option/ladder_walk.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr double kSameQuality = 0.5;  // points
constexpr double kLittleToSee = 1;    // points: within them what is left to the game decides
constexpr double kFarBehind = 5;

// Scores in steps of what nobody sees, so that "the same" is the same for any three pairs.
long QualityStep(const Option& option) { return std::lround(option.score / kSameQuality); }

// What both encodes take from the game, in tenths of a processor.
long CoreStep(const Pair& pair) { return std::lround(pair.demand.cpu_cores * 10); }

// With streams that both come within a point of the best.
bool LeavesMore(const Pair& a, const Pair& b, const Capacity& capacity) {
  if (CoreStep(a) != CoreStep(b)) return CoreStep(a) < CoreStep(b);
  // Of the game's own card they take shader units, for look-ahead and the like.
  const int on_its_card = EncodesBesideTheGame(a, capacity) - EncodesBesideTheGame(b, capacity);
  if (on_its_card != 0) return on_its_card < 0;
  if (QualityStep(a.recording) != QualityStep(b.recording)) return QualityStep(a.recording) > QualityStep(b.recording);
  return QualityStep(a.stream) > QualityStep(b.stream);
}

bool Better(const Pair& a, const Pair& b) {
  if (QualityStep(a.stream) != QualityStep(b.stream)) return QualityStep(a.stream) > QualityStep(b.stream);
  if (CoreStep(a) != CoreStep(b)) return CoreStep(a) < CoreStep(b);
  return QualityStep(a.recording) > QualityStep(b.recording);
}

// Where a family's walk for one role ended: the slowest preset that keeps pace alone.
struct Walked {
  const FamilyOptions* family = nullptr;
  int last = -1;
  Option option;
};

Message TooSlow(const Option& fastest, double headroom) {
  if (!fastest.trouble.empty()) return Verbatim(fastest.trouble);
  return Message{"placement.too-slow",
                 {{"fps", fastest.throughput_fps},
                  {"rate", fastest.settings.frame_rate.str()},
                  {"percent", headroom * 100},
                  {"needed_fps", fastest.settings.frame_rate.fps() / (1 - headroom)}}};
}

class Placer {
 public:
  Placer(const std::vector<FamilyOptions>& families, const Capacity& capacity)
      : families_(families), capacity_(capacity) {}

  Placement Run(bool recording_is_heavier) {
    std::vector<const FamilyOptions*> behind;
    std::vector<int> most;  // of its presets as a recording
    for (const FamilyOptions& family : families_) {
      most.push_back(RecordingPresets(family));
      if (!family.streams) continue;
      if (IsFarBehind(family)) {
        behind.push_back(&family);
        continue;
      }
      const int last = Walk(family, Role::kStream, family.presets, family.likely_stream);
      // What the stream cannot hold, a heavier recording cannot either.
      if (recording_is_heavier) most.back() = std::min(most.back(), last + 1);
    }
    for (std::size_t i = 0; i < families_.size(); ++i)
      if (most[i] > 0) Walk(families_[i], Role::kRecording, most[i], SlowestThatMayFit(families_[i], most[i]));
    WeighAll();
    for (const FamilyOptions* family : behind) WalkOneBehind(*family);
    SortPairs(placement_.feasible, capacity_);
    return std::move(placement_);
  }

  Placement RunOneEncode() {
    for (const FamilyOptions& family : families_) {
      if (!family.streams || IsFarBehind(family)) continue;
      const int last = Walk(family, Role::kStream, family.presets, family.likely_stream);
      const int fitting = LastHolding(
          last + 1, [&](int i) { return Alone(family.measure(Role::kStream, i)).demand.fits; }, last);
      if (fitting < 0) continue;
      const Option best = Best(family, Role::kStream, fitting);
      placement_.feasible.push_back(Alone(best));
      for (const Option& lighter : Lighter(family, best)) placement_.feasible.push_back(Alone(lighter));
    }
    SortPairs(placement_.feasible, capacity_);
    return std::move(placement_);
  }

 private:
  static int RecordingPresets(const FamilyOptions& family) {
    if (!family.records) return 0;
    return family.recording_presets > 0 ? family.recording_presets : family.presets;
  }

  Pair Alone(const Option& stream) const {
    Pair pair{stream, stream, {}, {}, true};
    pair.demand = DemandOf(pair, capacity_);
    return pair;
  }

  bool IsFarBehind(const FamilyOptions& family) const {
    if (!family.stream_score) return false;
    const double could = *family.stream_score + std::max(kFarBehind, family.stream_may_gain);
    return std::any_of(families_.begin(), families_.end(),
                       [&](const FamilyOptions& other) { return other.stream_score && *other.stream_score > could; });
  }

  // Every stream walked with every recording: the best looking streams first, they spare the others their walk.
  void WeighAll() {
    std::stable_sort(streams_.begin(), streams_.end(),
                     [](const Walked& a, const Walked& b) { return a.option.score > b.option.score; });
    for (const Walked& stream : streams_)
      for (const Walked& recording : recordings_) Weigh(stream, recording);
  }

  // Only if nothing that fits looks as good as it ever did, or could.
  void WalkOneBehind(const FamilyOptions& family) {
    for (const Pair& pair : placement_.feasible)
      if (pair.stream.busiest_score() >= *family.stream_score + family.stream_may_gain) {
        placement_.rejected.push_back({family.family, "any", std::nullopt,
                                       Message{"placement.looks-worse",
                                               {{"score", *family.stream_score},
                                                {"other", pair.stream.title()},
                                                {"other_score", pair.stream.busiest_score()}}}});
        return;
      }
    streams_.clear();
    Walk(family, Role::kStream, family.presets, family.likely_stream);
    WeighAll();
  }

  bool Fits(const Option& stream, const Option& recording) const {
    return PredictDemand(stream, recording, capacity_).fits;
  }

  // The streams known by now that keep pace.
  std::vector<Option> KnownStreams() const {
    std::vector<Option> streams;
    for (const Walked& walked : streams_) {
      streams.push_back(walked.option);
      for (int i = 0; i < walked.last; ++i)
        if (walked.family->known(Role::kStream, i)) streams.push_back(walked.family->measure(Role::kStream, i));
    }
    return streams;
  }

  // Beside some stream that is known. The fastest preset goes on all the same: a stream may become lighter.
  bool MayFit(int preset, const Option& recording) const {
    const std::vector<Option> streams = KnownStreams();
    return preset == 0 || streams.empty() ||
           std::any_of(streams.begin(), streams.end(), [&](const Option& stream) { return Fits(stream, recording); });
  }

  // A guess at the slowest preset of a recording to be found, by what the fastest one leaves.
  int SlowestThatMayFit(const FamilyOptions& family, int presets) const {
    constexpr double kFirstStep = 2, kStep = 1.5;  // in cost, from the fastest preset to the next, and from there on
    const Option fastest = family.measure(Role::kRecording, 0);
    double lightest = capacity_.cpu_cores;
    for (const Option& stream : KnownStreams()) lightest = std::min(lightest, stream.cpu_cores);
    double times = fastest.throughput_fps * (1 - capacity_.headroom) / fastest.settings.frame_rate.fps();
    const double room = capacity_.cpu_cores * (1 - capacity_.headroom) - (streams_.empty() ? 0 : lightest);
    if (fastest.cpu_cores > 0) times = std::min(times, room / (fastest.cpu_cores * capacity_.real_time_factor));
    if (times < kFirstStep) return 0;
    return std::min(presets - 1, 1 + static_cast<int>(std::log(times / kFirstStep) / std::log(kStep)));
  }

  // Walks one family's first `presets` presets for one role and notes where it ends.
  int Walk(const FamilyOptions& family, Role role, int presets, int first_guess) {
    const auto holds = [&](int i) {
      const Option option = family.measure(role, i);
      return option.keeps_pace(capacity_.headroom) && (role == Role::kStream || MayFit(i, option));
    };
    const int last = LastHolding(presets, holds, first_guess);
    if (last >= 0) {
      (role == Role::kStream ? streams_ : recordings_).push_back({&family, last, Best(family, role, last)});
    } else if (presets > 0) {
      const Option fastest = family.measure(role, 0);
      placement_.rejected.push_back({role == Role::kStream ? fastest.title() : "any",
                                     role == Role::kRecording ? fastest.title() : "any", std::nullopt,
                                     TooSlow(fastest, capacity_.headroom)});
    }
    return last;
  }

  // Of the presets measured so far, up to `last`, the one that looks best: slower is mostly better, not
  // always.
  Option Best(const FamilyOptions& family, Role role, int last) const {
    Option best = family.measure(role, last);
    for (int i = last - 1; i >= 0; --i) {
      if (!family.known(role, i)) continue;
      Option faster = family.measure(role, i);
      if (faster.keeps_pace(capacity_.headroom) && faster.score > best.score) best = std::move(faster);
    }
    return best;
  }

  // Faster presets, of those measured so far, that viewers can hardly tell from it and that leave more to the game.
  std::vector<Option> Lighter(const FamilyOptions& family, const Option& stream) const {
    std::vector<Option> lighter;
    for (int i = 0; i < family.presets; ++i) {
      if (!family.known(Role::kStream, i)) continue;
      Option option = family.measure(Role::kStream, i);
      if (option.keeps_pace(capacity_.headroom) && option.score > stream.score - kLittleToSee &&
          option.cpu_cores < stream.cpu_cores && option.calm.empty() == stream.calm.empty())
        lighter.push_back(std::move(option));
    }
    return lighter;
  }

  void Reject(const Option& stream, const Option& recording, const Message& why) {
    placement_.rejected.push_back(
        {stream.title(), recording.title(), PredictDemand(stream, recording, capacity_), why});
  }

  std::vector<Message> Misfit(const Option& stream, const Option& recording) const {
    return Lacking(PredictDemand(stream, recording, capacity_), capacity_);
  }

  void Weigh(const Walked& s, const Walked& r) {
    if (s.family->sessions == 1 && OnOneCard(s.option, r.option))
      return Reject(s.option, r.option, Message{"placement.one-at-a-time"});
    if (Fits(s.option, r.option)) return Accept(s, s.option, r.option);
    for (const Pair& pair : placement_.feasible)
      if (QualityStep(pair.stream) > QualityStep(s.option))
        return Reject(s.option, r.option,
                      Message{"placement.misfit-and-worse",
                              {{"lacking", Misfit(s.option, r.option)},
                               {"score", s.option.score},
                               {"other", pair.stream.title()},
                               {"other_score", pair.stream.score}}});
    const Option lightest = r.family->measure(Role::kRecording, 0);
    const int stream_last = LastHolding(
        s.last + 1, [&](int i) { return Fits(s.family->measure(Role::kStream, i), lightest); }, s.last);
    if (stream_last < 0) {
      const Option fastest = s.family->measure(Role::kStream, 0);
      // One that failed or was never measured is no measured misfit: its own reason is told.
      const std::string trouble = fastest.trouble.empty() ? lightest.trouble : fastest.trouble;
      return Reject(fastest, lightest,
                    trouble.empty() ? Message{"placement.fastest-misfit", {{"lacking", Misfit(fastest, lightest)}}}
                                    : Verbatim(trouble));
    }
    const Option stream = Best(*s.family, Role::kStream, stream_last);
    if (Fits(stream, r.option)) return Accept(s, stream, r.option);
    const int recording_preset = LastHolding(
        RecordingPresets(*r.family),
        [&](int i) {
          const Option recording = r.family->measure(Role::kRecording, i);
          return i == 0 || (recording.keeps_pace(capacity_.headroom) && Fits(stream, recording));
        },
        r.last);
    Accept(s, stream, Best(*r.family, Role::kRecording, std::max(0, recording_preset)));
  }

  void Accept(const Walked& walked, const Option& stream, const Option& recording) {
    // Cost grows along the presets but for noise: what was taken for lighter may after all not be.
    if (!Fits(stream, recording))
      return Reject(stream, recording, Message{"placement.misfit", {{"lacking", Misfit(stream, recording)}}});
    placement_.feasible.push_back({stream, recording, PredictDemand(stream, recording, capacity_)});
    for (const Option& lighter : Lighter(*walked.family, stream))
      if (Fits(lighter, recording))
        placement_.feasible.push_back({lighter, recording, PredictDemand(lighter, recording, capacity_)});
  }

  const std::vector<FamilyOptions>& families_;
  const Capacity& capacity_;
  std::vector<Walked> streams_, recordings_;
  Placement placement_;
};

}  // namespace

bool SameSettings(const Pair& a, const Pair& b) {
  return a.stream.settings == b.stream.settings && a.recording.settings == b.recording.settings &&
         a.one_encode == b.one_encode &&
         std::equal(a.further.begin(), a.further.end(), b.further.begin(), b.further.end(),
                    [](const FurtherStream& x, const FurtherStream& y) {
                      return x.destinations == y.destinations && x.option.settings == y.option.settings;
                    });
}

std::string PlaceIn(const Pair& pair, const Option& option) {
  if (option.device != "gpu" || option.device_name.empty()) return option.place();
  std::vector<Option> others{pair.stream, pair.recording};
  for (const FurtherStream& further : pair.further) others.push_back(further.option);
  const bool several = std::any_of(others.begin(), others.end(), [&](const Option& other) {
    return other.device == "gpu" && !OnOneCard(option, other);
  });
  return several ? "GPU " + option.card_name() : option.place();
}

void SortPairs(std::vector<Pair>& pairs, const Capacity& capacity) {
  double best = kNotScored;
  for (const Pair& pair : pairs) best = std::max(best, pair.stream.score);
  const auto others = std::stable_partition(pairs.begin(), pairs.end(),
                                            [&](const Pair& pair) { return pair.stream.score > best - kLittleToSee; });
  std::stable_sort(pairs.begin(), others, [&](const Pair& a, const Pair& b) { return LeavesMore(a, b, capacity); });
  std::stable_sort(others, pairs.end(), Better);
}

int EncodesBesideTheGame(const Pair& pair, const Capacity& capacity) {
  const auto is_there = [&](const Option& option) {
    return !capacity.game_card.empty() && option.device == "gpu" && option.bus_address == capacity.game_card ? 1 : 0;
  };
  int count = is_there(pair.stream) + (pair.one_encode ? 0 : is_there(pair.recording));
  for (const FurtherStream& further : pair.further) count += is_there(further.option);
  return count;
}

std::string StreamTitles(const Pair& pair) {
  std::string titles = pair.stream.title();
  for (const FurtherStream& further : pair.further) titles += " + " + further.option.title();
  return titles;
}

void Pair::Stream(Option option) {
  stream = std::move(option);
  if (one_encode) recording = stream;
}

Placement Place(const std::vector<FamilyOptions>& families, const Capacity& capacity, bool recording_is_heavier) {
  return Placer(families, capacity).Run(recording_is_heavier);
}

Placement PlaceOneEncode(const std::vector<FamilyOptions>& families, const Capacity& capacity) {
  return Placer(families, capacity).RunOneEncode();
}

}  // namespace kettle
