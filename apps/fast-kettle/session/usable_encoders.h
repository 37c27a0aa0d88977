// SPDX-License-Identifier: Apache-2.0
// Which of the encoders that work here a show's stream and recording may use.
#pragma once

#include <string>
#include <vector>

#include "kettle/plan/targets.h"
#include "kettle/planner/allowed_devices.h"
#include "kettle/show/show.h"
#include "session/session.h"

namespace kettle::app {

// By name: for a codec that the destinations accept, with that rate control, on the device that the show names. Throws
// Error(kInput) if none works, or not the one that the show names.
std::vector<std::string> StreamEncoders(Session& session, const Show& show, const std::vector<std::string>& codecs,
                                        RateControl rate_control);

// For what the show lets the recording be, and its container holds, likewise.
std::vector<std::string> RecordingEncoders(Session& session, const Show& show);

// The devices that the show names: "cpu", or a GPU whose encoder works here, by its number (by bus address, from 0),
// its PCI address ("0000:01:00.0", "01:00.0"), or its name or a part of that. Throws Error(kInput), with the nearest
// there is, if there is no such device or the name fits several.
AllowedDevices StreamDevices(Session& session, const Show& show);
AllowedDevices RecordingDevices(Session& session, const Show& show);

}  // namespace kettle::app
