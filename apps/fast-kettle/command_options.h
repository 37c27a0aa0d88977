// SPDX-License-Identifier: Apache-2.0
// The options of each command, in one place: parsing, help, man pages and shell completion all go by them.
#pragma once

#include <boost/program_options/options_description.hpp>
#include <vector>

#include "command_line.h"
#include "command_table.h"

namespace kettle::app {

// In groups with their titles, as help shows them. What is parsed goes into `request` and, of the show's values,
// `values`; both must outlive the groups.
std::vector<boost::program_options::options_description> OptionsOf(const Command& command, Request& request,
                                                                   ShowOverrides& values);

}  // namespace kettle::app
