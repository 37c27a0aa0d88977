// SPDX-License-Identifier: Apache-2.0
// Which builds of the codec libraries and drivers a measurement was made with: an upgrade of any makes another number.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace kettle {

// The codec libraries that this process has loaded, by file name: "libx264.so.164 build 4d5b8f1c". The build is the
// start of the library's GNU build id (ELF note NT_GNU_BUILD_ID), which every new build changes; without one, of the
// file's size and time. Sorted.
std::vector<std::string> LoadedCodecLibraries();

// The GPU drivers of the system under `root`: versions of kernel modules, and the files of NVENC, VA-API and QSV with
// size and time. None of them is opened. Sorted; empty if there are none.
std::vector<std::string> InstalledDrivers(const std::filesystem::path& root);

}  // namespace kettle
