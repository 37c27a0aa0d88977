// SPDX-License-Identifier: Apache-2.0
#include "coded_store.h"

#include <fcntl.h>
#include <link.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstdlib>
#include <cstring>
#include <string>

#include "hash.h"

namespace standin {

namespace fs = std::filesystem;

namespace {

constexpr const char *kOld = "old", *kNew = "new", *kLock = "lock";

// A file begins with this. All of it is in this machine's byte order: a cache does not travel.
struct FileHeader {
  std::uint64_t magic = 0x31656c74'74656b67;  // of this form of the file
  std::uint64_t coders = 0;
  bool operator==(const FileHeader&) const = default;
};

// Each group: this, then its units' headers, then their data.
struct GroupHeader {
  std::uint64_t key, hash;  // of all that follows
  std::uint64_t units, bytes;
};
struct UnitHeader {
  std::uint64_t picture_type, place, bytes;
};

template <typename T>
bool ReadAt(int file, std::uint64_t offset, T& to) {
  return pread(file, &to, sizeof to, static_cast<off_t>(offset)) == static_cast<ssize_t>(sizeof to);
}

bool WriteAt(int file, std::uint64_t offset, const void* data, std::size_t bytes) {
  return pwrite(file, data, bytes, static_cast<off_t>(offset)) == static_cast<ssize_t>(bytes);
}

std::uint64_t SizeOf(int file) {
  struct stat status {};
  return fstat(file, &status) == 0 ? static_cast<std::uint64_t>(status.st_size) : 0;
}

// Calls `see` with each group's key and place; gives the end of the last that is whole, 0 of a file that is not ours.
template <typename See>
std::uint64_t Scan(int file, std::uint64_t coders, const See& see) {
  FileHeader header;
  if (!ReadAt(file, 0, header) || header != FileHeader{.coders = coders}) return 0;
  const std::uint64_t size = SizeOf(file);
  std::uint64_t end = sizeof header;
  GroupHeader group;
  while (ReadAt(file, end, group) && group.bytes <= size && end + sizeof group + group.bytes <= size) {
    see(group.key, end);
    end += sizeof group + group.bytes;
  }
  return end;
}

std::vector<std::uint8_t> Pack(std::uint64_t key, const CodedGroup& units) {
  GroupHeader header{key, 0, units.size(), 0};
  std::vector<std::uint8_t> packed(sizeof header + units.size() * sizeof(UnitHeader));
  std::size_t at = sizeof header;
  for (const auto& unit : units) {
    const UnitHeader of{unit->picture_type, unit->place, unit->data.size()};
    std::memcpy(packed.data() + at, &of, sizeof of);
    at += sizeof of;
  }
  for (const auto& unit : units) packed.insert(packed.end(), unit->data.begin(), unit->data.end());
  header.bytes = packed.size() - sizeof header;
  header.hash = HashBytes(key, packed.data() + sizeof header, header.bytes);
  std::memcpy(packed.data(), &header, sizeof header);
  return packed;
}

std::shared_ptr<const CodedGroup> Unpack(const GroupHeader& header, const std::vector<std::uint8_t>& packed) {
  if (HashBytes(header.key, packed.data(), packed.size()) != header.hash) return nullptr;
  auto group = std::make_shared<CodedGroup>();
  std::size_t at = header.units * sizeof(UnitHeader);
  for (std::uint64_t i = 0; i < header.units; ++i) {
    UnitHeader of;
    std::memcpy(&of, packed.data() + i * sizeof of, sizeof of);
    const auto from = packed.begin() + static_cast<std::ptrdiff_t>(at);
    group->push_back(std::make_shared<const CodedBeforeUnit>(CodedBeforeUnit{
        {from, from + static_cast<std::ptrdiff_t>(of.bytes)}, static_cast<std::uint32_t>(of.picture_type), of.place}));
    at += of.bytes;
  }
  return group;
}

}  // namespace

CodedStore::CodedStore(fs::path folder, std::uint64_t coders, std::uint64_t most_bytes)
    : folder_(std::move(folder)), coders_(coders), most_bytes_(most_bytes) {
  if (folder_.empty()) return;
  const char* names[] = {kOld, kNew};
  for (int i = 0; i < 2; ++i) {
    files_[i] = Descriptor(open(PathOf(names[i]).c_str(), O_RDONLY | O_CLOEXEC));
    if (files_[i])
      Scan(files_[i].get(), coders_, [&](std::uint64_t key, std::uint64_t offset) { places_[key] = {i, offset}; });
  }
}

std::shared_ptr<const CodedGroup> CodedStore::Find(std::uint64_t key) const {
  const auto found = places_.find(key);
  if (found == places_.end()) return nullptr;
  const int file = files_[found->second.file].get();
  GroupHeader header;
  if (!ReadAt(file, found->second.offset, header) || header.key != key) return nullptr;
  std::vector<std::uint8_t> packed(header.bytes);
  const auto from = static_cast<off_t>(found->second.offset + sizeof header);
  if (pread(file, packed.data(), packed.size(), from) != static_cast<ssize_t>(packed.size())) return nullptr;
  return Unpack(header, packed);
}

void CodedStore::Add(const CodedGroups& groups) const {
  if (folder_.empty()) return;
  std::error_code error;
  fs::create_directories(folder_, error);
  const Descriptor lock(open(PathOf(kLock).c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600));
  if (!lock || flock(lock.get(), LOCK_EX) != 0) return;
  std::unordered_map<std::uint64_t, bool> there;
  for (const auto& [key, place] : places_) there[key] = true;
  Descriptor file(open(PathOf(kNew).c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600));
  if (!file) return;
  std::uint64_t end = Scan(file.get(), coders_, [&](std::uint64_t key, std::uint64_t) { there[key] = true; });
  if (end == 0) {  // of other coders: whoever reads it keeps it
    fs::remove(PathOf(kNew), error);
    file = Descriptor(open(PathOf(kNew).c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0600));
    const FileHeader header{.coders = coders_};
    if (!file || !WriteAt(file.get(), 0, &header, sizeof header)) return;
    end = sizeof header;
  }
  for (const auto& [key, group] : groups) {
    if (there[key]) continue;
    const std::vector<std::uint8_t> packed = Pack(key, *group);
    if (!WriteAt(file.get(), end, packed.data(), packed.size())) break;  // no more room on the disk
    end += packed.size();
  }
  if (ftruncate(file.get(), static_cast<off_t>(end)) != 0) return;  // what an end by force had left
  if (end > most_bytes_ / 2) fs::rename(PathOf(kNew), PathOf(kOld), error);
}

fs::path CodedStoreFolder() {
  const fs::path own = fs::path("fast-kettle") / "simulated-gpu";
  if (const char* cache = std::getenv("XDG_CACHE_HOME"); cache && *cache) return cache / own;
  if (const char* home = std::getenv("HOME"); home && *home) return home / fs::path(".cache") / own;
  return {};
}

std::uint64_t LoadedCode() {
  std::uint64_t hash = 0;
  dl_iterate_phdr(
      [](dl_phdr_info* object, std::size_t, void* into) {
        struct stat status {};
        const char* path = object->dlpi_name && *object->dlpi_name ? object->dlpi_name : "/proc/self/exe";
        if (stat(path, &status) != 0) return 0;  // the kernel's own
        const std::int64_t of[] = {status.st_size, status.st_mtim.tv_sec, status.st_mtim.tv_nsec};
        auto& all = *static_cast<std::uint64_t*>(into);
        all = HashBytes(all, reinterpret_cast<const std::uint8_t*>(of), sizeof of);
        return 0;
      },
      &hash);
  return hash;
}

}  // namespace standin
