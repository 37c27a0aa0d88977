// SPDX-License-Identifier: Apache-2.0
#include "kettle/units/text_file.h"

#include <algorithm>
#include <fstream>
#include <string_view>

#include "kettle/units/plain_text.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

std::string Trimmed(const std::string& text) {
  constexpr const char* kSpace = " \t\r\n";
  const auto from = text.find_first_not_of(kSpace);
  return from == text.npos ? ""
                           : PlainText(std::string_view(text).substr(from, text.find_last_not_of(kSpace) - from + 1));
}

}  // namespace

std::optional<std::string> FirstLine(const fs::path& file) {
  std::ifstream stream(file);
  std::string line;
  if (!std::getline(stream, line)) return std::nullopt;
  line = Trimmed(line);
  return line.empty() ? std::nullopt : std::optional(line);
}

std::optional<double> FirstNumber(const fs::path& file) {
  double value = 0;
  std::ifstream stream(file);
  return stream >> value ? std::optional(value) : std::nullopt;
}

std::string FieldOf(const fs::path& file, const std::string& key) {
  std::ifstream stream(file);
  for (std::string line; std::getline(stream, line);)
    if (line.starts_with(key))
      if (const auto end = line.find_first_of(":="); end != line.npos) return Trimmed(line.substr(end + 1));
  return "";
}

std::vector<fs::path> Entries(const fs::path& folder) {
  std::vector<fs::path> entries;
  std::error_code error;
  for (fs::directory_iterator it(folder, error), end; !error && it != end; it.increment(error))
    entries.push_back(it->path());
  std::sort(entries.begin(), entries.end());
  return entries;
}

std::string LinkTarget(const fs::path& link) {
  std::error_code error;
  const fs::path target = fs::read_symlink(link, error);
  return error ? "" : target.filename().string();
}

bool IsThere(const std::filesystem::path& path) {
  std::error_code error;
  return std::filesystem::exists(path, error);
}

}  // namespace kettle
