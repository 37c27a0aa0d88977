// SPDX-License-Identifier: Apache-2.0
// fast-kettle: checks the command line, answers --help and --version, and hands everything else to the
// engine. The engine links the codec libraries, whose loading alone takes longer than help may.
#include <unistd.h>

#include <cstdio>
#include <exception>
#include <filesystem>

#include "command_line.h"
#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"
#include "process/interrupt.h"

int main(int argc, char** argv) {
  kettle::app::HoldSignals();
  try {
    const auto parsed = kettle::app::ParseCommandLine({argv + 1, argv + argc});
    if (!parsed.request) {
      std::fputs(parsed.text.c_str(), stdout);
      return 0;
    }
    const auto prefix = std::filesystem::canonical("/proc/self/exe").parent_path().parent_path();
    const std::string engine = prefix / "libexec" / "fast-kettle" / "kettle-engine";
    execv(engine.c_str(), argv);
    std::fprintf(stderr, "fast-kettle: cannot start %s; is the installation whole?\n", engine.c_str());
    return 3;
  } catch (const kettle::Error& error) {
    std::fprintf(stderr, "fast-kettle: %s\n", kettle::PlainText(kettle::WithoutKeys(error.what())).c_str());
    return 2;
  } catch (const std::exception& error) {
    std::fprintf(stderr, "fast-kettle: %s\n", error.what());
    return 3;
  }
}
