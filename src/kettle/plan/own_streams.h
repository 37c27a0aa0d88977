// SPDX-License-Identifier: Apache-2.0
// What the stream is asked for destinations that may get an encode of their own.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "kettle/plan/targets.h"
#include "kettle/show/show.h"

namespace kettle {

// Destinations that are asked the same.
struct OwnStream {
  std::vector<std::string> destinations;  // by name
  EncodeSettings stream;                  // without encoder and preset, at the largest picture that they accept
  std::vector<FrameSize> sizes;           // Targets
  std::vector<FrameRate> rates;
  std::vector<std::string> codecs;
  std::optional<int> most_b_frames;
  std::vector<std::string> families = {};  // usable encoders for those codecs; whoever asks fills them in
};

// Each destination at its share of the line, with its own limits, by the rate control of `common`, which is what one
// encode for all (or for those that it serves) is asked. A rate below the line's share that was chosen for its dips
// is the same part of each share; one from which more bits stop paying is the most for each. Empty: they ask the
// same, the show wants one encode, or the line leaves one of them too little; the last is an Error(kInput) where one
// encode can't serve them all.
std::vector<OwnStream> OwnStreams(const Show& show, const Targets& common);

}  // namespace kettle
