// SPDX-License-Identifier: Apache-2.0
// Which of the encoders that work here a show's stream and recording may use.
#pragma once

#include <string>
#include <vector>

#include "kettle/plan/targets.h"
#include "kettle/show/show.h"
#include "session/session.h"

namespace kettle::app {

// By name: for a codec that the destinations accept, with that rate control. Throws Error(kInput) if none works.
std::vector<std::string> StreamEncoders(Session& session, const std::vector<std::string>& codecs,
                                        RateControl rate_control);

// For what the show lets the recording be, and its container holds. Throws Error(kInput) if the encoder that the show
// names does not work, or none does.
std::vector<std::string> RecordingEncoders(Session& session, const Show& show);

}  // namespace kettle::app
