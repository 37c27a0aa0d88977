// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/output_folder.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <chrono>
#include <ctime>
#include <nlohmann/json.hpp>

#include "kettle/input/input.h"
#include "kettle/store/file.h"
#include "kettle/store/json_text.h"
#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"

namespace kettle {

namespace {

std::string SchemaName(const std::string& kind) { return "fast-kettle/" + kind + "/1"; }

}  // namespace

OutputFolder::OutputFolder(std::filesystem::path path) : path_(std::move(path)) {
  // Workers are told of the folder in JSON, which is UTF-8.
  if (PlainText(path_.string()) != path_.string())
    FailInput("--out: \"{}\" is not UTF-8 without control characters; give a folder with another name",
              PlainText(path_.string()));
  PrepareFolder(path_, "output folder");
  const std::string file = (path_ / ".lock").string();
  lock_ = open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600);
  if (lock_ < 0) FailMachine("cannot write in the output folder {}", path_.string());
  if (flock(lock_, LOCK_EX | LOCK_NB) != 0) {
    close(lock_);
    FailInput("another run is writing to {}; wait for it, or use another folder with --out", path_.string());
  }
  RemoveLeftovers(path_, Leftovers::kAll);  // nobody else is at work here now
}

OutputFolder::~OutputFolder() { close(lock_); }

Provenance MakeProvenance(std::string version, std::string machine_digest) {
  const std::time_t now = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
  std::tm parts{};
  gmtime_r(&now, &parts);
  char text[32];
  std::strftime(text, sizeof text, "%Y-%m-%dT%H:%M:%SZ", &parts);
  return {std::move(version), std::move(machine_digest), text};
}

void WriteResult(const std::filesystem::path& folder, const std::string& kind, const nlohmann::json& body,
                 const Provenance& provenance) {
  WriteResultFile(folder / (kind + ".json"), kind, body, provenance);
}

void WriteResultFile(const std::filesystem::path& path, const std::string& kind, const nlohmann::json& body,
                     const Provenance& provenance) {
  nlohmann::ordered_json file;
  file["schema"] = SchemaName(kind);
  file["version"] = provenance.version;
  file["time"] = provenance.utc;
  file["machine_digest"] = provenance.machine_digest;
  for (const auto& [key, value] : body.items()) file[key] = value;
  WriteFile(path, JsonText(file, 2) + "\n");
}

std::optional<nlohmann::json> ReadResult(const std::filesystem::path& folder, const std::string& kind) {
  const std::filesystem::path path = folder / (kind + ".json");
  std::error_code error;
  if (!std::filesystem::is_regular_file(path, error)) return std::nullopt;
  constexpr std::int64_t kMostBytes = 512LL << 20;
  nlohmann::json file = nlohmann::json::parse(ReadInput(path, kMostBytes), nullptr, false);
  if (!file.is_object() || !file.contains("schema") || file["schema"] != SchemaName(kind)) return std::nullopt;
  MakePlain(file);
  return file;
}

}  // namespace kettle
