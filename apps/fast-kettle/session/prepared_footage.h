// SPDX-License-Identifier: Apache-2.0
// The show's scenes and clips as decoded pictures in the cache.
#pragma once

#include <string>
#include <vector>

#include "kettle/footage/cache.h"
#include "kettle/show/show.h"
#include "terminal.h"

namespace kettle::app {

class PreparedFootage {
 public:
  // `seconds` of each. Keeps a reference to `progress`.
  PreparedFootage(double seconds, Progress& progress) : seconds_(seconds), progress_(progress) {}

  // The busiest stretch of each. Throws Error, also kInterrupted.
  const std::vector<Footage>& PrepareAll(const Show& show);
  // What PrepareAll and PrepareFurther prepared.
  const std::vector<Footage>& all() const { return footage_; }
  // The calmest stretches of the show's clips, where they are not those that PrepareAll prepared, by the labels of
  // those.
  std::map<std::string, Footage> PrepareCalm(const Show& show);
  // More of what PrepareAll prepared: the stretches of that number beside the first, of all that have so many.
  std::vector<Footage> PrepareFurther(const Show& show, int number);
  // What was done to the pictures prepared, a line each.
  std::vector<Message> Notes() const;

 private:
  Footage Prepare(const Show& show, const std::string& source, Stretch stretch, int further = 0);

  const double seconds_;
  Progress& progress_;
  std::vector<Footage> footage_;
};

}  // namespace kettle::app
