// SPDX-License-Identifier: Apache-2.0
// The program beside the stand-in ingest, which runs as a process of its own.
#pragma once

#include <unistd.h>

#include <csignal>
#include <string>

#include "program.h"

namespace kettle::test {

class IngestProgramTest : public ProgramTest {
 protected:
  void TearDown() override { StopIngest(); }
  // Starts the stand-in ingest; its address.
  std::string StartIngest(const std::string& options) {
    const std::string command = "cd '" + path("").string() + "' && (" KETTLE_INGEST " --listen 127.0.0.1:0 " + options +
                                " >ingest.txt 2>&1 & echo $! >ingest.pid)";
    EXPECT_EQ(std::system(command.c_str()), 0);
    std::string said;
    for (int i = 0; i < 1000 && said.find("/live") == said.npos; ++i) {
      usleep(10'000);
      said = Get(path("ingest.txt"));
    }
    EXPECT_THAT(said, testing::HasSubstr("SIMULATED"));
    const auto from = said.find("rtmp");
    return said.substr(from, said.find('\n') - from);
  }
  void StopIngest() {
    const std::string process = Get(path("ingest.pid"));
    if (!process.empty()) kill(std::stoi(process), SIGTERM);
    std::filesystem::remove(path("ingest.pid"));
  }
};

}  // namespace kettle::test
