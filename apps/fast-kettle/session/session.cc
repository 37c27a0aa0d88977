// SPDX-License-Identifier: Apache-2.0
#include "session/session.h"

#include <fmt/format.h>
#include <sys/stat.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstring>
#include <fstream>
#include <iterator>
#include <nlohmann/json.hpp>
#include <thread>

#include "figure/plot.h"
#include "kettle/encoders/catalogue.h"
#include "kettle/machine/conditions.h"
#include "kettle/units/digest.h"
#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"
#include "kettle/units/text_file.h"
#include "profile.h"
#include "report/trial_csv.h"

namespace kettle::app {

namespace fs = std::filesystem;

namespace {

using nlohmann::json;

std::atomic<bool> stop_requested = false;

std::string DigestOfFile(const std::string& path) {
  if (path.empty()) return "";
  std::ifstream file(path, std::ios::binary);
  return HexDigest(std::string(std::istreambuf_iterator<char>(file), {}));
}

json FootageJson(const std::vector<Footage>& footage) {
  json list = json::array();
  for (const Footage& f : footage)
    list.push_back({{"label", f.label},
                    {"key", f.key()},
                    {"size", f.size},
                    {"frame_rate", f.rate},
                    {"frames", f.frames},
                    {"from_seconds", f.from_seconds},
                    {"notes", f.notes}});
  return list;
}

}  // namespace

Places FindPlaces() {
  const fs::path engine = fs::canonical("/proc/self/exe");
  const fs::path prefix = engine.parent_path().parent_path().parent_path();
  return {engine, prefix / "lib" / "fast-kettle" / "standin", prefix / "share" / "fast-kettle"};
}

std::string FindStandInGpu(const std::string& name, const Places& places) {
  if (name.empty()) return "";
  std::error_code absent;
  if (!fs::exists(places.drivers, absent))
    FailInput("the simulated GPU is not installed: sudo apt install {}", kSimulatorsPackage);
  fs::path path = name;
  if (name.find_first_of("/.") == name.npos && !IsThere(path)) path = places.share / "gpu" / (name + ".toml");
  if (!IsThere(path)) {
    std::vector<std::string> names;
    std::error_code error;
    for (const auto& entry : fs::directory_iterator(places.share / "gpu", error))
      if (entry.path().extension() == ".toml") names.push_back(entry.path().stem().string());
    FailInput("--stand-in-gpu: there is no profile \"{}\"{}", name, Suggestion(name, names));
  }
  try {
    standin::ReadProfile(path);
  } catch (const std::exception& error) {
    FailInput("--stand-in-gpu: {}", error.what());
  }
  return fs::absolute(path).string();
}

const std::atomic<bool>& StopRequested() { return stop_requested; }

void CatchSignals() {
  struct sigaction action {};
  action.sa_handler = [](int) { stop_requested = true; };
  sigaction(SIGINT, &action, nullptr);
  sigaction(SIGTERM, &action, nullptr);
  sigaction(SIGHUP, &action, nullptr);
}

Session::Session(const Request& request, Places places)
    : request_(request),
      places_(std::move(places)),
      folder_(request.out),
      scratch_(folder_.path()),
      machine_(ReadMachine(request.root)),
      provenance_(MakeProvenance(kVersion, Digest(machine_))),
      stand_in_profile_(FindStandInGpu(request_.stand_in_gpu, places_)),
      stand_in_digest_(DigestOfFile(stand_in_profile_)),
      worker_({places_.engine.string(), "worker"}, stand_in_profile_, &stop_requested),
      progress_(request.quiet),
      runner_(
          worker_, scratch_.path(), [this](const std::string& what, double share) { progress_.Show(what, share); },
          request.bench.patience_seconds),
      quality_csv_(folder_.path() / "quality.csv") {}

const std::vector<NvidiaDevice>& Session::Nvidia() {
  if (nvidia_) return *nvidia_;
  constexpr double kSeconds = 20;
  const WorkerReport report = worker_.Run({"nvidia", nullptr, kSeconds});
  nvidia_.emplace();
  if (report.status == WorkerStatus::kDone && report.result.contains("devices"))
    nvidia_ = report.result["devices"].get<std::vector<NvidiaDevice>>();
  return *nvidia_;
}

int Session::CountDevices(const EncoderFamily& family) {
  switch (family.interface) {
    case Interface::kProcessor: return 1;
    // One is tried even if nothing tells of any: the trial says why it does not work.
    case Interface::kNvenc: return std::max(1, static_cast<int>(Nvidia().size()));
    case Interface::kVaapi:
    case Interface::kQsv: return std::max(1, CountRenderNodes());
  }
  return 1;
}

const std::vector<FoundEncoder>& Session::FindEncoders() {
  if (!encoders_.empty()) return encoders_;
  progress_.Stage("opening encoders", static_cast<int>(Catalogue().size()));
  for (const EncoderFamily& family : Catalogue()) {
    progress_.Show(family.title, 0);
    const int devices = CountDevices(family);
    for (int device = 0; device < devices; ++device) {
      const bool simulated = family.interface == Interface::kNvenc && !stand_in_profile_.empty();
      encoders_.push_back({family.name, device, runner_.Probe(ProbeSettings(family, device)), simulated});
    }
    progress_.StepDone();
  }
  progress_.Clear();
  return encoders_;
}

std::vector<std::string> Session::UsableEncoders() {
  std::vector<std::string> names;
  for (const FoundEncoder& encoder : FindEncoders())
    if (encoder.probe.works && encoder.device == 0 && FindFamily(encoder.name).codec == "h264")
      names.push_back(encoder.name);
  if (names.empty()) FailMachine("no H.264 encoder works on this machine; fast-kettle survey tells why");
  return names;
}

std::map<std::string, int> Session::UsableDevices() {
  std::map<std::string, int> devices;
  for (const FoundEncoder& encoder : FindEncoders())
    if (encoder.probe.works && encoder.device == devices[encoder.name]) ++devices[encoder.name];
  return devices;
}

std::map<std::string, int> Session::EncodesAtOnce(const std::vector<std::string>& families) {
  std::map<std::string, int> at_once;
  for (const std::string& name : families) {
    const EncoderFamily& family = FindFamily(name);
    if (family.device == DeviceKind::kCpu) continue;
    progress_.Show("how many encodes " + name + " opens at once", 0);
    if (const auto limits = Limits(name, 0)) at_once[name] = limits->at_once;
  }
  progress_.Clear();
  return at_once;
}

std::optional<LimitsOutcome> Session::Limits(const std::string& family, int device) {
  const std::pair key(family, device);
  const auto known = limits_.find(key);
  if (known != limits_.end()) return known->second;
  return limits_[key] = runner_.Limits(ProbeSettings(FindFamily(family), device));
}

WriteRate Session::MeasureWriteRate(const fs::path& folder, double seconds) {
  fs::path existing = fs::absolute(folder);
  std::error_code error;
  while (existing.has_relative_path() && !fs::is_directory(existing, error)) existing = existing.parent_path();
  struct stat status {};
  if (stat(existing.c_str(), &status) != 0) FailMachine("{}: {}", existing.string(), std::strerror(errno));
  const auto known = write_rates_.find(status.st_dev);
  if (known != write_rates_.end()) return known->second;
  return write_rates_[status.st_dev] = kettle::MeasureWriteRate(existing, {seconds}, SteadyClock(), &StopRequested());
}

std::vector<std::string> Session::FootageNotes() const {
  std::vector<std::string> notes;
  for (const Footage& pictures : footage_)
    for (const std::string& note : pictures.notes) notes.push_back(pictures.label + ": " + note);
  return notes;
}

Footage Session::Prepare(const Show& show, const std::string& source, Stretch stretch) {
  const FootageRequest wanted{source, show.source_size, show.source_rate, request_.footage_seconds, stretch};
  Footage pictures = PrepareFootage(wanted, DefaultCacheFolder(), [&](double share) {
    if (StopRequested()) throw Error(Fault::kInterrupted, "interrupted");
    progress_.Show(source, share);
  });
  if (show.viewing_size) pictures.viewing_size = *show.viewing_size;
  progress_.StepDone();
  return pictures;
}

std::vector<Footage> Session::PrepareAll(const Show& show) {
  progress_.Stage("preparing footage", static_cast<int>(show.footage.size()));
  footage_.clear();
  for (const std::string& source : show.footage) footage_.push_back(Prepare(show, source, Stretch::kBusiest));
  progress_.Clear();
  return footage_;
}

std::vector<Footage> Session::PrepareCalm(const Show& show, const std::vector<Footage>& busiest) {
  std::vector<Footage> calm;
  progress_.Stage("preparing the clips' calmest stretches", static_cast<int>(show.footage.size()));
  for (std::size_t i = 0; i < show.footage.size(); ++i) {
    if (IsScene(show.footage[i])) continue;
    Footage pictures = Prepare(show, show.footage[i], Stretch::kCalmest);
    if (pictures.from_seconds != busiest[i].from_seconds) calm.push_back(std::move(pictures));
  }
  progress_.Clear();
  return calm;
}

void Session::StartLoad(const std::string& load) {
  load_ = std::make_unique<BackgroundLoad>(load, places_, stand_in_profile_);
}

std::vector<Trial> Session::KnownTrials() const {
  std::vector<Trial> trials = KeptTrials();
  std::erase_if(trials, [&](const Trial& trial) { return trial.disturbed() && QuietNow(); });
  return trials;
}

std::vector<Trial> Session::KeptTrials() const {
  std::vector<Trial> trials;
  const auto file = ReadResult(out(), "bench");
  if (request_.fresh || !file || file->value("machine_digest", "") != provenance_.machine_digest ||
      file->value("version", "") != provenance_.version ||
      file->value("load_digest", "") != (load_ ? load_->digest() : ""))
    return trials;
  try {
    const bool same_gpu = file->at("stand_in_digest") == stand_in_digest_;
    for (const Trial& trial : file->at("trials").get<std::vector<Trial>>())
      if (trial.device == "cpu" || same_gpu) trials.push_back(trial);
  } catch (const std::exception&) {
    trials.clear();  // of another make: measured again
  }
  return trials;
}

bool Session::QuietNow() const {
  constexpr auto kLook = std::chrono::seconds(1);
  constexpr double kQuietOthers = 0.2, kQuietStolen = 0.1;  // cores: as a trial is marked
  if (quiet_) return *quiet_;
  const ConditionSample before = SampleConditions();
  std::this_thread::sleep_for(kLook);
  const Conditions now =
      ReadConditions(before, SampleConditions(), std::chrono::duration<double>(kLook).count(), {"kettle-engine"});
  quiet_ = now.other_cores < kQuietOthers && now.stolen_cores < kQuietStolen && now.throttle_events == 0;
  return *quiet_;
}

void Session::SetBenchAside() const {
  // What a plan wrote is only trials, and those it takes up again.
  if (const auto file = ReadResult(out(), "bench"); file && file->value("made_by", "bench") != "bench") return;
  std::error_code error;
  if (fs::exists(out() / "bench.json", error))
    fs::copy_file(out() / "bench.json", out() / "bench.previous.json", fs::copy_options::overwrite_existing, error);
  if (error) FailMachine("cannot keep the earlier bench.json: {}", error.message());
}

void Session::Draw(const std::function<void()>& draw) {
  if (figures_given_up_) return;
  try {
    draw();
  } catch (const Error& error) {
    if (error.fault() != Fault::kMachine) throw;
    const auto* figure = dynamic_cast<const FigureError*>(&error);
    figures_given_up_ = figure && figure->hopeless();
    progress_.Clear();
    fmt::print(stderr, "fast-kettle: warning: {}: {}; the results are whole without it\n",
               figures_given_up_ ? "no figures" : "a figure is missing", error.what());
  }
}

bool Session::HasUnfinishedBench() const {
  const auto file = ReadResult(out(), "bench");
  return file && !file->value("complete", true) && HoldsTrials();
}

void Session::KeepTrials(const std::vector<Trial>& trials, bool complete, const json& more) {
  bool simulated = false;
  for (const Trial& trial : trials) simulated = simulated || trial.simulated;
  json body = {{"simulated", simulated},
               {"made_by", request_.command},
               {"complete", complete},
               {"stand_in_digest", stand_in_digest_},
               {"footage", FootageJson(footage_)},
               {"trials", trials},
               {"paced", json::array()}};
  if (load_) {
    load_->CheckStillThere();
    body["load"] = load_->json();
    body["load_digest"] = load_->digest();
  }
  if (more.is_object()) body.update(more);
  Write("bench", body);
  WriteFile(out() / "bench.csv", TrialCsv(trials));
  quality_csv_.Keep(trials);
}

EncodeSettings ProbeSettings(const EncoderFamily& family, int device) {
  EncodeSettings settings;
  settings.encoder = family.name;
  settings.preset = family.presets.front();
  settings.device = device;
  settings.size = {1280, 720};
  settings.frame_rate = {60, 1};
  settings.rate_control = RateControl::kCappedVariable;
  settings.bit_rate = BitRate::FromKbps(4500);
  settings.maximum_bit_rate = BitRate::FromKbps(6000);
  return settings;
}

std::string SimulatedNotice() {
  return "SIMULATED: the GPU is a stand-in; its figures say nothing about a real card.\n";
}

}  // namespace kettle::app
