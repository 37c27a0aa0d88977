// SPDX-License-Identifier: Apache-2.0
// Earlier runs with their results, in one SQLite file: what worked can be gone back to, and compared with.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "kettle/history/kept_run.h"

namespace kettle {

// Several programs may use the file at once: each operation is one transaction, and waits for the others'. What Keep
// has returned the number of is on the disk. Every operation throws Error(kMachine) with one line when the file cannot
// be read or written.
class History {
 public:
  static constexpr std::int64_t kMostBytes = 100'000'000;

  // Makes the file and its folder if they are not there, for nobody but the user. A file that is damaged, or no history
  // at all, is put aside under another name, and a new one begun. Throws Error(kInput) for one that a newer version of
  // the program wrote, which stays as it is.
  explicit History(std::filesystem::path file, std::int64_t most_bytes = kMostBytes);
  ~History();
  History(const History&) = delete;
  History& operator=(const History&) = delete;

  const std::filesystem::path& file() const { return file_; }
  // Where a damaged file was put; empty: there was none.
  const std::filesystem::path& put_aside() const { return put_aside_; }

  // Its number. Where the file would exceed most_bytes, the oldest runs without a name go first, but never this one.
  std::int64_t Keep(const KeptRun& run, const std::vector<KeptFile>& files);
  // How many runs the last Keep gave up for space.
  int given_up() const { return given_up_; }

  std::vector<KeptRun> Runs() const;  // oldest first
  // By number, by name, "last" or "before-last" (of that kind, if one is given). Throws Error(kInput) with what there
  // is.
  KeptRun Find(const std::string& which, const std::string& kind = "") const;
  std::optional<std::string> File(std::int64_t number, const std::string& name) const;
  // Whether any kept run has that very file.
  bool Has(const KeptFile& file) const;

  // Gives it a name that no other has; an empty one takes its name away. Throws Error(kInput) for a name that is taken,
  // is a number, or means something else already.
  void Name(std::int64_t number, const std::string& name);
  void Forget(std::int64_t number);
  int ForgetAll();  // how many

  std::int64_t bytes() const;  // of the file

 private:
  class Database;
  void Repair();
  std::filesystem::path file_, put_aside_;
  std::int64_t most_bytes_;
  std::unique_ptr<Database> database_;
  int given_up_ = 0;
};

// $XDG_DATA_HOME/fast-kettle/history.sqlite, or below ~/.local/share; empty if neither variable is set.
std::filesystem::path HistoryFile();

}  // namespace kettle
