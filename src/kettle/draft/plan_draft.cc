// SPDX-License-Identifier: Apache-2.0
#include "kettle/draft/plan_draft.h"

#include <algorithm>

#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

bool IsAmong(const std::string& name, const std::vector<std::string>& names) {
  return std::find(names.begin(), names.end(), name) != names.end();
}

bool IsPlain(const std::string& family) { return FindFamily(family).codec == "h264"; }

const std::vector<std::string>& RecordingFamilies(const PlanRequest& request) {
  return request.recording_families.empty() ? request.families : request.recording_families;
}

std::vector<std::string> AllFamilies(const PlanRequest& request) {
  std::vector<std::string> all;
  for (const EncoderFamily& family : Catalogue())
    if (IsAmong(family.name, request.families) || IsAmong(family.name, RecordingFamilies(request)))
      all.push_back(family.name);
  return all;
}

// The trials that trying everything would take.
int CountGrid(const PlanRequest& request, const SearchSpace& space) {
  const Targets& targets = request.targets;
  SearchSpace recording{targets.recording, targets.recording_sizes, targets.recording_rates,
                        RecordingFamilies(request)};
  if (recording.sizes.empty()) recording.sizes = {targets.recording.size};
  if (recording.rates.empty()) recording.rates = {targets.recording.frame_rate};
  int grid = GridSize(space, request.footage.size()) + GridSize(recording, request.footage.size());
  if (request.show.recording_score) grid += GridSize(recording, request.footage.size());  // at its level too
  for (const OwnStream& own : request.own_streams)
    grid += GridSize({own.stream, own.sizes, own.rates, own.families}, request.footage.size());
  // Of further cards, the recording at its own picture.
  for (const std::string& family : AllFamilies(request)) {
    const auto further = DevicesOf(request, family).size() - 1;
    grid += static_cast<int>(further * FindFamily(family).presets.size() * request.footage.size());
  }
  return grid;
}

Capacity CapacityOf(const PlanRequest& request) {
  Capacity capacity = request.capacity;
  capacity.sessions = request.sessions;
  return capacity;
}

Plan BegunPlan(const PlanRequest& request, const SearchSpace& space) {
  Plan plan;
  plan.title = request.show.title;
  plan.container = request.show.recording_container;
  for (const Destination& to : request.show.destinations) plan.over_srt[to.name] = to.srt_only();
  plan.recording_hours = request.show.recording_hours;
  plan.keep_last_seconds = request.show.keep_last_seconds;
  plan.under_load = !request.show.load.empty();
  plan.targets = request.targets;
  plan.capacity = CapacityOf(request);
  plan.first = request.show.first;
  plan.stream_gives = request.show.stream_gives;
  plan.game_gives = request.show.game_gives;
  plan.grid = CountGrid(request, space);
  return plan;
}

Message NameOfWhatWasLeftOut(PlanStage stage) {
  switch (stage) {
    case PlanStage::kPicture: return Message{"time-budget.picture"};
    case PlanStage::kPlacement: return Message{"time-budget.placement"};
    case PlanStage::kRecordingLevel: return Message{"time-budget.recording-level"};
    case PlanStage::kProof: return Message{"time-budget.proof"};
    case PlanStage::kEncodeEach: return Message{"time-budget.encode-each"};
    case PlanStage::kBesides: break;
  }
  return Message{"time-budget.besides"};
}

}  // namespace

std::vector<int> DevicesOf(const PlanRequest& request, const std::string& family) {
  const auto known = request.devices.find(family);
  return known == request.devices.end() ? std::vector<int>{0} : known->second;
}

SearchSpace StreamSpace(const PlanRequest& request) {
  SearchSpace space = SpaceOf(request.targets, request.families);
  for (const auto& [family, devices] : request.devices) {
    std::vector<int>& allowed = space.devices[family];
    for (const int device : devices)
      if (request.stream_devices.Has(family, device)) allowed.push_back(device);
    if (allowed.empty()) allowed.push_back(devices.front());
  }
  space.refined = true;
  space.most_b_frames = request.targets.most_b_frames;
  space.without_b_frames = request.without_b_frames;
  return space;
}

PlanDraft::PlanDraft(const PlanRequest& asked, TrialBook& trials, const kettle::Prove& run)
    : request(asked),
      book(trials),
      space(StreamSpace(asked)),
      plan(BegunPlan(asked, space)),
      options(trials, asked.footage, asked.capacity.headroom,
              {[this](const EncodeSettings& settings) { return MayMeasure(settings); }, [this] { Tell(); }},
              asked.calm),
      prove_(run) {}

Capacity PlanDraft::CapacityAsAsked() const { return CapacityOf(request); }

void PlanDraft::Begin(PlanStage stage) {
  stage_ = stage;
  Tell();
}

void PlanDraft::Tell() const {
  if (!request.watch) return;
  PlanStatus status{stage_, std::max(0, plan.grid - options.trials()), std::nullopt};
  const EncodeSettings& asked = request.targets.stream;
  for (const Option& option : options.options())
    if (option.measured && option.keeps_pace(options.required_headroom()) && option.scored() &&
        option.settings.rate_control == asked.rate_control && option.settings.bit_rate == asked.bit_rate &&
        (!status.best || option.score > status.best->score))
      status.best = option;
  if (!plan.placement.feasible.empty()) status.best = plan.placement.feasible.front().stream;
  request.watch(status);
}

bool PlanDraft::MayGoOn(PlanStage stage) {
  if (request.time.Allows(stage)) return true;
  left_out_.insert(stage);
  return false;
}

// Each encoder's fastest preset is measured however late it is: without it nothing can be placed.
bool PlanDraft::MayMeasure(const EncodeSettings& settings) {
  return (stage_ == PlanStage::kPlacement && settings.preset == FindFamily(settings.encoder).presets.front()) ||
         MayGoOn(stage_);
}

int PlanDraft::runs_left() {
  const int left = request.most_proofs - static_cast<int>(plan.proving.attempts.size());
  return left <= 0 || plan.proving.attempts.empty() || MayGoOn(PlanStage::kProof) ? left : 0;
}

void PlanDraft::TellWhatWasLeftOut() {
  std::vector<Message> parts;
  for (const PlanStage stage : left_out_) parts.push_back(NameOfWhatWasLeftOut(stage));
  if (!parts.empty()) plan.targets.warnings.push_back(Message{"time-budget.left-out", {{"parts", parts}}});
}

std::vector<std::string> PlanDraft::families() const { return AllFamilies(request); }

const std::vector<std::string>& PlanDraft::recording_families() const { return RecordingFamilies(request); }

bool PlanDraft::IsPlainRecording(const std::string& family) const {
  const std::vector<std::string>& families = recording_families();
  const bool any_plain = std::any_of(families.begin(), families.end(), IsPlain);
  return IsAmong(family, families) && (IsPlain(family) || !any_plain);
}

bool PlanDraft::MayUse(Role role, const std::string& family, int device) const {
  const bool stream = role == Role::kStream;
  return IsAmong(family, stream ? request.families : recording_families()) &&
         (stream ? request.stream_devices : request.recording_devices).Has(family, device);
}

bool PlanDraft::RecordingIsFree() const {
  return !request.show.recording_is_stream &&
         request.targets.recording_sizes.size() * request.targets.recording_rates.size() > 1;
}

void PlanDraft::NoteWay(const TradePoint& point) {
  const auto known =
      std::find_if(plan.trade.begin(), plan.trade.end(), [&](const TradePoint& other) { return other.SameWay(point); });
  if (known == plan.trade.end())
    plan.trade.push_back(point);
  else
    *known = point;
}

void PlanDraft::NoteCodec(Role role, const std::string& family, const Message& why) {
  const std::string& codec = FindFamily(family).codec;
  for (OtherCodec& other : plan.other_codecs)
    if (other.role == role && other.encoder == family) {
      other.why = why;
      return;
    }
  plan.other_codecs.push_back({role, codec, family, why});
}

Proof PlanDraft::ProveWith(const kettle::Prove& prove, const Pair& pair) {
  constexpr double kWaitSeconds = 2;
  if (request.time.limited()) return prove(pair);
  double before = book.LookAtSpeed();
  for (; before > kSlow && patience_seconds_ > 0; patience_seconds_ -= kWaitSeconds)
    before = book.LookAtSpeed(kWaitSeconds);
  Proof proof = prove(pair);
  proof.slowness = std::max(before, book.LookAtSpeed());
  return proof;
}

}  // namespace kettle
