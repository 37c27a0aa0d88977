// SPDX-License-Identifier: Apache-2.0
// Files that are whole or not there: written to a temporary name, synced and renamed.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

namespace kettle {

// Replaces `path` with `content`, mode 0600. Throws Error(kMachine) naming the path and the reason
// (no space, no permission); an older file then stays as it was.
void WriteFile(const std::filesystem::path& path, std::string_view content);

// The name beside `path` that a file has until it is whole.
std::filesystem::path UnfinishedName(const std::filesystem::path& path);

// Whose unfinished files and temporary folders are left over.
enum class Leftovers {
  kOfEndedRuns,  // of programs that run no more: others may be at work in the folder
  kAll,          // nobody else is at work there
};
// Removes what killed runs left half done in a folder: unfinished files, and TemporaryFolders. Nobody else's file or
// folder is touched, whatever it is called. Never throws.
void RemoveLeftovers(const std::filesystem::path& folder, Leftovers whose);

// Makes the folder (and its parents) and proves that files can be made in it. `what` names it for the
// user: "output folder". Throws Error(kMachine) with one line.
void PrepareFolder(const std::filesystem::path& folder, const std::string& what);

// Syncs a file that was written elsewhere under a temporary name, then renames it to `target`.
// Throws Error(kMachine).
void Publish(const std::filesystem::path& temporary, const std::filesystem::path& target);

// A temporary folder, removed with everything in it at the end of its life.
class TemporaryFolder {
 public:
  explicit TemporaryFolder(const std::filesystem::path& parent);  // throws Error(kMachine)
  ~TemporaryFolder();
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
};

}  // namespace kettle
