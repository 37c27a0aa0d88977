// SPDX-License-Identifier: Apache-2.0
// The figures of a plan, into the output folder.
#pragma once

#include <vector>

#include "kettle/footage/cache.h"
#include "kettle/plan/plan.h"
#include "session/session.h"

namespace kettle::app {

// `stream_options`: all that is known for the stream at its size and rate. A figure that fails is a warning.
void DrawPlanFigures(Session& session, const Plan& plan, const std::vector<Footage>& footage,
                     const std::vector<Option>& stream_options);

}  // namespace kettle::app
