// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/targets.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <limits>

#include "kettle/encoders/catalogue.h"
#include "kettle/plan/common_stream.h"
#include "kettle/search/candidates.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

// Rules, not measurements; `because` says so.
constexpr double kArchiveFactor = 3;             // bits a pixel of the recording over those of the stream
constexpr double kRecordingPeak = 1.5;           // the recording may reach this times its average
constexpr double kPlausibleBitsPerPixel = 0.05;  // below it, quick turns go blocky with any H.264 encoder

double BitsPerPixel(const EncodeSettings& s) {
  return static_cast<double>(s.bit_rate.bits_per_second) / (static_cast<double>(s.size.pixels()) * s.frame_rate.fps());
}

// Where nobody says what the uplink carries: a tenth of a bit a pixel, and no more than most destinations take.
BitRate UsualRate(const EncodeSettings& stream) {
  constexpr double kBits = 0.1, kLeastKbps = 500, kMostKbps = 6000, kRounding = 100;
  const double kbps = kBits * static_cast<double>(stream.size.pixels()) * stream.frame_rate.fps() / 1000;
  return BitRate::FromKbps(std::round(std::clamp(kbps, kLeastKbps, kMostKbps) / kRounding) * kRounding);
}

class Chooser {
 public:
  // `recipients`: all that share the line, those of the show among them.
  Chooser(const Show& show, std::vector<Recipient> recipients) : show_(show), recipients_(std::move(recipients)) {}

  Targets Choose() {
    ChooseStreamPicture();
    ChooseStreamCodecs();
    ChooseStreamRate();
    ChooseRecording();
    return std::move(targets_);
  }

 private:
  void Add(const std::string& choice, const std::string& value, const Message& why) {
    targets_.reasons.push_back({choice, value, why, false});
  }

  void ChooseStreamPicture() {
    EncodeSettings& stream = targets_.stream;
    stream.size = show_.stream_size.value_or(show_.source_size);
    Message why{show_.stream_size ? "target.set-in-show" : "target.source-size"};
    for (const Destination& to : show_.destinations)
      if (to.size_max && (stream.size.width > to.size_max->width || stream.size.height > to.size_max->height)) {
        stream.size = FitInside(stream.size, *to.size_max);
        why = Message{"target.largest-accepted", {{"destination", to.name}, {"size", to.size_max->str()}}};
      }
    Add("stream.size", stream.size.str(), why);
    stream.frame_rate = show_.stream_rate.value_or(show_.source_rate);
    why = Message{show_.stream_rate ? "target.set-in-show" : "target.same-as-source"};
    for (const Destination& to : show_.destinations)
      if (to.frame_rate_max && stream.frame_rate.fps() > to.frame_rate_max->fps() + 1e-9) {
        stream.frame_rate = *to.frame_rate_max;
        why = Message{"target.frame-rate-accepted", {{"destination", to.name}, {"rate", to.frame_rate_max->str()}}};
      }
    targets_.sizes = show_.stream_size ? std::vector{stream.size} : CandidateSizes(stream.size);
    targets_.rates =
        show_.stream_rate ? std::vector{stream.frame_rate} : CandidateRates(show_.source_rate, stream.frame_rate);
    if (stream.frame_rate != targets_.rates.front()) {
      stream.frame_rate = targets_.rates.front();
      why = Message{"target.even-below", {{"limit", why}, {"source", show_.source_rate.str()}}};
    }
    Add("stream.frame_rate", stream.frame_rate.str(), why);
    if (show_.viewing_size && show_.stream_size && show_.stream_size->pixels() > show_.viewing_size->pixels())
      targets_.warnings.push_back(
          Message{"target.larger-than-viewed", {{"viewed", show_.viewing_size->str()}, {"size", stream.size.str()}}});
    KeepTaken();
    for (const Destination& to : show_.destinations) {
      constexpr int kUsual = 3;  // what presets make at most
      if (to.b_frames_max && *to.b_frames_max < targets_.most_b_frames.value_or(kUsual)) {
        targets_.most_b_frames = stream.b_frames = to.b_frames_max;
        std::erase_if(targets_.reasons, [](const Because& reason) { return reason.choice == "stream.b_frames"; });
        Add("stream.b_frames", fmt::format("{}", *to.b_frames_max),
            Message{"target.b-frames-accepted", {{"destination", to.name}}});
      }
      stream.keyframe_seconds = std::min(stream.keyframe_seconds, to.keyframe_seconds);
    }
  }

  void ChooseStreamCodecs() {
    std::vector<std::string>& codecs = targets_.stream_codecs;
    if (show_.destinations.empty()) codecs = {"h264"};  // what any destination accepts
    for (const char* codec : kStreamCodecs)
      if (!show_.destinations.empty() && std::all_of(show_.destinations.begin(), show_.destinations.end(),
                                                     [&](const Destination& to) { return to.Accepts(codec); }))
        codecs.emplace_back(codec);
  }

  // Where destinations take only certain sizes or frame rates: those that all of them take, if the show leaves it open.
  void KeepTaken() {
    EncodeSettings& stream = targets_.stream;
    targets_.taken_sizes = TakenByAll(&Destination::sizes, stream.size, "sizes", [&](FrameSize size) {
      return size.width <= stream.size.width && size.height <= stream.size.height;
    });
    targets_.taken_rates = TakenByAll(&Destination::frame_rates, stream.frame_rate, "frame rates",
                                      [&](FrameRate rate) { return rate.fps() <= stream.frame_rate.fps() + 1e-9; });
    Keep(targets_.taken_sizes, show_.stream_size.has_value(), stream.size, targets_.sizes);
    Keep(targets_.taken_rates, show_.stream_rate.has_value(), stream.frame_rate, targets_.rates);
  }

  // Largest first; empty if no destination names any.
  template <typename Item, typename Fits>
  std::vector<Item> TakenByAll(std::vector<Item> Destination::*named, Item largest, const char* what,
                               const Fits& fits) const {
    std::vector<Item> taken;
    bool limited = false;
    for (const Destination& to : show_.destinations) {
      std::vector<Item> accepted = to.*named;
      if (accepted.empty()) continue;
      std::vector<std::string> names;
      for (const Item& item : accepted) names.push_back(item.str());
      std::erase_if(accepted, [&](const Item& item) {
        return !fits(item) || (limited && std::find(taken.begin(), taken.end(), item) == taken.end());
      });
      if (accepted.empty())
        FailInput("{} accepts only these {}: {}; none of them suits the show (up to {}) and its other destinations",
                  to.name, what, fmt::join(names, ", "), largest.str());
      taken = std::move(accepted);
      limited = true;
    }
    std::sort(taken.begin(), taken.end(), [](const Item& x, const Item& y) { return Larger(x, y); });
    return taken;
  }
  static bool Larger(FrameSize a, FrameSize b) { return a.pixels() > b.pixels(); }
  static bool Larger(FrameRate a, FrameRate b) { return a.fps() > b.fps(); }

  template <typename Item>
  static void Keep(const std::vector<Item>& taken, bool asked, Item& chosen, std::vector<Item>& candidates) {
    if (taken.empty()) return;
    if (asked && std::find(taken.begin(), taken.end(), chosen) == taken.end())
      FailInput("the show asks for {}, which its destinations do not accept; the nearest below is {}", chosen.str(),
                taken.front().str());
    if (asked) return;
    candidates = taken;
    chosen = taken.front();
  }

  // The same shape, even sides, inside `limit`.
  static FrameSize FitInside(FrameSize size, FrameSize limit) {
    const double scale =
        std::min(static_cast<double>(limit.width) / size.width, static_cast<double>(limit.height) / size.height);
    return {static_cast<int>(size.width * scale / 2) * 2, static_cast<int>(size.height * scale / 2) * 2};
  }

  void ChooseStreamRate() {
    EncodeSettings& stream = targets_.stream;
    const bool line_known = !show_.line.readings.empty() || show_.line.trace;
    Message why;
    std::optional<BitRate> limit;
    if (line_known) {
      limit = LineLimit(why);
    } else {
      for (const Destination& to : show_.destinations)
        if (to.video_bit_rate_max && (!limit || *to.video_bit_rate_max < *limit)) {
          limit = to.video_bit_rate_max;
          why = Message{"target.accepts-no-more", {{"destination", to.name}}};
        }
    }
    if (show_.stream_bit_rate) {
      stream.bit_rate = *show_.stream_bit_rate;
      if (line_known && stream.bit_rate > *limit)
        targets_.warnings.push_back(Message{
            "target.more-than-uplink",
            {{"rate", stream.bit_rate.str()}, {"room", limit->str()}, {"limit", targets_.budget->binding_limit}}});
      why = Message{"target.set-in-show"};
    } else {
      if (!limit) {
        limit = UsualRate(stream);
        why = Message{"target.usual-rate"};
        targets_.warnings.push_back(Message{"target.rate-assumed", {{"rate", limit->str()}}});
      }
      stream.bit_rate = *limit;
    }
    stream.maximum_bit_rate = stream.bit_rate;
    Add("stream.bit_rate", stream.bit_rate.str(), why);
    Add("stream.rate_control", Name(stream.rate_control), Message{"target.constant-bit-rate"});
    Add("stream.keyframe_seconds", fmt::format("{:g}", stream.keyframe_seconds), Message{"target.keyframes"});
  }

  // What the line and the destinations leave for pictures.
  BitRate LineLimit(Message& why) {
    targets_.budget = MakeBudget(show_.line, show_.reserve, recipients_, targets_.stream.frame_rate.fps());
    const Budget& budget = *targets_.budget;
    const RecipientShare share = ShareOfTheLine(budget);
    why = Message{"target.limited-by",
                  {{"limit", share.limit},
                   {"kbps", budget.carried_kbps},
                   {"how", budget.carried_how},
                   {"percent", budget.safety_share * 100}}};
    if (share.video_kbps < kLeastVideoKbps && !show_.stream_bit_rate)
      FailInput(
          "uplink: {:.0f} kbit/s leave too little for a stream; {:.0f} kbit/s more would leave the minimum, {:g} "
          "kbit/s",
          budget.carried_kbps, MissingKbps(budget), kLeastVideoKbps);
    for (const Message& question : QuestionReadings(show_.line.readings)) targets_.warnings.push_back(question);
    if (show_.line.trace)
      for (const Message& note : show_.line.trace->notes())
        targets_.warnings.push_back(Message{"target.trace-note", {{"note", note}}});
    return BitRate::FromKbps(share.video_kbps);
  }

  // Of one encode for all of the line's recipients; where others get encodes of their own, the least share of those
  // that get this one.
  RecipientShare ShareOfTheLine(const Budget& budget) const {
    RecipientShare share{"", budget.one_encode_kbps(), budget.binding_limit};
    if (show_.destinations.size() == recipients_.size() || show_.destinations.empty()) return share;
    share.video_kbps = std::numeric_limits<double>::infinity();
    for (const RecipientShare& one : budget.each)
      if (one.video_kbps < share.video_kbps && std::any_of(show_.destinations.begin(), show_.destinations.end(),
                                                           [&](const Destination& to) { return to.name == one.name; }))
        share = one;
    return share;
  }

  void ChooseRecording() {
    EncodeSettings& recording = targets_.recording;
    const EncodeSettings& stream = targets_.stream;
    recording.size = show_.recording_size.value_or(show_.source_size);
    Add("recording.size", recording.size.str(),
        Message{show_.recording_size ? "target.set-in-show" : "target.same-as-source"});
    recording.frame_rate = show_.recording_rate.value_or(show_.source_rate);
    Add("recording.frame_rate", recording.frame_rate.str(),
        Message{show_.recording_rate ? "target.set-in-show" : "target.same-as-source"});
    targets_.recording_sizes = show_.recording_size ? std::vector{recording.size} : RecordingSizes(recording.size);
    targets_.recording_rates =
        show_.recording_rate ? std::vector{recording.frame_rate} : RecordingRates(recording.frame_rate);
    recording.rate_control = RateControl::kCappedVariable;
    recording.buffer_seconds = 2;
    if (show_.recording_bit_rate) {
      recording.bit_rate = *show_.recording_bit_rate;
      Add("recording.bit_rate", recording.bit_rate.str(), Message{"target.set-in-show"});
    } else {
      const double pixels = static_cast<double>(recording.size.pixels()) * recording.frame_rate.fps();
      recording.bit_rate = BitRate::FromKbps(std::ceil(kArchiveFactor * BitsPerPixel(stream) * pixels / 100'000) * 100);
      Add("recording.bit_rate", recording.bit_rate.str(), Message{"target.archive-rule", {{"times", kArchiveFactor}}});
    }
    recording.maximum_bit_rate = BitRate::FromKbps(std::round(recording.bit_rate.kbps() * kRecordingPeak));
    Add("recording.rate_control", Name(recording.rate_control),
        Message{"target.disk-bursts", {{"rate", recording.maximum_bit_rate.str()}}});
  }

  const Show& show_;
  const std::vector<Recipient> recipients_;
  Targets targets_;
};

}  // namespace

std::optional<Message> LittleForItsSize(const EncodeSettings& stream, bool size_is_free) {
  if (BitsPerPixel(stream) >= kPlausibleBitsPerPixel || FindFamily(stream.encoder).codec != "h264") return std::nullopt;
  return Message{"target.bit-rate-low",
                 {{"rate", stream.bit_rate.str()},
                  {"size", stream.size.str()},
                  {"frame_rate", stream.frame_rate.str()},
                  {"bits", BitsPerPixel(stream)},
                  {"cure", Message{size_is_free ? "target.only-more-bits" : "target.leave-size-out"}}}};
}

std::optional<Message> UnevenPictures(FrameRate source, FrameRate stream) {
  const std::optional<Cadence> cadence = UnevenCadence(source.fps(), stream.fps());
  if (!cadence) return std::nullopt;
  return Message{"target.uneven-pictures",
                 {{"rate", stream.str()},
                  {"source", source.str()},
                  {"shortest", cadence->shortest_ms},
                  {"longest", cadence->longest_ms}}};
}

void Explain(Targets& targets, const Because& reason) {
  for (Because& known : targets.reasons)
    if (known.choice == reason.choice) {
      known = reason;
      return;
    }
  targets.reasons.push_back(reason);
}

void ApplyRateChoice(const RateChoice& choice, bool rate_is_free, Targets& targets) {
  if (!choice.chosen()) {
    targets.warnings.push_back(Message{"target.no-rate-control"});
    return;
  }
  const RateControlAnswer& best = choice.answers.front();
  EncodeSettings& stream = targets.stream;
  stream.rate_control = best.sample.kind;
  stream.buffer_seconds = best.sample.buffer_seconds;
  Message rate_why;
  if (rate_is_free && choice.chosen_kbps() < stream.bit_rate.kbps()) {
    stream.bit_rate = BitRate::FromKbps(choice.chosen_kbps());
    rate_why = Message{"target.lowered-for-dips", {{"kbps", choice.budget_kbps}}};
  }
  stream.maximum_bit_rate = BitRate::FromKbps(std::round(stream.bit_rate.kbps() * best.sample.peak_ratio));
  const Message why{"target.rate-control",
                    {{"rate_control", best.sample.title()},
                     {"dropped", best.at_budget.dropped},
                     {"frames", best.at_budget.frames},
                     {"kbps", choice.budget_kbps},
                     {"highest_kbps", best.highest_kbps}}};
  for (Because& reason : targets.reasons) {
    if (reason.choice == "stream.rate_control") reason = {reason.choice, Name(stream.rate_control), why, false};
    if (reason.choice == "stream.bit_rate" && !rate_why.empty())
      reason = {reason.choice, stream.bit_rate.str(), rate_why, false};
  }
}

void ApplyEnoughBits(const EnoughBits& enough, bool recording_by_rule, Targets& targets) {
  constexpr double kRounding = 50;  // kbit/s
  EncodeSettings &stream = targets.stream, &recording = targets.recording;
  if (!enough.kbps) return;
  const double before = stream.bit_rate.kbps(), after = std::ceil(*enough.kbps / kRounding) * kRounding;
  if (after >= before) return;
  const auto lower = [share = after / before](EncodeSettings& settings) {
    settings.bit_rate = BitRate::FromKbps(std::round(settings.bit_rate.kbps() * share));
    settings.maximum_bit_rate = BitRate::FromKbps(std::round(settings.maximum_bit_rate.kbps() * share));
  };
  lower(stream);
  Explain(targets, {"stream.bit_rate", stream.bit_rate.str(),
                    Message{"target.enough-bits",
                            {{"low", enough.low_kbps},
                             {"high", enough.high_kbps},
                             {"footage", enough.footage},
                             {"encoder", enough.settings.encoder},
                             {"preset", enough.settings.preset},
                             {"kbps", before}}},
                    true});
  if (!recording_by_rule) return;
  lower(recording);
  Explain(targets, {"recording.bit_rate", recording.bit_rate.str(),
                    Message{"target.archive-rule", {{"times", kArchiveFactor}}}});
  Explain(targets, {"recording.rate_control", Name(recording.rate_control),
                    Message{"target.disk-bursts", {{"rate", recording.maximum_bit_rate.str()}}}});
}

Targets ChooseTargets(const Show& show) {
  // One alone takes what it takes, or the Chooser says why that cannot be.
  if (show.destinations.size() < 2) return Chooser(show, Recipients(show)).Choose();
  const CommonStream common = FindCommonStream(show);
  if (common.lacking.empty()) return Chooser(show, Recipients(show)).Choose();
  if (show.one_encode_for_all)
    FailInput("stream.encodes: one encode can't go to all destinations, for no {} suits all: {}; leave it out",
              common.lacking, common.accepted);
  Show part = show;
  part.destinations = common.served.empty() ? std::vector{show.destinations.front()} : common.served;
  Targets targets = Chooser(part, Recipients(show)).Choose();
  for (const Destination& to : part.destinations) targets.served.push_back(to.name);
  targets.lacking = common.lacking;
  return targets;
}

KETTLE_JSON(Because, choice, value, why, measured)

}  // namespace kettle
