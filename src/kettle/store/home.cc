// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/home.h"

#include <fmt/format.h>
#include <pwd.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstdlib>

#include "kettle/units/error.h"

namespace kettle {

namespace fs = std::filesystem;

fs::path OwnTemporaryFolder(const fs::path& temporary) {
  const fs::path folder = temporary / fmt::format("fast-kettle-{}", getuid());
  mkdir(folder.c_str(), 0700);
  struct stat status {};
  const bool ours = lstat(folder.c_str(), &status) == 0 && S_ISDIR(status.st_mode) && status.st_uid == getuid() &&
                    (status.st_mode & 077) == 0;
  if (!ours) FailMachine("{} is not yours alone: set HOME or XDG_CACHE_HOME to a folder of yours", folder.string());
  return folder;
}

fs::path HomeFolder() {
  if (const char* home = std::getenv("HOME"); home && *home) return home;
  const passwd* user = getpwuid(getuid());
  if (user && user->pw_dir && access(user->pw_dir, W_OK) == 0) return user->pw_dir;
  return OwnTemporaryFolder(fs::temp_directory_path());
}

}  // namespace kettle
