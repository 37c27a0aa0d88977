// SPDX-License-Identifier: Apache-2.0
// Which of the encoders that work here a show's stream and recording may use.
#pragma once

#include <string>
#include <vector>

#include "kettle/draft/allowed_devices.h"
#include "kettle/plan/targets.h"
#include "kettle/show/show.h"
#include "session/session.h"

namespace kettle::app {

// By name: for a codec that the destinations accept, with that rate control, on the device that the show names. Throws
// Error(kInput) if none works, or not the one that the show names.
std::vector<std::string> StreamEncoders(Session& session, const Show& show, const std::vector<std::string>& codecs,
                                        RateControl rate_control);

// For what the show lets the recording be, and its container holds, likewise.
std::vector<std::string> RecordingEncoders(Session& session, const Show& show);

// What runs on the device that is called so: "cpu", or a GPU whose encoder works here, by its number (by bus address,
// from 0), its PCI address ("0000:01:00.0", "01:00.0"), or its name or a part of that; empty: any. `key` is where it
// was asked for. Throws Error(kInput), with the nearest there is, if there is no such device or the name fits several.
AllowedDevices DevicesCalled(Session& session, const std::string& asked, const std::string& key);
// Those of `encoders` that run there. Throws Error(kInput) if none does.
std::vector<std::string> EncodersOn(const AllowedDevices& devices, const std::vector<std::string>& encoders,
                                    const std::string& asked, const std::string& key);

// Where the show lets each encode run.
AllowedDevices StreamDevices(Session& session, const Show& show);
AllowedDevices RecordingDevices(Session& session, const Show& show);

}  // namespace kettle::app
