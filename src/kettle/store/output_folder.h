// SPDX-License-Identifier: Apache-2.0
// The folder that a run's results go to.
#pragma once

#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>

namespace kettle {

// Held by one run at a time.
class OutputFolder {
 public:
  // Makes and locks the folder. Throws Error(kMachine) if it cannot be written, Error(kInput) if
  // another run holds it.
  explicit OutputFolder(std::filesystem::path path);
  ~OutputFolder();
  OutputFolder(const OutputFolder&) = delete;
  OutputFolder& operator=(const OutputFolder&) = delete;

  const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
  int lock_ = -1;
};

// What every JSON file starts with.
struct Provenance {
  std::string version;  // the program's
  std::string machine_digest;
  std::string utc;  // ISO 8601
};
Provenance MakeProvenance(std::string version, std::string machine_digest);

// `body` with "schema": "fast-kettle/<kind>/1" and the provenance in front, written whole to
// `folder`/<kind>.json. Throws Error(kMachine).
void WriteResult(const std::filesystem::path& folder, const std::string& kind, const nlohmann::json& body,
                 const Provenance& provenance);

// The same to any file.
void WriteResultFile(const std::filesystem::path& path, const std::string& kind, const nlohmann::json& body,
                     const Provenance& provenance);

// The JSON file of that kind, if it is there, whole, and of this schema.
std::optional<nlohmann::json> ReadResult(const std::filesystem::path& folder, const std::string& kind);

}  // namespace kettle
