// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/software.h"

#include <elf.h>
#include <link.h>

#include <algorithm>
#include <cstring>
#include <string_view>

#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"
#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

bool StartsWithAny(const std::string& name, const std::vector<std::string_view>& starts) {
  return std::any_of(starts.begin(), starts.end(), [&](std::string_view start) { return name.starts_with(start); });
}

// Size and time of what a path leads to; empty if there is nothing.
std::string FileMark(const fs::path& path) {
  std::error_code error;
  const fs::path real = fs::canonical(path, error);
  if (error) return "";
  const auto bytes = fs::file_size(real, error);
  const auto time = fs::last_write_time(real, error).time_since_epoch().count();
  return fmt::format("{} {} {}", PlainText(real.filename().string()), bytes, time);
}

// The first bytes of the build id among a segment's notes, in hexadecimal; empty if there is none.
std::string BuildIdIn(const char* notes, std::size_t bytes) {
  constexpr std::size_t kShown = 4, kNameBytes = 4;
  const auto padded = [](std::size_t size) { return (size + 3) / 4 * 4; };
  for (std::size_t at = 0; at + sizeof(ElfW(Nhdr)) <= bytes;) {
    ElfW(Nhdr) note;
    std::memcpy(&note, notes + at, sizeof note);
    const std::size_t name = at + sizeof note, id = name + padded(note.n_namesz);
    if (id + note.n_descsz > bytes) break;
    const bool gnu = note.n_namesz == kNameBytes && std::memcmp(notes + name, ELF_NOTE_GNU, kNameBytes) == 0;
    if (note.n_type == NT_GNU_BUILD_ID && gnu) {
      std::string text;
      for (std::size_t i = 0; i < std::min<std::size_t>(kShown, note.n_descsz); ++i)
        text += fmt::format("{:02x}", static_cast<unsigned char>(notes[id + i]));
      return text;
    }
    at = id + padded(note.n_descsz);
  }
  return "";
}

int AddLibrary(dl_phdr_info* info, std::size_t, void* libraries) {
  const std::string file = info->dlpi_name ? info->dlpi_name : "";
  const std::string name = fs::path(file).filename().string();
  if (!StartsWithAny(name, {"libavcodec", "libswscale", "libx264", "libx265", "libSvtAv1Enc", "libvpx"})) return 0;
  std::string build;
  for (int i = 0; i < info->dlpi_phnum && build.empty(); ++i)
    if (const ElfW(Phdr)& part = info->dlpi_phdr[i]; part.p_type == PT_NOTE)
      build = BuildIdIn(reinterpret_cast<const char*>(info->dlpi_addr + part.p_vaddr), part.p_memsz);
  if (build.empty()) build = FileMark(file);
  static_cast<std::vector<std::string>*>(libraries)->push_back(name + " build " + build);
  return 0;
}

}  // namespace

std::vector<std::string> LoadedCodecLibraries() {
  std::vector<std::string> libraries;
  dl_iterate_phdr(AddLibrary, &libraries);
  std::sort(libraries.begin(), libraries.end());
  return libraries;
}

std::vector<std::string> InstalledDrivers(const fs::path& root) {
  std::vector<std::string> drivers;
  for (const char* module : {"nvidia", "amdgpu", "i915", "xe"})
    if (const auto version = FirstLine(root / "sys/module" / module / "version"))
      drivers.push_back(fmt::format("{} {}", module, *version));
  std::vector<fs::path> folders{root / "usr/lib", root / "usr/lib64"};
  for (const fs::path& folder : Entries(root / "usr/lib"))
    if (folder.filename().string().find("-linux-gnu") != std::string::npos) folders.push_back(folder);
  for (const fs::path& folder : folders) {
    for (const fs::path& file : Entries(folder))
      if (StartsWithAny(file.filename().string(),
                        {"libcuda.so.1", "libnvidia-encode.so.1", "libva.so.2", "libvpl.so.2", "libmfx"}))
        drivers.push_back(FileMark(file));
    for (const fs::path& file : Entries(folder / "dri"))
      if (file.filename().string().ends_with("_drv_video.so")) drivers.push_back(FileMark(file));
  }
  std::sort(drivers.begin(), drivers.end());
  drivers.erase(std::unique(drivers.begin(), drivers.end()), drivers.end());
  return drivers;
}

}  // namespace kettle
