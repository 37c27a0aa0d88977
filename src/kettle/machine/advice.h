// SPDX-License-Identifier: Apache-2.0
// What survey advises: settings of the machine that cost frames and can be changed.
#pragma once

#include <string>
#include <vector>

#include "kettle/machine/conditions.h"
#include "kettle/machine/disk.h"
#include "kettle/machine/machine.h"

namespace kettle {

// One plain line for each finding that matters to a streamer; empty if there is none.
std::vector<std::string> MachineAdvice(const Machine& machine);
// `hours`: what a show needs.
std::vector<std::string> DiskAdvice(const Disk& disk, BitRate recording, double hours = 3);
std::vector<std::string> ConditionAdvice(const Conditions& conditions);

}  // namespace kettle
