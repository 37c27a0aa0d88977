// SPDX-License-Identifier: Apache-2.0
// Which destinations one encode can serve.
#pragma once

#include <string>
#include <vector>

#include "kettle/show/show.h"

namespace kettle {

struct CommonStream {
  std::vector<Destination> served;  // all that can have the same encode, in the show's order
  std::string lacking;              // what suits only some of the show's destinations: "codec"; empty: all are served
  std::string accepted;             // what each takes of it: "Near Quay h264; Far Quay hevc"
};

// The most destinations that share a codec, and a size and a frame rate where they take only certain ones and the show
// leaves them open; of as many those whose codec is played most widely, then those with the largest picture. A
// destination that takes nothing the show can give shares nothing.
CommonStream FindCommonStream(const Show& show);

}  // namespace kettle
