// SPDX-License-Identifier: Apache-2.0
// What survey advises: settings of the machine that cost frames and can be changed.
#pragma once

#include <vector>

#include "kettle/machine/conditions.h"
#include "kettle/machine/disk.h"
#include "kettle/machine/machine.h"
#include "kettle/message/message.h"

namespace kettle {

// One message for each finding that matters to a streamer; empty if there is none.
std::vector<Message> MachineAdvice(const Machine& machine);
// Of displays from which pictures cannot be taken evenly at the stream's rate.
std::vector<Message> DisplayAdvice(const std::vector<Display>& displays, double stream_fps);
// `hours`: what a show needs.
std::vector<Message> DiskAdvice(const Disk& disk, BitRate recording, double hours = 3);
std::vector<Message> ConditionAdvice(const Conditions& conditions);

}  // namespace kettle
