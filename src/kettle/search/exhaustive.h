// SPDX-License-Identifier: Apache-2.0
// The whole grid tried, to check the search against.
#pragma once

#include <optional>

#include "kettle/search/picture_search.h"

namespace kettle {

struct GridCheck {
  int grid_trials = 0, search_trials = 0;
  double grid_encode_seconds = 0, search_encode_seconds = 0;
  std::optional<Option> grid_best, search_best;  // unset if nothing keeps pace

  double encode_share() const { return grid_encode_seconds > 0 ? search_encode_seconds / grid_encode_seconds : 0; }
  // How much worse the search's choice looks, in points; 0 if neither found any.
  double loss() const { return (grid_best ? grid_best->score : 0) - (search_best ? search_best->score : 0); }
};

// How many trials the whole grid is.
int GridSize(const SearchSpace& space, std::size_t footage);

// Measures every preset of every family at every size and frame rate on all footage, then searches among the
// same trials: chance has no part in the difference.
GridCheck CheckAgainstGrid(const SearchSpace& space, const std::vector<Footage>& footage, double required_headroom,
                           TrialBook& book);

void to_json(nlohmann::json& json, const GridCheck& check);
void from_json(const nlohmann::json& json, GridCheck& check);

}  // namespace kettle
