// SPDX-License-Identifier: Apache-2.0
// Man pages (man(7) macros) from the command tables.
#pragma once

#include <string>

#include "command_table.h"

namespace kettle::app {

std::string ProgramPage();                        // fast-kettle(1)
std::string CommandPage(const Command& command);  // fast-kettle-COMMAND(1)

}  // namespace kettle::app
