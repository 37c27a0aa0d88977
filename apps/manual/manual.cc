// SPDX-License-Identifier: Apache-2.0
// kettle-manual: writes the man pages and the shell completion from the tables that --help goes by. Runs while the
// program is built; not installed.
#include <fmt/format.h>

#include <cstdio>
#include <exception>
#include <filesystem>

#include "completion.h"
#include "kettle/store/file.h"
#include "man_page.h"

int main(int argc, char** argv) {
  using namespace kettle::app;
  if (argc != 4) {
    std::fputs("usage: kettle-manual FOLDER DESTINATIONS GPU-PROFILES\n", stderr);
    return 2;
  }
  try {
    const std::filesystem::path folder = argv[1];
    std::filesystem::create_directories(folder);
    kettle::WriteFile(folder / "fast-kettle.1", ProgramPage());
    for (const Command& command : Commands())
      kettle::WriteFile(folder / fmt::format("fast-kettle-{}.1", command.name), CommandPage(command));
    kettle::WriteFile(folder / "fast-kettle.bash", BashCompletion(argv[2], argv[3]));
    return 0;
  } catch (const std::exception& error) {
    fmt::print(stderr, "kettle-manual: {}\n", error.what());
    return 3;
  }
}
