// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>
#include <utility>

#include "commands/commands.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/machine/advice.h"
#include "kettle/units/error.h"
#include "past_runs/keep_run.h"
#include "report/sentence.h"

namespace kettle::app {

namespace {

using nlohmann::json;

// Rates that a recording may have; hours are told for each.
const BitRate kRecordingRates[] = {BitRate::FromKbps(10'000), BitRate::FromKbps(25'000), BitRate::FromKbps(50'000)};
const BitRate kUsualRecording = BitRate::FromKbps(25'000);

constexpr double kBusyGpu = 0.3;

struct SurveyedEncoder {
  FoundEncoder found;
  std::optional<LimitsOutcome> limits;  // of one that works
};

struct Survey {
  bool of_this_machine = true;  // rather than of another tree
  std::vector<SurveyedEncoder> encoders;
  std::vector<NvidiaDevice> nvidia;
  std::map<std::string, std::map<std::string, double>> engine_use;  // by bus address
  std::optional<Disk> disk;
  std::string disk_trouble;  // why its write rate was not measured
  Conditions conditions;
  std::vector<Message> advice;
};

bool IsSimulated(const Survey& survey) {
  return std::any_of(survey.encoders.begin(), survey.encoders.end(),
                     [](const SurveyedEncoder& e) { return e.found.simulated && e.found.probe.works; });
}

// Counters need time to move. Meanwhile nothing of this program runs.
void WatchConditions(Session& session, Survey& survey) {
  constexpr auto kWatch = std::chrono::milliseconds(1500);
  const std::string& root = session.request().root;
  session.progress().Stage("watching the machine idle", 1);
  const SteadyClock clock;
  const std::int64_t start_ns = clock.now_ns();
  const ConditionSample before = SampleConditions(root);
  const EngineTimes engines = ReadEngineTimes(root);
  if (survey.of_this_machine) std::this_thread::sleep_for(kWatch);
  const double seconds = static_cast<double>(clock.now_ns() - start_ns) * 1e-9;
  survey.conditions = ReadConditions(before, SampleConditions(root), seconds, {"kettle-engine", kStandInProcess}, root);
  survey.engine_use = EngineUse(engines, ReadEngineTimes(root), seconds);
  session.progress().Clear();
}

void OpenEncoders(Session& session, Survey& survey) {
  const std::vector<FoundEncoder>& found = session.encoders().All();
  session.progress().Stage("looking for limits", static_cast<int>(found.size()));
  for (const FoundEncoder& encoder : found) {
    SurveyedEncoder surveyed{encoder, {}};
    session.progress().Show(encoder.name, 0);
    if (encoder.probe.works) surveyed.limits = session.encoders().Limits(encoder.name, encoder.device);
    survey.encoders.push_back(std::move(surveyed));
    session.progress().StepDone();
  }
  session.progress().Clear();
  survey.nvidia = session.encoders().Nvidia();
}

void MeasureDisk(Session& session, Survey& survey) {
  const std::string& named = session.request().recording_folder;
  const std::filesystem::path folder = named.empty() ? session.out() : std::filesystem::path(named);
  session.progress().Stage("writing to the disk", 1);
  session.progress().Show(folder.string(), 0);
  survey.disk = ReadDisk(folder);
  try {
    survey.disk->write_rate = session.disk_rates().Measure(folder, session.request().disk_seconds);
  } catch (const Error& error) {
    if (error.fault() == Fault::kInterrupted) throw;
    survey.disk_trouble = error.what();  // a full disk, most likely: the rest of the survey is still worth having
  }
  session.progress().Clear();
}

std::string At(const std::string& bus_address) { return bus_address.empty() ? "" : ", at " + bus_address; }

// One line for each card, by its bus address; those of which nothing tells where they sit come last. A card that its
// own driver tells of stands there once, not a second time as the kernel sees it.
std::multimap<std::pair<bool, std::string>, std::string> Cards(const std::vector<GraphicsDevice>& devices,
                                                               const Survey& survey) {
  std::multimap<std::pair<bool, std::string>, std::string> cards;
  std::set<std::string> told;
  const auto add = [&](const std::string& address, const std::string& line) {
    if (address.empty() || told.insert(address).second) cards.emplace(std::pair(address.empty(), address), line);
  };
  for (const NvidiaDevice& g : survey.nvidia)
    add(g.bus_address, fmt::format("{}, driver {}{}, {:.0f} % busy, encoder {:.0f} %", g.name, g.driver_version,
                                   At(g.bus_address), g.gpu_use.value_or(0) * 100, g.encoder_use.value_or(0) * 100));
  for (const GraphicsDevice& g : devices) {
    std::string use = g.busy ? fmt::format(", {:.0f} % busy", *g.busy * 100) : "";
    if (const auto engines = survey.engine_use.find(g.bus_address); engines != survey.engine_use.end())
      for (const auto& [engine, share] : engines->second) use += fmt::format(", {} {:.0f} %", engine, share * 100);
    add(g.bus_address, fmt::format("{}, driver {}{}{}{}", g.name, g.driver.empty() ? "none" : g.driver,
                                   g.render_node.empty() ? "" : ", " + g.render_node, At(g.bus_address), use));
  }
  for (const SurveyedEncoder& e : survey.encoders)  // which only an encoder's driver tells of
    if (const ProbeOutcome& probe = e.found.probe; probe.works && !probe.bus_address.empty())
      add(probe.bus_address, probe.device_name + At(probe.bus_address));
  return cards;
}

std::vector<Message> Advice(const Session& session, const Survey& survey) {
  std::vector<Message> advice = MachineAdvice(session.machine());
  const std::size_t cards = Cards(session.machine().graphics, survey).size();
  if (cards == 0) advice.push_back(Message{"advice.no-gpu"});
  if (cards > 1) advice.push_back(Message{"advice.several-gpus", {{"count", cards}}});
  const auto add = [&](const std::vector<Message>& more) { advice.insert(advice.end(), more.begin(), more.end()); };
  if (survey.disk) add(DiskAdvice(*survey.disk, kUsualRecording));
  if (!survey.disk_trouble.empty()) advice.push_back(Message{"disk.not-measured", {{"error", survey.disk_trouble}}});
  add(ConditionAdvice(survey.conditions));
  for (const NvidiaDevice& gpu : survey.nvidia)
    if (gpu.gpu_use.value_or(0) >= kBusyGpu)
      advice.push_back(Message{"advice.shaders-busy", {{"gpu", gpu.name}, {"percent", *gpu.gpu_use * 100}}});
  for (const NvidiaDevice& gpu : survey.nvidia)
    if (gpu.encode_sessions.value_or(0) > 0)
      advice.push_back(Message{"advice.gpu-encodes-already", {{"gpu", gpu.name}, {"count", *gpu.encode_sessions}}});
  for (const SurveyedEncoder& e : survey.encoders)
    if (e.limits && e.limits->at_once == 1)
      advice.push_back(Message{"advice.one-encode-at-a-time", {{"encoder", e.found.name}}});
  return advice;
}

json EncoderJson(const SurveyedEncoder& surveyed) {
  const FoundEncoder& found = surveyed.found;
  const EncoderFamily& family = FindFamily(found.name);
  json rates = json::array(), features = json::array();
  for (const auto& [rate_control, mapping] : family.rates) rates.push_back(Name(rate_control));
  for (const auto& [feature, mapping] : family.features) features.push_back(Name(feature));
  json result = {
      {"name", family.name},           {"title", family.title},        {"codec", family.codec},
      {"device", Name(family.device)}, {"device_index", found.device}, {"device_name", found.probe.device_name},
      {"works", found.probe.works},    {"reason", found.probe.reason}, {"presets", family.presets},
      {"rate_controls", rates},        {"features", features},         {"simulated", found.simulated}};
  if (!found.probe.bus_address.empty()) result["bus_address"] = found.probe.bus_address;
  if (const auto& limits = surveyed.limits) {
    result["limits"] = {
        {"largest_size", limits->largest}, {"b_frames", limits->b_frames}, {"ten_bit", limits->ten_bit}};
    if (limits->at_once > 0) {
      result["limits"]["encodes_at_once"] = limits->at_once;
      result["limits"]["more_at_once"] = limits->more_at_once;
    }
  }
  return result;
}

json Body(const Session& session, const Survey& survey) {
  json encoders = json::array();
  for (const SurveyedEncoder& surveyed : survey.encoders) encoders.push_back(EncoderJson(surveyed));
  json body = {{"machine", session.machine()}, {"root", session.request().root},  {"encoders", encoders},
               {"nvidia", survey.nvidia},      {"engine_use", survey.engine_use}, {"conditions", survey.conditions},
               {"advice", survey.advice},      {"simulated", IsSimulated(survey)}};
  if (survey.disk) {
    body["disk"] = *survey.disk;
    for (const BitRate rate : kRecordingRates)
      body["disk"]["hours"].push_back({{"bit_rate_kbps", rate.kbps()}, {"hours", survey.disk->hours_at(rate)}});
  }
  return body;
}

void PrintProcessor(const Processor& p) {
  fmt::print("  processor  {}\n", p.model.empty() ? "unknown" : p.model);
  std::string cores = fmt::format("{} cores, {} threads", p.cores, p.threads);
  if (p.packages > 1) cores += fmt::format(", {} packages", p.packages);
  if (p.efficiency_cores > 0)
    cores += fmt::format(" ({} performance, {} efficiency cores)", p.performance_cores, p.efficiency_cores);
  cores += fmt::format("; {} usable here", p.usable_threads);
  if (p.quota_cores) cores += fmt::format(", limited to the time of {:.2g}", *p.quota_cores);
  fmt::print("             {}\n", cores);
  std::string caches;
  for (const CacheGroup& c : p.caches)
    if (c.level > 1)
      caches += fmt::format("{}{} x {:g} MiB L{}", caches.empty() ? "" : ", ", c.count,
                            static_cast<double>(c.bytes) / (1 << 20), c.level);
  if (!caches.empty()) fmt::print("             {}\n", caches);
}

// Where there are several, those that encode are numbered, as a show may name them.
void PrintGraphics(const std::vector<GraphicsDevice>& devices, const Survey& survey) {
  const auto cards = Cards(devices, survey);
  const auto encodes = [&](const std::string& address) {
    return std::any_of(survey.encoders.begin(), survey.encoders.end(), [&](const SurveyedEncoder& e) {
      return e.found.probe.works && FindFamily(e.found.name).device == DeviceKind::kGpu &&
             e.found.probe.bus_address == address;
    });
  };
  int number = 0;
  for (const auto& [place, line] : cards) {
    const bool numbered = cards.size() > 1 && encodes(place.second);
    fmt::print("  {:<10} {}\n", numbered ? fmt::format("GPU {}", number++) : "GPU", line);
  }
  if (cards.empty()) fmt::print("  GPU        none found\n");
}

void PrintMachine(const Session& session, const Survey& survey) {
  const Machine& m = session.machine();
  fmt::print("{}\n", Paint("Machine", Tone::kStrong));
  PrintProcessor(m.processor);
  fmt::print("  memory     {:.1f} GiB\n", static_cast<double>(m.memory_bytes) / (1 << 30));
  PrintGraphics(m.graphics, survey);
  for (const Display& d : m.displays)
    fmt::print("  display    {}{} on {}{}\n", d.name.empty() ? "" : d.name + ", ", d.size.str(), d.connector,
               d.refresh_hz > 0 ? fmt::format(", {:.2f} Hz", d.refresh_hz) : "");
  if (m.displays.empty()) fmt::print("  display    none connected\n");
  for (const AudioDevice& a : m.audio)
    fmt::print("  sound      {}{}{}\n", a.name,
               a.rates_hz.empty() ? "" : fmt::format(", {} Hz", fmt::join(a.rates_hz, ", ")),
               a.rate_in_use_hz ? fmt::format("; open at {} Hz", *a.rate_in_use_hz) : "");
  if (m.audio.empty()) fmt::print("  sound      none found\n");
  if (m.network)
    fmt::print("  network    {}, {}{}\n", m.network->interface, m.network->wireless ? "wireless" : "wired",
               m.network->speed_mbps > 0 ? fmt::format(", {} Mbit/s to the next device", m.network->speed_mbps) : "");
}

void PrintDisk(const Disk& d) {
  fmt::print("  disk       {}: {}{}{}, {:.1f} GB free\n", d.folder, d.file_system.empty() ? "unknown" : d.file_system,
             d.device.empty() ? "" : " on " + d.device,
             d.rotating ? (*d.rotating ? " (rotating, says the kernel)" : " (not rotating)") : "",
             static_cast<double>(d.free_bytes) / 1e9);
  if (!d.write_rate) return;
  fmt::print("             writes {:.0f} MB/s, {:.0f} at its slowest ({:.0f} MB written, synced)\n",
             d.write_rate->mean_bytes_per_second / 1e6, d.write_rate->slowest_bytes_per_second / 1e6,
             static_cast<double>(d.write_rate->bytes) / 1e6);
  std::string hours;
  for (const BitRate rate : kRecordingRates)
    hours += fmt::format("{}{:.1f} h at {:g} Mbit/s", hours.empty() ? "" : ", ", d.hours_at(rate), rate.kbps() / 1000);
  fmt::print("             holds {}\n", hours);
}

void PrintEncoders(const Survey& survey) {
  fmt::print("\n{}\n", Paint("Encoders", Tone::kStrong));
  // Index orders of different interfaces may differ: of several cards each is told by where it sits.
  const bool several = std::any_of(survey.encoders.begin(), survey.encoders.end(),
                                   [](const SurveyedEncoder& e) { return e.found.device > 0; });
  Table table({{"encoder"}, {"works"}, {"largest"}, {"at once"}, {"B-frames"}, {"10 bit"}, {"device, or why not"}});
  for (const SurveyedEncoder& e : survey.encoders) {
    const ProbeOutcome& probe = e.found.probe;
    std::string note = probe.works ? probe.device_name : probe.reason;
    if (probe.works && note.empty()) note = "this processor";
    if (several && probe.works) note += At(probe.bus_address);
    const auto yes_no = [](bool yes) { return std::string(yes ? "yes" : "no"); };
    const auto& l = e.limits;
    table.Row({{e.found.name},
               {probe.works ? "yes" : "no", probe.works ? Tone::kGood : Tone::kBad},
               {l ? l->largest.str() : ""},
               {l && l->at_once > 0 ? fmt::format("{}{}", l->at_once, l->more_at_once ? " or more" : "") : ""},
               {l ? yes_no(l->b_frames) : ""},
               {l ? yes_no(l->ten_bit) : ""},
               {note}});
  }
  fmt::print("{}", table.str());
}

// Who makes each codec here, and when a plan may take it.
void PrintCodecs(const Survey& survey) {
  struct Use {
    const char *codec, *stream, *recording;
  };
  static const std::vector<Use> uses = {
      {"h264", "always", "always"},
      {"hevc", "where every destination accepts it", "with [recording] plays = \"modern\""},
      {"av1", "where every destination accepts it, over RTMP", "with [recording] plays = \"modern\""},
      {"vp9", "never: neither RTMP nor SRT carries it", "with [recording] plays = \"modern\""}};
  fmt::print("\n{}\n", Paint("Codecs, and what may use them", Tone::kStrong));
  Table table({{"codec"}, {"made here by"}, {"stream"}, {"recording"}});
  for (const Use& use : uses) {
    std::vector<std::string> makers;
    for (const SurveyedEncoder& e : survey.encoders)
      if (e.found.probe.works && e.found.device == 0 && FindFamily(e.found.name).codec == use.codec)
        makers.push_back(e.found.name + (e.found.simulated ? " (simulated)" : ""));
    const bool none = makers.empty();
    table.Row({{CodecTitle(use.codec)},
               {none ? "nothing" : fmt::format("{}", fmt::join(makers, ", ")), none ? Tone::kBad : Tone::kPlain},
               {none ? "-" : use.stream},
               {none ? "-" : use.recording}});
  }
  fmt::print("{}", table.str());
}

void Print(const Session& session, const Survey& survey) {
  PrintMachine(session, survey);
  if (survey.disk) PrintDisk(*survey.disk);
  if (survey.of_this_machine) {
    PrintEncoders(survey);
    PrintCodecs(survey);
  } else {
    fmt::print("\nRead from {}: no encoder was opened and nothing was written to a disk.\n", session.request().root);
  }
  if (!survey.advice.empty()) fmt::print("\n{}\n", Paint("Advice", Tone::kStrong));
  for (const Message& line : survey.advice) fmt::print("  - {}\n", Sentence(line));
  if (IsSimulated(survey)) fmt::print("\n{}", SimulatedNotice());
}

}  // namespace

int RunSurvey(Session& session) {
  Survey survey;
  survey.of_this_machine = session.request().root == "/";
  if (!session.request().recording_folder.empty()) CheckWritable(session.request().recording_folder);
  WatchConditions(session, survey);
  if (survey.of_this_machine) {
    OpenEncoders(session, survey);
    MeasureDisk(session, survey);
  }
  survey.advice = Advice(session, survey);
  const json body = Body(session, survey);
  session.Write("survey", body);
  if (session.request().json)
    PrintJson(body);
  else
    Print(session, survey);
  const auto working = std::count_if(survey.encoders.begin(), survey.encoders.end(),
                                     [](const SurveyedEncoder& e) { return e.found.probe.works; });
  if (survey.of_this_machine)
    KeepRun(session,
            {"survey", "", Message{"history.survey", {{"count", working}}}, IsSimulated(survey), {"survey.json"}});
  return 0;
}

}  // namespace kettle::app
