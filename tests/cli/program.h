// SPDX-License-Identifier: Apache-2.0
// Runs the built program as a user would, on files in a temporary folder.
#pragma once

#include <sys/wait.h>

#include <cstdlib>
#include <nlohmann/json.hpp>
#include <string>

#include "support.h"

namespace kettle::test {

struct Ran {
  int code = -1;
  std::string out, err;
  // What was said on standard error apart from the stages.
  std::string complaint() const {
    std::istringstream lines(err);
    std::string all, line;
    while (std::getline(lines, line))
      if (line.starts_with("fast-kettle: ")) all += line + "\n";
    return all;
  }
};

class ProgramTest : public FolderTest {
 protected:
  // `arguments` as typed in a shell, in the temporary folder; results go to its folder "out".
  Ran Run(const std::string& arguments) const {
    const std::string command = "cd '" + path("").string() + "' && XDG_CACHE_HOME='" + CacheFolder() +
                                "' " KETTLE_PROGRAM " " + arguments + " >stdout.txt 2>stderr.txt </dev/null";
    const int status = std::system(command.c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, Get(path("stdout.txt")), Get(path("stderr.txt"))};
  }

  nlohmann::json Json(const std::string& name) const { return nlohmann::json::parse(Get(path(name))); }

  // Validates a result against its schema with an independent validator.
  void ExpectValid(const std::string& kind) {
    const std::string script =
        "import json,sys,jsonschema; jsonschema.validate(json.load(open(sys.argv[1])), json.load(open(sys.argv[2])))";
    const std::string command = "/usr/bin/python3 -c '" + script + "' '" + path("out/" + kind + ".json").string() +
                                "' '" KETTLE_SOURCE "/docs/schemas/" + kind + ".schema.json' 2>'" +
                                path("invalid.txt").string() + "'";
    EXPECT_EQ(std::system(command.c_str()), 0) << kind << ": " << Get(path("invalid.txt"));
  }

  // A show so small and slow that any machine keeps pace: a stall of half a second skips nothing yet.
  std::string SmallShow(const std::string& footage = "\"open-water\"") const {
    return Put("show.toml",
               "title = \"Small\"\n[picture]\nsource_size = \"320x180\"\nframe_rate = \"12\"\nfootage = [" + footage +
                   "]\n[stream]\nbit_rate = \"600 kbit/s\"\n[require]\nheadroom = 0.05\n");
  }

  // Shared by all tests of a run, as a user's cache is.
  static std::string CacheFolder() {
    static const TemporaryFolder folder(std::filesystem::temp_directory_path());
    return folder.path();
  }
};

}  // namespace kettle::test
