// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>

#include "kettle/units/error.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

// What names of temporary files and folders begin and end with.
constexpr std::string_view kOurs = ".kettle-", kUnfinished = ".part";
constexpr std::size_t kRandomLetters = 6;  // of mkdtemp

[[noreturn]] void FailWrite(const fs::path& path) {
  FailMachine("cannot write {}: {}", path.string(), std::strerror(errno));
}

// Closes and removes an unfinished file, then throws; keeps errno's words.
[[noreturn]] void Abandon(int fd, const std::string& temporary, const fs::path& path) {
  const int error = errno;
  if (fd >= 0) close(fd);
  unlink(temporary.c_str());
  errno = error;
  FailWrite(path);
}

void SyncFolder(const fs::path& folder) {
  const int fd = open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (fd < 0) return;
  fsync(fd);
  close(fd);
}

}  // namespace

fs::path UnfinishedName(const fs::path& path) {
  return path.parent_path() / fmt::format("{}{}.{}{}", kOurs, path.filename().string(), getpid(), kUnfinished);
}

bool IsLeftover(const fs::path& path) {
  const std::string name = path.filename().string();
  if (!name.starts_with(kOurs)) return false;
  std::error_code error;
  const bool folder = fs::is_directory(fs::symlink_status(path, error));
  return folder ? name.size() == kOurs.size() + kRandomLetters : name.ends_with(kUnfinished);
}

void WriteFile(const fs::path& path, std::string_view content) {
  const std::string temporary = UnfinishedName(path).string();
  const int fd = open(temporary.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
  if (fd < 0) FailWrite(path);
  while (!content.empty()) {
    const ssize_t written = write(fd, content.data(), content.size());
    if (written < 0 && errno == EINTR) continue;
    if (written < 0) Abandon(fd, temporary, path);
    content.remove_prefix(static_cast<std::size_t>(written));
  }
  if (fsync(fd) != 0) Abandon(fd, temporary, path);
  close(fd);
  if (rename(temporary.c_str(), path.c_str()) != 0) Abandon(-1, temporary, path);
  SyncFolder(path.parent_path());
}

void PrepareFolder(const fs::path& folder, const std::string& what) {
  std::error_code error;
  fs::create_directories(folder, error);
  if (error) FailMachine("cannot make the {} {}: {}", what, folder.string(), error.message());
  if (!fs::is_directory(folder)) FailMachine("the {} {} is not a folder", what, folder.string());
  const std::string probe = UnfinishedName(folder / "probe").string();
  const int fd = open(probe.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600);
  if (fd < 0) FailMachine("cannot write in the {} {}: {}", what, folder.string(), std::strerror(errno));
  close(fd);
  unlink(probe.c_str());
}

void Publish(const fs::path& temporary, const fs::path& target) {
  const int fd = open(temporary.c_str(), O_RDONLY | O_CLOEXEC);
  if (fd < 0) FailWrite(target);
  const bool synced = fsync(fd) == 0;
  close(fd);
  if (!synced || chmod(temporary.c_str(), 0600) != 0 || rename(temporary.c_str(), target.c_str()) != 0)
    FailWrite(target);
  SyncFolder(target.parent_path());
}

TemporaryFolder::TemporaryFolder(const fs::path& parent) {
  std::string pattern = (parent / (std::string(kOurs) + std::string(kRandomLetters, 'X'))).string();
  if (!mkdtemp(pattern.data())) FailWrite(parent);
  path_ = pattern;
}

TemporaryFolder::~TemporaryFolder() {
  std::error_code ignored;
  fs::remove_all(path_, ignored);
}

}  // namespace kettle
