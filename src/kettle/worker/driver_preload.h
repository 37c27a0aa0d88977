// SPDX-License-Identifier: Apache-2.0
// Lets a worker load the stand-in GPU's driver libraries before the codec library looks for the real ones.
#pragma once

#include <filesystem>

namespace kettle {

// Loads the stand-in driver libraries, which lie in `folder`, for the rest of this process and tells
// them to play `profile`. From then on the codec library's own loading of the driver finds these: an
// already loaded library with the same SONAME wins. Throws Error(kMachine) if they do not load.
void PreloadStandInGpu(const std::filesystem::path& folder, const std::filesystem::path& profile);

}  // namespace kettle
