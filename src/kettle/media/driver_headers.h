// SPDX-License-Identifier: Apache-2.0
// Parameter sets that a driver writes itself, into the stream: taken from there, and made to declare the colours. Such
// a driver is not told them: VA-API's sequence parameters have no fields for them.
#pragma once

extern "C" {
#include <libavcodec/bsf.h>
}

#include <vector>

#include "kettle/media/libav.h"

namespace kettle {

struct BitstreamFilterDeleter {
  void operator()(AVBSFContext* p) const { av_bsf_free(&p); }
};
using BitstreamFilterPtr = std::unique_ptr<AVBSFContext, BitstreamFilterDeleter>;

// Of a packet that has them, as the containers want them apart. Throws Error(kMachine).
std::vector<std::uint8_t> ParameterSets(const AVCodecContext& context, const AVPacket& packet);

// Writes the colours that an encoder was opened with into its parameter sets. What it cannot read stays as it was:
// colours that a player has to guess cost less than a stream that stops.
class ColourTag {
 public:
  // `header`: the stream's parameter sets.
  ColourTag(const AVCodecContext& context, std::vector<std::uint8_t> header);
  const std::vector<std::uint8_t>& header() const { return header_; }
  void Apply(AVPacket& keyframe);  // which has parameter sets too

 private:
  std::vector<std::uint8_t> header_;
  BitstreamFilterPtr filter_;
};

}  // namespace kettle
