// SPDX-License-Identifier: Apache-2.0
#include "kettle/history/history.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <SQLiteCpp/VariadicBind.h>
#include <fcntl.h>
#include <sqlite3.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <nlohmann/json.hpp>

#include "kettle/history/compressed.h"
#include "kettle/store/json_text.h"
#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

constexpr int kWaitMs = 20'000;  // for another program's transaction

// The steps from each version of the file to the next. Never change one: add one.
const char* const kMigrations[] = {
    "CREATE TABLE runs (number INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT UNIQUE, utc TEXT NOT NULL,"
    " kind TEXT NOT NULL, title TEXT NOT NULL, verdict TEXT NOT NULL, version TEXT NOT NULL, machine TEXT NOT NULL,"
    " folder TEXT NOT NULL, circumstances TEXT NOT NULL, simulated INTEGER NOT NULL);"
    "CREATE TABLE files (run INTEGER NOT NULL REFERENCES runs(number) ON DELETE CASCADE, name TEXT NOT NULL,"
    " bytes INTEGER NOT NULL, content BLOB NOT NULL, PRIMARY KEY (run, name));",
};
constexpr int kVersion = static_cast<int>(std::size(kMigrations));

bool IsDamage(const SQLite::Exception& error) {
  return error.getErrorCode() == SQLITE_CORRUPT || error.getErrorCode() == SQLITE_NOTADB;
}

[[noreturn]] void FailWith(const fs::path& file, const SQLite::Exception& error) {
  const int code = error.getErrorCode();
  FailMachine("the history {}: {}", file.string(),
              code == SQLITE_FULL                                  ? "the disk is full"
              : code == SQLITE_BUSY || code == SQLITE_LOCKED       ? "another program holds it"
              : code == SQLITE_READONLY || code == SQLITE_CANTOPEN ? "it cannot be written"
              : IsDamage(error)                                    ? "it is damaged"
                                                                   : fmt::format("SQLite error {}", code));
}

void MakeForUserOnly(const fs::path& file) {
  std::error_code error;
  fs::create_directories(file.parent_path(), error);
  const int fd = open(file.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600);
  if (fd < 0) FailMachine("cannot write the history {}", file.string());
  close(fd);
}

std::string Text(const nlohmann::json& json) { return JsonText(json); }

KeptRun ReadRun(SQLite::Statement& row) {
  KeptRun run;
  run.number = row.getColumn("number").getInt64();
  run.name = row.getColumn("name").getString();
  run.utc = row.getColumn("utc").getString();
  run.kind = row.getColumn("kind").getString();
  run.title = row.getColumn("title").getString();
  run.version = row.getColumn("version").getString();
  run.machine_digest = row.getColumn("machine").getString();
  run.folder = row.getColumn("folder").getString();
  run.simulated = row.getColumn("simulated").getInt() != 0;
  run.bytes = row.getColumn("bytes").getInt64();
  try {
    run.verdict = nlohmann::json::parse(row.getColumn("verdict").getString()).get<Message>();
    run.circumstances = nlohmann::json::parse(row.getColumn("circumstances").getString()).get<Circumstances>();
  } catch (const nlohmann::json::exception&) {
    // Somebody else's hand: the run's files are still worth having.
  }
  return run;
}

constexpr const char* kSelectRuns =
    "SELECT runs.*, (SELECT coalesce(sum(bytes), 0) FROM files WHERE run = number) AS bytes FROM runs";

bool IsNumber(const std::string& text) {
  return !text.empty() && text.size() < 19 && text.find_first_not_of("0123456789") == std::string::npos;
}

}  // namespace

class History::Database {
 public:
  explicit Database(const fs::path& file)
      : database_(file.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE, kWaitMs) {
    if (StoredVersion() == 0) database_.exec("PRAGMA auto_vacuum = FULL");  // before the first table, or never
    database_.exec("PRAGMA foreign_keys = ON");
    database_.exec("PRAGMA synchronous = EXTRA");  // the folder's entry of the journal too
    Migrate(file);
    SQLite::Statement check(database_, "PRAGMA quick_check(1)");
    if (!check.executeStep() || check.getColumn(0).getString() != "ok")
      throw SQLite::Exception("damaged", SQLITE_CORRUPT);
  }

  SQLite::Database& operator*() { return database_; }

 private:
  int StoredVersion() { return database_.execAndGet("PRAGMA user_version").getInt(); }

  void Migrate(const fs::path& file) {
    if (StoredVersion() == kVersion) return;
    SQLite::Transaction transaction(database_, SQLite::TransactionBehavior::IMMEDIATE);
    const int stored = StoredVersion();  // another program may have been quicker
    if (stored > kVersion)
      FailInput(
          "the history {} is of a newer version of fast-kettle (its format is {}, this one knows {}); it stays as it "
          "is",
          file.string(), stored, kVersion);
    for (int version = stored; version < kVersion; ++version) database_.exec(kMigrations[version]);
    database_.exec(fmt::format("PRAGMA user_version = {}", kVersion));
    transaction.commit();
  }

  SQLite::Database database_;
};

namespace {

// While it lives no other program repairs that file.
class RepairLock {
 public:
  explicit RepairLock(const fs::path& file)
      : fd_(open((file.string() + ".lock").c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600)) {
    if (fd_ >= 0) flock(fd_, LOCK_EX);
  }
  ~RepairLock() {
    if (fd_ >= 0) close(fd_);
  }
  RepairLock(const RepairLock&) = delete;
  RepairLock& operator=(const RepairLock&) = delete;

 private:
  int fd_;
};

// A damaged file is kept for whoever can still read something in it.
fs::path PutAside(const fs::path& file) {
  fs::path aside;
  for (int i = 1; aside.empty() || fs::exists(aside); ++i) aside = file.string() + fmt::format(".damaged-{}", i);
  std::error_code error;
  fs::rename(file, aside, error);
  if (error) FailMachine("the history {} is damaged and cannot be put aside: {}", file.string(), error.message());
  fs::rename(file.string() + "-journal", aside.string() + "-journal", error);
  return aside;
}

}  // namespace

History::History(fs::path file, std::int64_t most_bytes) : file_(std::move(file)), most_bytes_(most_bytes) {
  MakeForUserOnly(file_);
  try {
    database_ = std::make_unique<Database>(file_);
  } catch (const SQLite::Exception& error) {
    if (!IsDamage(error)) FailWith(file_, error);
    Repair();
  }
}

// Of two programs that find the damage, the second finds the first's new file.
void History::Repair() {
  const RepairLock lock(file_);
  try {
    database_ = std::make_unique<Database>(file_);
    return;
  } catch (const SQLite::Exception& error) {
    if (!IsDamage(error)) FailWith(file_, error);
  }
  put_aside_ = PutAside(file_);
  MakeForUserOnly(file_);
  try {
    database_ = std::make_unique<Database>(file_);
  } catch (const SQLite::Exception& error) {
    FailWith(file_, error);
  }
}

History::~History() = default;

std::int64_t History::Keep(const KeptRun& run, const std::vector<KeptFile>& files) try {
  SQLite::Database& database = **database_;
  SQLite::Transaction transaction(database, SQLite::TransactionBehavior::IMMEDIATE);
  SQLite::Statement insert(database,
                           "INSERT INTO runs (utc, kind, title, verdict, version, machine, folder, circumstances,"
                           " simulated) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)");
  SQLite::bind(insert, run.utc, run.kind, run.title, Text(run.verdict), run.version, run.machine_digest, run.folder,
               Text(run.circumstances), run.simulated ? 1 : 0);
  insert.exec();
  const std::int64_t number = database.getLastInsertRowid();
  for (const KeptFile& file : files) {
    SQLite::Statement add(database, "INSERT INTO files (run, name, bytes, content) VALUES (?, ?, ?, ?)");
    const std::string compressed = Compress(file.content);
    add.bind(1, number);
    add.bind(2, file.name);
    add.bind(3, static_cast<std::int64_t>(file.content.size()));
    add.bindNoCopy(4, compressed.data(), static_cast<int>(compressed.size()));
    add.exec();
  }
  // Pages that a deletion frees leave the file with the commit; until then they are counted apart.
  const auto used = [&] {
    return (database.execAndGet("PRAGMA page_count").getInt64() -
            database.execAndGet("PRAGMA freelist_count").getInt64()) *
           database.execAndGet("PRAGMA page_size").getInt64();
  };
  given_up_ = 0;
  while (used() > most_bytes_) {
    SQLite::Statement drop(
        database, "DELETE FROM runs WHERE number = (SELECT min(number) FROM runs WHERE name IS NULL AND number != ?)");
    drop.bind(1, number);
    if (drop.exec() == 0) break;
    ++given_up_;
  }
  transaction.commit();
  return number;
} catch (const SQLite::Exception& error) {
  FailWith(file_, error);
}

std::vector<KeptRun> History::Runs() const try {
  SQLite::Statement rows(**database_, std::string(kSelectRuns) + " ORDER BY number");
  std::vector<KeptRun> runs;
  while (rows.executeStep()) runs.push_back(ReadRun(rows));
  return runs;
} catch (const SQLite::Exception& error) {
  FailWith(file_, error);
}

KeptRun History::Find(const std::string& which, const std::string& kind) const {
  std::vector<KeptRun> runs = Runs();
  if (!kind.empty() && !IsNumber(which)) std::erase_if(runs, [&](const KeptRun& run) { return run.kind != kind; });
  if (runs.empty()) FailInput("the history holds no {} yet", kind.empty() ? "run" : kind);
  const auto by = std::find_if(runs.begin(), runs.end(), [&](const KeptRun& run) {
    return IsNumber(which) ? run.number == std::strtoll(which.c_str(), nullptr, 10)
                           : !which.empty() && run.name == which;
  });
  if (by != runs.end()) return *by;
  if (which == "last") return runs.back();
  if (which == "before-last") {
    if (runs.size() < 2)
      FailInput("the history holds one {} only: there is none before the last", kind.empty() ? "run" : kind);
    return runs[runs.size() - 2];
  }
  if (IsNumber(which))
    FailInput("the history has no run {}; its numbers are {} to {}", which, runs.front().number, runs.back().number);
  std::vector<std::string> names{"last", "before-last"};
  for (const KeptRun& run : runs)
    if (!run.name.empty()) names.push_back(run.name);
  FailInput("the history has no run \"{}\"{}", which,
            Nearest(which, names).empty() ? "; fast-kettle history lists them" : Suggestion(which, names));
}

std::optional<std::string> History::File(std::int64_t number, const std::string& name) const try {
  SQLite::Statement row(**database_, "SELECT bytes, content FROM files WHERE run = ? AND name = ?");
  row.bind(1, number);
  row.bind(2, name);
  if (!row.executeStep()) return std::nullopt;
  return Decompress(row.getColumn(1).getString(), static_cast<std::size_t>(row.getColumn(0).getInt64()));
} catch (const SQLite::Exception& error) {
  FailWith(file_, error);
}

bool History::Has(const KeptFile& file) const try {
  SQLite::Statement rows(**database_, "SELECT run FROM files WHERE name = ? AND bytes = ?");
  rows.bind(1, file.name);
  rows.bind(2, static_cast<std::int64_t>(file.content.size()));
  while (rows.executeStep())
    if (File(rows.getColumn(0).getInt64(), file.name) == file.content) return true;
  return false;
} catch (const SQLite::Exception& error) {
  FailWith(file_, error);
}

void History::Name(std::int64_t number, const std::string& name) try {
  if (IsNumber(name) || name == "last" || name == "before-last" || name == "all")
    FailInput("\"{}\" cannot be a name: it means a run already", name);
  SQLite::Statement taken(**database_, "SELECT number FROM runs WHERE name = ? AND number != ?");
  taken.bind(1, name);
  taken.bind(2, number);
  if (taken.executeStep()) FailInput("run {} has the name \"{}\" already", taken.getColumn(0).getInt64(), name);
  SQLite::Statement update(**database_, "UPDATE runs SET name = nullif(?, '') WHERE number = ?");
  update.bind(1, name);
  update.bind(2, number);
  if (update.exec() == 0) FailInput("the history has no run {}", number);
} catch (const SQLite::Exception& error) {
  FailWith(file_, error);
}

void History::Forget(std::int64_t number) try {
  SQLite::Statement remove(**database_, "DELETE FROM runs WHERE number = ?");
  remove.bind(1, number);
  if (remove.exec() == 0) FailInput("the history has no run {}", number);
} catch (const SQLite::Exception& error) {
  FailWith(file_, error);
}

int History::ForgetAll() try { return (**database_).exec("DELETE FROM runs"); } catch (const SQLite::Exception& error) {
  FailWith(file_, error);
}

std::int64_t History::bytes() const {
  std::error_code error;
  const auto size = fs::file_size(file_, error);
  return error ? 0 : static_cast<std::int64_t>(size);
}

fs::path HistoryFile() {
  const auto set = [](const char* name) {
    const char* value = std::getenv(name);
    return std::string(value ? value : "");
  };
  // The specification says that a relative path counts for nothing.
  if (const fs::path data = set("XDG_DATA_HOME"); data.is_absolute()) return data / "fast-kettle" / "history.sqlite";
  if (const fs::path home = set("HOME"); home.is_absolute())
    return home / ".local" / "share" / "fast-kettle" / "history.sqlite";
  return {};
}

}  // namespace kettle
