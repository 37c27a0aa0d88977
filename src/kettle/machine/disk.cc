// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/disk.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <nlohmann/json.hpp>
#include <random>
#include <sstream>
#include <vector>

#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

fs::path Existing(const fs::path& folder) {
  fs::path path = fs::absolute(folder).lexically_normal();
  std::error_code error;
  while (!fs::exists(path, error) && path != path.parent_path()) path = path.parent_path();
  const fs::path real = fs::canonical(path, error);
  return error ? path : real;
}

// mountinfo writes a space, a tab, the end of a line and a backslash as \040, \011, \012 and \134.
std::string Unescaped(const std::string& text) {
  std::string plain;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const std::string digits = text.substr(i, 1) == "\\" ? text.substr(i + 1, 3) : "";
    if (digits.size() == 3 && digits.find_first_not_of("01234567") == digits.npos) {
      plain += static_cast<char>(std::stoi(digits, nullptr, 8));
      i += 3;
    } else {
      plain += text[i];
    }
  }
  return plain;
}

struct Mount {
  std::string number, point, type, source;  // number is the device's "major:minor"
};

// The mount that `path` lies on: the one with the longest mount point above it; of equals the last, which hides the
// others. proc_pid_mountinfo(5).
Mount MountOf(const fs::path& path, const fs::path& root) {
  Mount best;
  std::ifstream file(root / "proc/self/mountinfo");
  for (std::string line; std::getline(file, line);) {
    std::istringstream words(line);
    std::string id, parent, within, options, word;
    Mount mount;
    words >> id >> parent >> mount.number >> within >> mount.point >> options;
    mount.point = Unescaped(mount.point);
    while (words >> word && word != "-") {
    }
    words >> mount.type >> mount.source;
    const std::string prefix = mount.point == "/" ? "/" : mount.point + "/";
    if ((path.string() + "/").starts_with(prefix) && mount.point.size() >= best.point.size()) best = mount;
  }
  return best;
}

// The whole disk's folder in /sys for a mounted device, which may be a partition of it.
fs::path BlockFolder(const Mount& mount, const fs::path& root) {
  std::error_code error;
  for (const fs::path& link :
       {root / "sys/dev/block" / mount.number, root / "sys/class/block" / fs::path(mount.source).filename()}) {
    const fs::path folder = fs::canonical(link, error);
    if (error || mount.source.empty()) continue;
    return fs::exists(folder / "partition", error) ? folder.parent_path() : folder;
  }
  return {};
}

class NamelessFile {
 public:
  explicit NamelessFile(const fs::path& folder) : fd_(open(folder.c_str(), O_TMPFILE | O_WRONLY | O_CLOEXEC, 0600)) {
    if (fd_ < 0) OpenAndUnlink(folder);
    if (fd_ < 0) FailMachine("cannot write in {}: {}", folder.string(), std::strerror(errno));
  }
  ~NamelessFile() { close(fd_); }
  NamelessFile(const NamelessFile&) = delete;
  NamelessFile& operator=(const NamelessFile&) = delete;

  void Write(const char* data, std::size_t bytes) const {
    while (bytes > 0) {
      const ssize_t written = write(fd_, data, bytes);
      if (written < 0 && errno != EINTR) FailMachine("writing a test file failed: {}", std::strerror(errno));
      if (written <= 0) continue;
      data += written;
      bytes -= static_cast<std::size_t>(written);
    }
  }
  void Sync() const {
    if (fdatasync(fd_) != 0) FailMachine("syncing a test file failed: {}", std::strerror(errno));
  }

 private:
  // Not every file system knows nameless files.
  void OpenAndUnlink(const fs::path& folder) {
    std::string name = (folder / ".kettle-write-XXXXXX").string();
    fd_ = mkostemp(name.data(), O_CLOEXEC);
    if (fd_ >= 0) unlink(name.c_str());
  }
  int fd_;
};

// Random, so that no file system or drive compresses it; other bytes in every write, so that none finds it twice.
class RandomBlock {
 public:
  RandomBlock() : words_(kWriteBytes / sizeof(std::uint64_t)) {
    for (std::uint64_t& word : words_) word = random_();
  }
  const char* Next() {
    const std::uint64_t change = random_();
    for (std::uint64_t& word : words_) word ^= change;
    return reinterpret_cast<const char*>(words_.data());
  }

 private:
  std::mt19937_64 random_{20261123};
  std::vector<std::uint64_t> words_;
};

}  // namespace

double Disk::hours_at(BitRate rate) const {
  return static_cast<double>(free_bytes) * 0.95 * 8 / std::max(1.0, static_cast<double>(rate.bits_per_second)) / 3600;
}

Disk ReadDisk(const fs::path& folder, const fs::path& root) {
  Disk disk;
  disk.folder = folder.string();
  const fs::path existing = Existing(folder);
  std::error_code error;
  const auto space = fs::space(existing, error);
  if (error) FailMachine("cannot read the free space of {}: {}", folder.string(), error.message());
  disk.free_bytes = static_cast<std::int64_t>(space.available);
  const Mount mount = MountOf(existing, root);
  disk.file_system = mount.type;
  const fs::path block = BlockFolder(mount, root);
  disk.device = block.filename().string();
  if (const auto rotating = FirstNumber(block / "queue/rotational"); rotating && !block.empty())
    disk.rotating = *rotating != 0;
  return disk;
}

void CheckWritable(const fs::path& folder) {
  std::error_code error;
  if (!fs::exists(folder, error)) FailInput("{}: no such folder; make it, or name another", folder.string());
  if (!fs::is_directory(folder, error)) FailInput("{}: not a folder", folder.string());
  try {
    const NamelessFile proof(folder);
  } catch (const Error& failure) {
    throw Error(Fault::kInput, failure.what());
  }
}

WriteRate MeasureWriteRate(const fs::path& folder, const WriteRateRequest& request, const Clock& clock,
                           const std::atomic<bool>* stop) {
  const NamelessFile file(folder);
  RandomBlock block;
  const std::int64_t most = std::min(request.most_bytes, ReadDisk(folder).free_bytes / 2);
  WriteRate rate;
  const std::int64_t start_ns = clock.now_ns();
  std::int64_t stretch_ns = start_ns, now_ns = start_ns;
  do {
    for (int i = 0; i < kWritesPerSync; ++i) file.Write(block.Next(), kWriteBytes);
    file.Sync();
    now_ns = clock.now_ns();
    const double stretch = static_cast<double>(kWriteBytes * kWritesPerSync) * 1e9 /
                           static_cast<double>(std::max<std::int64_t>(1, now_ns - stretch_ns));
    rate.slowest_bytes_per_second = rate.bytes == 0 ? stretch : std::min(rate.slowest_bytes_per_second, stretch);
    rate.bytes += kWriteBytes * kWritesPerSync;
    stretch_ns = now_ns;
    if (stop && *stop) throw Error(Fault::kInterrupted, "interrupted");
  } while (static_cast<double>(now_ns - start_ns) * 1e-9 < request.seconds && rate.bytes < most);
  rate.seconds = static_cast<double>(std::max<std::int64_t>(1, now_ns - start_ns)) * 1e-9;
  rate.mean_bytes_per_second = static_cast<double>(rate.bytes) / rate.seconds;
  return rate;
}

void to_json(nlohmann::json& json, const Disk& d) {
  KETTLE_WRITE_FIELDS(json, d, folder, file_system, device, free_bytes);
  if (d.rotating) json["rotating"] = *d.rotating;
  if (d.write_rate)
    json["write_rate"] = {{"mean_bytes_per_second", d.write_rate->mean_bytes_per_second},
                          {"slowest_bytes_per_second", d.write_rate->slowest_bytes_per_second},
                          {"bytes", d.write_rate->bytes},
                          {"seconds", d.write_rate->seconds}};
}

void from_json(const nlohmann::json& json, Disk& d) {
  KETTLE_READ_FIELDS(json, d, folder, file_system, device, free_bytes);
  if (json.contains("rotating")) d.rotating = json["rotating"].get<bool>();
  if (!json.contains("write_rate")) return;
  const auto& rate = json["write_rate"];
  d.write_rate = WriteRate{rate.at("mean_bytes_per_second"), rate.at("slowest_bytes_per_second"), rate.at("bytes"),
                           rate.at("seconds")};
}

}  // namespace kettle
