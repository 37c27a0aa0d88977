// SPDX-License-Identifier: Apache-2.0
#include "kettle/worker/driver_preload.h"

#include <dlfcn.h>

#include <cstdlib>

#include "kettle/units/error.h"

namespace kettle {

void PreloadStandInGpu(const std::filesystem::path& folder, const std::filesystem::path& profile) {
  setenv("KETTLE_STANDIN_GPU", std::filesystem::absolute(profile).c_str(), 1);
  for (const char* library : {"libcuda.so.1", "libnvidia-encode.so.1", "libnvidia-ml.so.1"})
    if (!dlopen((folder / library).c_str(), RTLD_NOW | RTLD_GLOBAL))
      FailMachine("the stand-in GPU's driver does not load: {}", dlerror());
}

}  // namespace kettle
