// SPDX-License-Identifier: Apache-2.0
#include "profile.h"

#include <toml++/toml.h>

#include <regex>
#include <set>
#include <stdexcept>

namespace standin {

namespace {

// One table of the file; every complaint names the file and the key.
class Table {
 public:
  Table(const toml::table& table, std::string path, std::string name)
      : table_(table), path_(std::move(path)), name_(std::move(name)) {}

  [[noreturn]] void Fail(const std::string& key, const std::string& what) const {
    const std::string full = name_.empty() || key.empty() ? name_ + key : name_ + "." + key;
    throw std::runtime_error(path_ + ": " + full + " " + what);
  }

  void Check(const std::set<std::string>& known) const {
    for (const auto& [key, value] : table_)
      if (!known.contains(std::string(key.str()))) Fail(std::string(key.str()), "is not a known key");
  }

  std::string Text(const char* key, const char* otherwise) const {
    return table_.contains(key) ? Text(key) : otherwise;
  }

  std::string Text(const char* key) const {
    const auto text = table_[key].value_exact<std::string>();
    if (!text || text->empty()) Fail(key, "is missing or no text");
    return *text;
  }

  int Whole(const char* key, int otherwise, int least) const {
    if (!table_.contains(key)) return otherwise;
    constexpr int kMost = 1'000'000'000;
    // Exact: the library's own conversion of a number with an exponent overflows.
    const auto value = table_[key].value_exact<std::int64_t>();
    if (!value || *value < least || *value > kMost)
      Fail(key, "must be a whole number of at least " + std::to_string(least));
    return static_cast<int>(*value);
  }

  double Number(const char* key, double otherwise, double least, double most) const {
    if (!table_.contains(key)) return otherwise;
    const auto value = table_[key].value<double>();
    if (!value || !(*value >= least && *value <= most))
      Fail(key, "must be a number from " + std::to_string(least) + " to " + std::to_string(most));
    return *value;
  }

  bool Truth(const char* key, bool otherwise) const {
    if (!table_.contains(key)) return otherwise;
    const auto value = table_[key].value_exact<bool>();
    if (!value) Fail(key, "must be true or false");
    return *value;
  }

  std::optional<Table> Sub(const char* key) const {
    if (!table_.contains(key)) return std::nullopt;
    const toml::table* sub = table_[key].as_table();
    if (!sub) Fail(key, "must be a table");
    return Table(*sub, path_, name_.empty() ? key : name_ + "." + key);
  }

  // The tables of an array of tables; none if it is not there.
  std::vector<Table> All(const char* key) const {
    std::vector<Table> tables;
    if (!table_.contains(key)) return tables;
    const toml::array* array = table_[key].as_array();
    if (!array) Fail(key, "must be given as [[" + std::string(key) + "]]");
    for (const toml::node& node : *array) {
      if (!node.is_table()) Fail(key, "must be given as [[" + std::string(key) + "]]");
      tables.emplace_back(*node.as_table(), path_, std::string(key) + "[" + std::to_string(tables.size()) + "]");
    }
    return tables;
  }

 private:
  const toml::table& table_;
  std::string path_, name_;
};

constexpr const char* kCodecNames[kCodecs] = {"h264", "hevc", "av1"};
constexpr double kFastest = 1e6;  // millions of luma samples a second: no limit in practice

CodecAbility ReadAbility(const std::optional<Table>& table, CodecAbility ability) {
  if (!table) return ability;
  table->Check({"b_frames", "ten_bit", "max_width", "max_height"});
  ability.offered = true;
  ability.b_frames = table->Whole("b_frames", ability.b_frames, 0);
  ability.ten_bit = table->Truth("ten_bit", ability.ten_bit);
  ability.max_width = table->Whole("max_width", ability.max_width, 32);
  ability.max_height = table->Whole("max_height", ability.max_height, 32);
  return ability;
}

// "0000:01:00.0": domain, bus, device and function.
bool IsBusAddress(const std::string& text) {
  static const std::regex form("[0-9a-f]{4}:[0-9a-f]{2}:[01][0-9a-f]\\.[0-7]");
  return std::regex_match(text, form);
}

// Through VA-API the client decides their order. Only x264 takes that from it, the client writes no slice headers, and
// near the end of a stream it waits for a picture before more than two that precede it have come.
void CheckBFrames(const Table& table, const DeviceProfile& device) {
  constexpr int kMost = 2;
  if (device.interface != Interface::kVaapi) return;
  for (std::size_t codec = 0; codec < kCodecs; ++codec) {
    const bool can = codec == static_cast<std::size_t>(Codec::kH264) && !device.packed_headers;
    if (device.codecs[codec].b_frames > (can ? kMost : 0))
      table.Fail(std::string(kCodecNames[codec]) + ".b_frames",
                 "must be 0 through VA-API; of h264 with packed_headers = false, 2 at most");
  }
}

DeviceProfile ReadDevice(const Table& table, const std::string& usual_address) {
  table.Check({"bus_address", "interface", "low_power", "packed_headers", "name", "compute_major", "compute_minor",
               "session_limit", "h264", "hevc", "av1", "megapixels_per_second", "compute", "game_share",
               "crossing_megapixels_per_second"});
  DeviceProfile device;
  if (const std::string name = table.Text("interface", "nvenc"); name == "vaapi")
    device.interface = Interface::kVaapi;
  else if (name != "nvenc")
    table.Fail("interface", "must be nvenc or vaapi");
  device.bus_address = table.Text("bus_address", usual_address.c_str());
  if (!IsBusAddress(device.bus_address)) table.Fail("bus_address", "must be like \"0000:01:00.0\"");
  device.low_power = table.Truth("low_power", device.low_power);
  device.packed_headers = table.Truth("packed_headers", device.packed_headers);
  device.name = table.Text("name");
  device.compute_major = table.Whole("compute_major", device.compute_major, 1);
  device.compute_minor = table.Whole("compute_minor", device.compute_minor, 0);
  device.session_limit = table.Whole("session_limit", device.session_limit, 1);
  for (std::size_t codec = 0; codec < kCodecs; ++codec)
    device.codecs[codec] = ReadAbility(table.Sub(kCodecNames[codec]), device.codecs[codec]);
  CheckBFrames(table, device);
  const auto speeds = table.Sub("megapixels_per_second");
  if (!speeds) table.Fail("megapixels_per_second", "is missing");
  speeds->Check({"p1", "p2", "p3", "p4", "p5", "p6", "p7", "hevc", "av1"});
  for (int preset = 1; preset <= kPresets; ++preset) {
    const std::string key = "p" + std::to_string(preset);
    const double speed = speeds->Number(key.c_str(), 0, 1e-3, kFastest);
    if (speed <= 0) speeds->Fail(key, "is missing");
    device.megapixels_per_second[static_cast<std::size_t>(preset - 1)] = speed;
  }
  for (std::size_t codec = 1; codec < kCodecs; ++codec)
    device.codec_speed[codec] = speeds->Number(kCodecNames[codec], device.codec_speed[codec], 1e-3, 10);
  if (const auto compute = table.Sub("compute")) {
    compute->Check({"look_ahead", "adaptive_quantisation", "multi_pass"});
    device.look_ahead_speed = compute->Number("look_ahead", 0, 0, kFastest);
    device.adaptive_quantisation_speed = compute->Number("adaptive_quantisation", 0, 0, kFastest);
    device.multi_pass_speed = compute->Number("multi_pass", 0, 0, kFastest);
  }
  device.game_share = table.Number("game_share", 0, 0, 0.95);
  device.crossing_speed = table.Number("crossing_megapixels_per_second", 0, 0, kFastest);
  return device;
}

Fault ReadFault(const Table& table, std::size_t devices) {
  table.Check({"kind", "device", "session", "frame", "factor"});
  static const std::pair<const char*, FaultKind> kinds[] = {
      {"refuse", FaultKind::kRefuse}, {"crash", FaultKind::kCrash}, {"hang", FaultKind::kHang},
      {"slow", FaultKind::kSlow},     {"wrong", FaultKind::kWrong}, {"lost", FaultKind::kLost}};
  Fault fault;
  const std::string kind = table.Text("kind");
  for (const auto& [name, value] : kinds)
    if (kind == name) fault.kind = value;
  if (fault.kind == FaultKind::kNone) table.Fail("kind", "must be refuse, crash, hang, slow, wrong or lost");
  fault.device = table.Whole("device", 0, 0);
  if (fault.device >= static_cast<int>(devices)) table.Fail("device", "is not among the devices of this profile");
  fault.session = table.Whole("session", 1, 0);
  fault.frame = table.Whole("frame", 0, 0);
  fault.factor = table.Number("factor", fault.factor, 1, 1000);
  return fault;
}

}  // namespace

Profile ReadProfile(const std::string& path) {
  toml::table file;
  try {
    file = toml::parse_file(path);
  } catch (const toml::parse_error& error) {
    throw std::runtime_error(path + ": line " + std::to_string(error.source().begin.line) + ": " +
                             std::string(error.description()));
  }
  const Table table(file, path, "");
  table.Check({"driver_version", "linger_seconds", "device", "fault"});
  Profile profile;
  if (file.contains("driver_version")) profile.driver_version = table.Text("driver_version");
  profile.linger_seconds = table.Number("linger_seconds", profile.linger_seconds, 0.1, 600);
  for (const Table& device : table.All("device")) {
    const std::string usual = "0000:0" + std::to_string((profile.devices.size() + 1) % 10) + ":00.0";
    profile.devices.push_back(ReadDevice(device, usual));
    const std::string& address = profile.devices.back().bus_address;
    for (std::size_t i = 0; i + 1 < profile.devices.size(); ++i)
      if (profile.devices[i].bus_address == address)
        device.Fail("bus_address", address + " is that of another device of this profile");
  }
  if (profile.devices.empty()) table.Fail("device", "is missing: a profile has one [[device]] at least");
  for (const Table& fault : table.All("fault")) profile.faults.push_back(ReadFault(fault, profile.devices.size()));
  return profile;
}

}  // namespace standin
