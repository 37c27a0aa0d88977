// SPDX-License-Identifier: Apache-2.0
// bench --like: an earlier bench's encodes on its footage once more, to be compared with it.
#pragma once

#include <string>
#include <vector>

#include "command_line.h"
#include "kettle/encoders/settings.h"

namespace kettle::app {

// The request with the footage, size, rate and length of the bench that it names. Throws Error(kInput): no such run, no
// bench, one of an earlier version.
Request LikeBench(Request request);

// That bench's encodes. Throws likewise.
std::vector<EncodeSettings> EncodesLike(const std::string& which);

}  // namespace kettle::app
