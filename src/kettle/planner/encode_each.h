// SPDX-License-Identifier: Apache-2.0
// An encode for each destination in place of one for all: where none suits all of them, or where their pictures gain
// by it and the machine holds it. Internal to this room.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "kettle/draft/plan_draft.h"

namespace kettle {

class EncodeEachPlanner {
 public:
  explicit EncodeEachPlanner(PlanDraft& draft) : draft_(draft) {}

  // Once the plan holds with one encode for all; or, where none suits all, with one for those that the targets serve.
  void Try();
  // What to do where the encodes that all destinations need are too much together.
  Message Nearest() const;

 private:
  bool MayGain(const OwnStream& own) const;
  bool SomeMayGain(const std::vector<OwnStream>& streams) const;
  Message WhyTooMuch(const Option& one);
  void MeasureFasterPresets(const Option& option, double most_behind);
  TriedPicture PictureToScout(const std::string& family, const Option& one) const;
  bool ComesNear(const std::string& family, const Option& one);
  std::vector<OwnStream> ScoutOwnStreams(const Option& one);
  Demand LeastForEach(const Option& one) const;
  EachCandidates CandidatesFor(const OwnStream& own);
  std::vector<EachCandidates> AllCandidates(const std::vector<OwnStream>& streams);
  std::optional<Pair> PlaceBeside(const std::vector<EachCandidates>& candidates, const Capacity& capacity) const;
  std::optional<Pair> PlaceConfirmed(std::vector<EachCandidates>& candidates, const Capacity& capacity);
  Proving ProveLighterUntilOneHolds(std::vector<EachCandidates>& candidates, const Attempt& one);
  void Take(const Pair& pair);

  PlanDraft& draft_;
  const PlanRequest& request_ = draft_.request;
  OptionBook& options_ = draft_.options;
  Plan& plan_ = draft_.plan;
  std::map<std::string, std::vector<TriedPicture>> pictures_;  // tried, by the first of an own stream's destinations
};

}  // namespace kettle
