// SPDX-License-Identifier: Apache-2.0
// A plan in the making.
#pragma once

#include <set>
#include <string>
#include <vector>

#include "kettle/draft/plan_request.h"
#include "kettle/option/option_book.h"
#include "kettle/option/trial_book.h"

namespace kettle {

// What the steps of planning share: the request, what was measured for it, how far it is, and the answer so far.
class PlanDraft {
 public:
  // All three must outlive it.
  PlanDraft(const PlanRequest& request, TrialBook& book, const kettle::Prove& prove);
  PlanDraft(const PlanDraft&) = delete;
  PlanDraft& operator=(const PlanDraft&) = delete;

  const PlanRequest& request;
  TrialBook& book;
  const SearchSpace space;  // of the stream's picture
  Plan plan;
  OptionBook options;

  // Runs a pair in real time, at the machine's usual speed as far as that can be waited for.
  Proof Prove(const Pair& pair) { return ProveWith(prove_, pair); }
  // The same, which may end early where the request allows that.
  Proof ProveUntilTooMuch(const Pair& pair) {
    return ProveWith(request.prove_until_too_much ? request.prove_until_too_much : prove_, pair);
  }

  void Begin(PlanStage stage);
  // Whether the time allows more of this stage; if not, the plan says that it was left out.
  bool MayGoOn(PlanStage stage);
  int runs_left();  // proof runs that the request and the time still allow
  void TellWhatWasLeftOut();

  Capacity CapacityAsAsked() const;  // whatever proof runs told
  // Encoder families of the stream and the recording, each once, in the catalogue's order.
  std::vector<std::string> families() const;
  const std::vector<std::string>& recording_families() const;
  // What recordings are placed with: H.264, where it may be used at all. Other codecs are weighed against that.
  bool IsPlainRecording(const std::string& family) const;
  // Whether the show lets that encode run there.
  bool MayUse(Role role, const std::string& family, int device) const;
  bool PictureIsOpen() const { return space.sizes.size() * space.rates.size() > 1; }  // of the stream
  bool RecordingIsFree() const;  // it may have another size or frame rate than the source
  bool one_encode_will_do() const { return RecordingIsFree() || request.show.recording_is_stream; }
  bool must_split() const { return !request.targets.served.empty(); }  // no one encode suits all destinations

  // Each way to record once, with what was found out last; and likewise each encoder of another codec.
  void NoteWay(const TradePoint& point);
  void NoteCodec(Role role, const std::string& family, const Message& why);

 private:
  Proof ProveWith(const kettle::Prove& prove, const Pair& pair);
  void Tell() const;
  bool MayMeasure(const EncodeSettings& settings);

  const kettle::Prove& prove_;
  double patience_seconds_ = 30;  // that the plan may wait for the machine's usual speed, in all
  PlanStage stage_ = PlanStage::kPicture;
  std::set<PlanStage> left_out_;
};

}  // namespace kettle
