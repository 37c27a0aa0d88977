// SPDX-License-Identifier: Apache-2.0
// Where a user's own files lie.
#pragma once

#include <filesystem>

namespace kettle {

// $HOME; without it what the system's list of users says. For a user without either, a folder in the one for temporary
// files, which is this user's and closed to others. Throws Error(kMachine) if somebody else has made that.
std::filesystem::path HomeFolder();

// The same, of the folder for temporary files: made if need be.
std::filesystem::path OwnTemporaryFolder(const std::filesystem::path& temporary);

}  // namespace kettle
