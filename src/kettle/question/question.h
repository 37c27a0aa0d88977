// SPDX-License-Identifier: Apache-2.0
// Questions that people argue about, as encodes to compare.
#pragma once

#include <string>
#include <vector>

#include "kettle/encoders/settings.h"
#include "kettle/message/message.h"
#include "kettle/search/picture_search.h"

namespace kettle {

struct Variant {
  std::string label;  // "2 B-frames"
  EncodeSettings settings;
};

struct Question {
  std::string name;               // "b-frames"
  Message title;                  // "How many B-frames?"
  Message caveat;                 // what the answer cannot say; may be empty
  std::vector<Variant> variants;  // the first is what the others are compared with
  std::vector<BitRate> rates;     // rising
  BitRate asked_rate;             // one of them
  bool of_picture = false;        // about size or frame rate: which is best at which bit rate matters
};

std::vector<std::string> QuestionNames();

// `encodes` are those that the user asked for, all at one size, frame rate and bit rate; a question about one
// setting is put to the first of them, "encoder" to all. `space` tells the sizes and frame rates that the source
// allows. Without `rates` some around the encode's own are taken. Throws Error(kInput): no such question, or one that
// makes no sense for that encoder.
Question MakeQuestion(const std::string& name, const std::vector<EncodeSettings>& encodes, const SearchSpace& space,
                      std::vector<BitRate> rates);

// A variant at a bit rate; a maximum rate beside its own average is kept in proportion.
EncodeSettings AtRate(EncodeSettings settings, BitRate rate);

// Every variant at every rate, those at the asked rate first.
std::vector<EncodeSettings> EncodesOf(const Question& question);

}  // namespace kettle
