// SPDX-License-Identifier: Apache-2.0
#include "session/encoder_finder.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "kettle/device/graphics.h"
#include "kettle/units/error.h"

namespace kettle::app {

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

const std::vector<NvidiaDevice>& EncoderFinder::Nvidia() {
  if (nvidia_) return *nvidia_;
  constexpr double kSeconds = 20;
  const WorkerReport report = worker_.Run({"nvidia", nullptr, kSeconds});
  nvidia_.emplace();
  if (report.status == WorkerStatus::kDone && report.result.contains("devices"))
    nvidia_ = report.result["devices"].get<std::vector<NvidiaDevice>>();
  return *nvidia_;
}

int EncoderFinder::CountDevices(const EncoderFamily& family) {
  switch (family.interface) {
    case Interface::kProcessor: return 1;
    // One is tried even if nothing tells of any: the trial says why it does not work.
    case Interface::kNvenc: return std::max(1, static_cast<int>(Nvidia().size()));
    case Interface::kVaapi:
      if (const auto& simulated = worker_.stand_in_gpu().vaapi; !simulated.empty())
        return static_cast<int>(simulated.size());
      [[fallthrough]];
    case Interface::kQsv: return std::max(1, CountRenderNodes());
  }
  return 1;
}

const std::vector<FoundEncoder>& EncoderFinder::All() {
  if (!encoders_.empty()) return encoders_;
  progress_.Stage("opening encoders", static_cast<int>(Catalogue().size()));
  for (const EncoderFamily& family : Catalogue()) {
    progress_.Show(family.title, 0);
    const int devices = CountDevices(family);
    for (int device = 0; device < devices; ++device) {
      const ProbeOutcome probe = runner_.Probe(ProbeSettings(family, device));
      encoders_.push_back({family.name, device, probe, IsSimulated(family, worker_.stand_in_gpu())});
    }
    progress_.StepDone();
  }
  progress_.Clear();
  return encoders_;
}

std::vector<std::string> EncoderFinder::Usable(const std::vector<std::string>& codecs) {
  std::vector<std::string> names;
  for (const FoundEncoder& encoder : All()) {
    const bool wanted = std::find(codecs.begin(), codecs.end(), FindFamily(encoder.name).codec) != codecs.end();
    const bool named = !names.empty() && names.back() == encoder.name;  // on another device
    if (wanted && encoder.probe.works && !named) names.push_back(encoder.name);
  }
  return names;
}

std::map<std::string, std::vector<int>> EncoderFinder::UsableDevices() {
  std::map<std::string, std::vector<int>> devices;
  for (const FoundEncoder& encoder : All())
    if (encoder.probe.works) devices[encoder.name].push_back(encoder.device);
  return devices;
}

int EncoderFinder::FirstUsableDevice(const std::string& family) {
  if (CountDevices(FindFamily(family)) == 1) return 0;
  const auto& all = All();
  const auto first = std::find_if(all.begin(), all.end(), [&](const FoundEncoder& encoder) {
    return encoder.name == family && encoder.probe.works;
  });
  return first == all.end() ? 0 : first->device;
}

std::map<std::string, int> EncoderFinder::EncodesAtOnce(const std::vector<std::string>& families) {
  std::map<std::string, int> at_once;
  for (const std::string& name : families) {
    if (FindFamily(name).device == DeviceKind::kCpu) continue;
    progress_.Show("how many encodes " + name + " opens at once", 0);
    if (const auto limits = Limits(name, FirstUsableDevice(name))) at_once[name] = limits->at_once;
  }
  progress_.Clear();
  return at_once;
}

std::set<std::string> EncoderFinder::WithoutBFrames(const std::vector<std::string>& families) {
  std::set<std::string> without;
  for (const std::string& name : families) {
    if (FindFamily(name).device == DeviceKind::kCpu) continue;
    if (const auto limits = Limits(name, FirstUsableDevice(name)); limits && !limits->b_frames) without.insert(name);
  }
  return without;
}

std::optional<LimitsOutcome> EncoderFinder::Limits(const std::string& family, int device) {
  const std::pair key(family, device);
  const auto known = limits_.find(key);
  if (known != limits_.end()) return known->second;
  return limits_[key] = runner_.Limits(ProbeSettings(FindFamily(family), device));
}

}  // namespace kettle::app
