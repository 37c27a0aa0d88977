// SPDX-License-Identifier: Apache-2.0
// A real card takes nothing of the processors that are measured beside it. Its stand-in codes on them; but what it
// coded before it only gives again.
#pragma once

#include <functional>
#include <memory>

#include "coded_before.h"
#include "coder.h"

namespace standin {

// A coder of these settings that asks one of `make` only for what is not in `before`. Where a stream leaves what was
// coded before between two keyframes, an intra picture begins anew. Throws as `make` does.
std::unique_ptr<Coder> MakeReplayingCoder(const Settings& settings, std::function<std::unique_ptr<Coder>()> make,
                                          CodedBefore& before);

}  // namespace standin
