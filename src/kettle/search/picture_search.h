// SPDX-License-Identifier: Apache-2.0
// Which size and frame rate look best at a bit rate, each with an encoder and a preset that the machine holds there.
#pragma once

#include <optional>
#include <vector>

#include "kettle/option/option_book.h"
#include "kettle/search/search_space.h"

namespace kettle {

// A size and a frame rate that were tried.
struct TriedPicture {
  struct Untried {
    EncodeSettings settings;
    double score = 0;  // that is expected
  };

  FrameSize size;
  FrameRate rate;
  // The best looking option that keeps pace there; unset if none of those tried does. Not measured on all footage if it
  // looked no better than another picture on the first.
  std::optional<Option> best;
  // If none does: the one that came nearest to it. A faster preset may, and was not tried as it promised too little.
  std::optional<Option> too_slow = {};
  // What may look better there, should hold, and was not tried, since the picture did not promise enough.
  std::optional<Untried> untried = {};
};
void to_json(nlohmann::json& json, const TriedPicture& tried);
void from_json(const nlohmann::json& json, TriedPicture& tried);

// A difference in points that nobody sees.
inline constexpr double kNobodySees = 0.1;

// Of all encoders, presets, sizes and frame rates of the space, and of B-frames, look-ahead and passes where it is
// refined, always the one is measured next from which the largest improvement over the best so far is expected for each
// second that it takes, by all that was measured before (Outlook); until none promises as much as anybody would see, or
// there is no time. Where clips have calmest stretches too, what comes near the best in the busiest is measured in
// them, and the mean of both counts. What was too slow by one look, or leads by one only, is looked at again as far as
// that may be chance. An option is measured on the footage on which the last one failed first, and no further than to
// look worse there than the best so far; the best in the end on all. Gives all that were tried, the best first; empty
// `best` last. Of those that look alike to any eye one with more frames a second comes first all the same.
std::vector<TriedPicture> SearchPicture(const SearchSpace& space, OptionBook& book);
// The same, for something that beats that score: what does not promise to is left.
std::vector<TriedPicture> SearchPicture(const SearchSpace& space, OptionBook& book, double score_to_beat);

// The same of what was measured already, whether the machine holds it beside all else or not; what was not tried is
// told of where it should fit.
std::vector<TriedPicture> KnownPictures(const SearchSpace& space, OptionBook& book);

// The best looking first, those measured in busy and in calm moments before all others.
void SortByLooks(std::vector<TriedPicture>& tried);

}  // namespace kettle
