// SPDX-License-Identifier: Apache-2.0
// The settings card: a plan in plain text.
#pragma once

#include <array>
#include <cstddef>
#include <string>
#include <vector>

#include "kettle/plan/plan.h"

namespace kettle {

// Columns of a terminal that fit everywhere.
inline constexpr std::size_t kCardColumns = 80;

// The settings card: plain text of at most 80 columns. Its first screen has all that a streamer types in, stream beside
// recording, with the verdict, what was proven and what to do next; the reasons come below.
std::string SettingsCard(const Plan& plan);
// Its first screen and its notes, without the reasons.
std::string CardSummary(const Plan& plan);

// The card's settings as data: a name, the first column's value, the second's.
struct CardTable {
  std::string first, second;  // the columns' titles; an empty second: there is none
  std::vector<std::array<std::string, 3>> rows;
  std::string note;  // below it; empty: none
};
// Stream and recording, then the encodes for destinations that do not get the first one; none if nothing was chosen.
std::vector<CardTable> CardTables(const Plan& plan);
// One sentence each, of a plan that chose something: "HOLDS: stream and recording keep pace, with 31 % headroom.", and
// what the proof run counted.
std::string CardVerdict(const Plan& plan);
std::string CardProof(const Plan& plan);

// Whether a plan, read back, has what its card is made from.
bool HasWhatACardTells(const Plan& plan);

// One item of a list, wrapped.
std::string CardNote(const std::string& text);

}  // namespace kettle
