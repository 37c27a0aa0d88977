// SPDX-License-Identifier: Apache-2.0
#include "kettle/input/input.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>

#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"

namespace kettle {

namespace {

// Opened for reading, and found to be a file.
struct Opened {
  explicit Opened(const std::filesystem::path& path) : name(PlainText(path.string())) {
    // A pipe that nobody writes to would be waited for.
    fd = open(path.c_str(), O_RDONLY | O_NONBLOCK | O_NOCTTY | O_CLOEXEC);
    if (fd < 0 && errno == ENOENT) FailInput("{}: no such file", name);
    if (fd < 0) FailInput("{}: cannot be read ({})", name, std::strerror(errno));
    if (fstat(fd, &status) == 0 && S_ISREG(status.st_mode)) return;
    close(fd);
    FailInput("{}: {}, not a file", name, S_ISDIR(status.st_mode) ? "a folder" : "a device or a pipe");
  }
  ~Opened() { close(fd); }
  Opened(const Opened&) = delete;
  Opened& operator=(const Opened&) = delete;

  std::string name;
  int fd = -1;
  struct stat status {};
};

}  // namespace

void CheckIsFile(const std::filesystem::path& path) { Opened{path}; }

std::string ReadInput(const std::filesystem::path& path, std::int64_t most_bytes) {
  const Opened file(path);
  if (file.status.st_size > most_bytes)
    FailInput("{}: has {} MB, far more than such a file needs; is it the right one?", file.name,
              file.status.st_size / 1'000'000);
  std::string text;
  std::array<char, 65536> buffer;
  while (true) {
    const ssize_t got = read(file.fd, buffer.data(), buffer.size());
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) FailInput("{}: cannot be read ({})", file.name, std::strerror(errno));
    if (got == 0) return text;
    text.append(buffer.data(), static_cast<std::size_t>(got));
    if (std::ssize(text) > most_bytes) FailInput("{}: grows while it is read", file.name);
  }
}

nlohmann::json ReadJsonInput(const std::filesystem::path& path) {
  const std::string text = ReadInput(path), name = PlainText(path.string());
  if (text.find_first_not_of(" \t\r\n") == text.npos) FailInput("{}: an empty file", name);
  try {
    nlohmann::json json = nlohmann::json::parse(text);
    MakePlain(json);
    return json;
  } catch (const nlohmann::json::exception& error) {
    FailInput("{}: {}", name, InPlainWords(error));
  }
}

void MakePlain(nlohmann::json& json) {
  if (json.is_string()) {
    auto& text = json.get_ref<std::string&>();
    text = PlainText(text, text.size() * 3);  // where a byte is no part of a character, three stand in its place
  } else if (json.is_structured()) {
    for (nlohmann::json& inner : json) MakePlain(inner);
  }
}

std::string InPlainWords(const nlohmann::json::exception& error) {
  constexpr int kNoSuchKey = 403;
  if (const auto* parse = dynamic_cast<const nlohmann::json::parse_error*>(&error))
    return fmt::format("no JSON, or cut off, at its byte {}", parse->byte);
  const std::string words = error.what();
  if (error.id == kNoSuchKey)  // "... key 'stream' not found"
    if (const auto from = words.find('\''), to = words.rfind('\''); from < to && to != words.npos)
      return fmt::format("\"{}\" is missing", PlainText(words.substr(from + 1, to - from - 1)));
  if (dynamic_cast<const nlohmann::json::out_of_range*>(&error)) return "a value is out of range";
  return "a value is of the wrong kind";
}

}  // namespace kettle
