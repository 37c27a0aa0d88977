// SPDX-License-Identifier: Apache-2.0
// Which of the encoders that work here a show's stream and recording may use.
#pragma once

#include <string>
#include <vector>

#include "kettle/plan/targets.h"
#include "kettle/show/show.h"
#include "session/session.h"

namespace kettle::app {

// By name: for a codec that every destination accepts, with the rate control that the targets ask for. Throws
// Error(kInput) if none works.
std::vector<std::string> StreamEncoders(Session& session, const Targets& targets);

// For what the show lets the recording be, and its container holds. Throws Error(kInput) if the encoder that the show
// names does not work, or none does.
std::vector<std::string> RecordingEncoders(Session& session, const Show& show);

}  // namespace kettle::app
