// SPDX-License-Identifier: Apache-2.0
// Which size and frame rate look best at a bit rate, each with the slowest preset that the machine holds there.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "kettle/option/option_book.h"
#include "kettle/search/search_space.h"

namespace kettle {

// A size and a frame rate that were tried.
struct TriedPicture {
  FrameSize size;
  FrameRate rate;
  // The best looking option that keeps pace there; unset if none does. Not measured on all footage if it looked no
  // better than another picture on the first.
  std::optional<Option> best;
  // A slower preset that should hold there and was not tried, since the picture did not promise enough.
  std::optional<EncodeSettings> untried = {};
};
void to_json(nlohmann::json& json, const TriedPicture& tried);
void from_json(const nlohmann::json& json, TriedPicture& tried);

// From the source's own picture down the sizes, then all frame rates at the best size, then sizes around it, and again
// until the best stays. Two sizes that look worse end a way: quality over size has one peak; so does what the same step
// changed at other frame rates, if it could not help here. At each picture every encoder is scouted with a preset that
// codes quickly; what slower ones would add is foreseen from what they added where they were walked. The most promising
// picture is walked to the slowest preset that holds, and so on until none promises more than what was measured. Then
// the presets beside the best one. An encoder that is too far behind to catch up is left out. An option is measured on
// the footage on which the last one failed first, and no further than to look worse there than the best so far. Gives
// all that were tried, the best first; empty `best` last.
std::vector<TriedPicture> SearchPicture(const SearchSpace& space, OptionBook& book);

}  // namespace kettle
