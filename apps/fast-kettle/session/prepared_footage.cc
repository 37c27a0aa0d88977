// SPDX-License-Identifier: Apache-2.0
#include "session/prepared_footage.h"

#include <utility>

#include "process/interrupt.h"

namespace kettle::app {

Footage PreparedFootage::Prepare(const Show& show, const std::string& source, Stretch stretch, int further) {
  const FootageRequest wanted{source, show.source_size, show.source_rate, seconds_, stretch, further};
  Footage pictures = PrepareFootage(wanted, DefaultCacheFolder(), [&](double share) {
    ThrowIfStopped();
    progress_.Show(source, share);
  });
  if (show.viewing_size) pictures.viewing_size = *show.viewing_size;
  progress_.StepDone();
  return pictures;
}

const std::vector<Footage>& PreparedFootage::PrepareAll(const Show& show) {
  progress_.Stage("preparing footage", static_cast<int>(show.footage.size()));
  footage_.clear();
  for (const std::string& source : show.footage) footage_.push_back(Prepare(show, source, Stretch::kBusiest));
  progress_.Clear();
  return footage_;
}

std::map<std::string, Footage> PreparedFootage::PrepareCalm(const Show& show) {
  std::map<std::string, Footage> calm;
  progress_.Stage("preparing the clips' calmest stretches", static_cast<int>(show.footage.size()));
  for (std::size_t i = 0; i < show.footage.size(); ++i) {
    if (IsScene(show.footage[i])) continue;
    Footage pictures = Prepare(show, show.footage[i], Stretch::kCalmest);
    if (pictures.from_seconds != footage_[i].from_seconds) calm.emplace(footage_[i].label, std::move(pictures));
  }
  progress_.Clear();
  return calm;
}

std::vector<Footage> PreparedFootage::PrepareFurther(const Show& show, int number) {
  std::vector<Footage> further;
  progress_.Stage("preparing more of the footage", static_cast<int>(show.footage.size()));
  const auto reading = [&](double share) {
    ThrowIfStopped();
    progress_.Show("reading", share);
  };
  for (const std::string& source : show.footage)
    if (number <= CountFurther({source, show.source_size, show.source_rate, seconds_}, DefaultCacheFolder(), reading))
      further.push_back(Prepare(show, source, Stretch::kBusiest, number));
  progress_.Clear();
  footage_.insert(footage_.end(), further.begin(), further.end());
  return further;
}

std::vector<Message> PreparedFootage::Notes() const {
  std::vector<Message> notes;
  for (const Footage& pictures : footage_)
    for (const Message& note : pictures.notes)
      notes.push_back(Message{"footage.note", {{"footage", pictures.label}, {"note", note}}});
  return notes;
}

}  // namespace kettle::app
