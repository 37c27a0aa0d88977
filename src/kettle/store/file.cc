// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <optional>
#include <regex>

#include "kettle/units/error.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

// What names of temporary files and folders begin and end with.
constexpr std::string_view kOurs = ".kettle-", kUnfinished = ".part";
constexpr const char* kMark = ".fast-kettle";  // in a temporary folder: it is ours

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

namespace {

// The process that made the unfinished file or folder of this name; nothing for every other name.
std::optional<pid_t> MakerOf(const std::string& name, bool folder) {
  static const std::regex file_name(R"(\.kettle-.+\.([0-9]{1,9})\.part(\.[a-z0-9]{1,4})?)"),
      folder_name(R"(\.kettle-([0-9]{1,9})-[A-Za-z0-9]{6})");
  std::smatch found;
  if (!std::regex_match(name, found, folder ? folder_name : file_name)) return std::nullopt;
  return static_cast<pid_t>(std::stol(found[1]));
}

bool Runs(pid_t process) { return kill(process, 0) == 0 || errno == EPERM; }

void RemoveFolder(const fs::path& folder) {
  std::error_code error;
  // What holds something and is not marked is somebody else's.
  if (fs::exists(folder / kMark, error))
    fs::remove_all(folder, error);
  else
    fs::remove(folder, error);
}

}  // namespace

void RemoveLeftovers(const fs::path& folder, Leftovers whose) {
  std::error_code error;
  for (fs::directory_iterator it(folder, error), end; !error && it != end; it.increment(error)) {
    std::error_code unknown;
    const fs::file_status status = it->symlink_status(unknown);
    const auto maker = MakerOf(it->path().filename().string(), fs::is_directory(status));
    if (!maker || (whose == Leftovers::kOfEndedRuns && Runs(*maker))) continue;
    if (fs::is_directory(status))
      RemoveFolder(it->path());
    else if (fs::is_regular_file(status))
      fs::remove(it->path(), unknown);
  }
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
  std::string pattern = (parent / fmt::format("{}{}-XXXXXX", kOurs, getpid())).string();
  if (!mkdtemp(pattern.data())) FailWrite(parent);
  path_ = pattern;
  const int mark = open((path_ / kMark).c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600);
  if (mark >= 0) close(mark);
}

TemporaryFolder::~TemporaryFolder() {
  std::error_code ignored;
  fs::remove_all(path_, ignored);
}

}  // namespace kettle
