// SPDX-License-Identifier: Apache-2.0
// The settings card: a plan in plain text.
#pragma once

#include <cstddef>
#include <string>

#include "kettle/plan/plan.h"

namespace kettle {

// Columns of a terminal that fit everywhere.
inline constexpr std::size_t kCardColumns = 80;

// The settings card: plain text of at most 80 columns. Its first screen has all that a streamer types in, stream beside
// recording, with the verdict, what was proven and what to do next; the reasons come below.
std::string SettingsCard(const Plan& plan);
// Its first screen and its notes, without the reasons.
std::string CardSummary(const Plan& plan);

// Whether a plan, read back, has what its card is made from.
bool HasWhatACardTells(const Plan& plan);

// One item of a list, wrapped.
std::string CardNote(const std::string& text);

}  // namespace kettle
