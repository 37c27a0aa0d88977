// SPDX-License-Identifier: Apache-2.0
// Runs the built program as a user would, on files in a temporary folder.
#pragma once

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <string>
#include <thread>
#include <vector>

#include "kettle/media/reader.h"
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
    const std::string command = "cd '" + path("").string() + "' && XDG_DATA_HOME='" + path("data").string() +
                                "' XDG_CACHE_HOME='" + CacheFolder() + "' " KETTLE_PROGRAM " " + arguments +
                                " >stdout.txt 2>stderr.txt </dev/null";
    const int status = std::system(command.c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, Get(path("stdout.txt")), Get(path("stderr.txt"))};
  }

  // Starts the program itself, without a shell, and goes on; its words go to stdout.txt and stderr.txt.
  pid_t Start(const std::vector<std::string>& arguments) const {
    std::vector<char*> words{const_cast<char*>(KETTLE_PROGRAM)};
    for (const std::string& argument : arguments) words.push_back(const_cast<char*>(argument.c_str()));
    words.push_back(nullptr);
    const std::string folder = path(""), cache = CacheFolder(), data = path("data");
    const pid_t pid = fork();
    if (pid != 0) return pid;
    if (chdir(folder.c_str()) != 0 || setenv("XDG_CACHE_HOME", cache.c_str(), 1) != 0 ||
        setenv("XDG_DATA_HOME", data.c_str(), 1) != 0)
      _exit(127);
    dup2(open("stdout.txt", O_WRONLY | O_CREAT | O_TRUNC, 0600), STDOUT_FILENO);
    dup2(open("stderr.txt", O_WRONLY | O_CREAT | O_TRUNC, 0600), STDERR_FILENO);
    execv(words[0], words.data());
    _exit(127);
  }
  Ran Wait(pid_t pid) const {
    int status = 0;
    waitpid(pid, &status, 0);
    return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, Get(path("stdout.txt")), Get(path("stderr.txt"))};
  }

  // The processes of that name whose parent is `parent`.
  static std::vector<pid_t> ChildrenOf(pid_t parent, const std::string& name) {
    std::vector<pid_t> children;
    for (const auto& entry : std::filesystem::directory_iterator("/proc")) {
      std::string stat;
      std::getline(std::ifstream(entry.path() / "stat"), stat);
      const auto close = stat.rfind(')');
      if (close == stat.npos || stat.find("(" + name + ")") == stat.npos) continue;
      char state;
      int its_parent;
      if (std::sscanf(stat.c_str() + close + 1, " %c %d", &state, &its_parent) == 2 && its_parent == parent)
        children.push_back(std::stoi(stat));
    }
    return children;
  }
  // Waits up to a minute for one.
  static std::vector<pid_t> AwaitChildrenOf(pid_t parent, const std::string& name) {
    std::vector<pid_t> children;
    for (int i = 0; i < 600 && children.empty(); ++i) {
      children = ChildrenOf(parent, name);
      if (children.empty()) std::this_thread::sleep_for(std::chrono::milliseconds(100));
    }
    return children;
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
                   "]\n[stream]\nbit_rate = \"600 kbit/s\"\n[recording]\nsize = \"source\"\nframe_rate = "
                   "\"source\"\n[require]\nheadroom = 0.05\n");
  }

  // Pictures in a file.
  int Frames(const std::string& file) const {
    MediaReader reader(path(file));
    int frames = 0;
    while (reader.Next()) ++frames;
    return frames;
  }

  // Shared by all tests of a run, as a user's cache is.
  static std::string CacheFolder() {
    static const TemporaryFolder folder(std::filesystem::temp_directory_path());
    return folder.path();
  }
};

}  // namespace kettle::test
