// SPDX-License-Identifier: Apache-2.0
#include "kettle/device/audio.h"

#include <fstream>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "kettle/units/text_file.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

// "rates [0x560]: 44100 48000" of an HD-audio codec, "Rates: 44100, 48000" of a USB device. A continuous USB range
// ("Rates: 8000 - 48000 (continuous)") gives its two ends.
void AddRates(const fs::path& file, std::set<int>& rates) {
  std::ifstream stream(file);
  for (std::string line; std::getline(stream, line);) {
    const auto start = line.find_first_not_of(" \t");
    if (start == line.npos || (!line.substr(start).starts_with("rates") && !line.substr(start).starts_with("Rates:")))
      continue;
    for (char& c : line)
      if (c == ',') c = ' ';
    std::istringstream words(line.substr(line.find(':') + 1));
    for (std::string word; words >> word;)
      if (const int rate = std::atoi(word.c_str()); rate > 0) rates.insert(rate);
  }
}

AudioDevice ReadCard(const fs::path& folder, int number, const std::string& name) {
  AudioDevice device{.card = number, .name = name, .rates_hz = {}, .rate_in_use_hz = {}};
  std::set<int> rates;
  for (const fs::path& entry : Entries(folder)) {
    const std::string file = entry.filename().string();
    if (file.starts_with("codec#") || file.starts_with("stream")) AddRates(entry, rates);
    if (!file.starts_with("pcm")) continue;
    device.playback = device.playback || file.back() == 'p';
    device.capture = device.capture || file.back() == 'c';
    for (const fs::path& sub : Entries(entry))
      if (const int rate = std::atoi(FieldOf(sub / "hw_params", "rate").c_str()); rate > 0)
        device.rate_in_use_hz = rate;
  }
  device.rates_hz.assign(rates.begin(), rates.end());
  return device;
}

}  // namespace

std::vector<AudioDevice> ReadAudio(const fs::path& root) {
  std::vector<AudioDevice> devices;
  std::ifstream cards(root / "proc/asound/cards");
  for (std::string line; std::getline(cards, line);) {  // " 0 [PCH            ]: HDA-Intel - Saltmarsh Sound"
    const auto bracket = line.find('['), dash = line.find(" - ");
    if (bracket == line.npos || dash == line.npos) continue;
    const int number = std::atoi(line.c_str());
    devices.push_back(
        ReadCard(root / "proc/asound" / ("card" + std::to_string(number)), number, line.substr(dash + 3)));
  }
  return devices;
}

void to_json(nlohmann::json& json, const AudioDevice& d) {
  json = {
      {"card", d.card}, {"name", d.name}, {"playback", d.playback}, {"capture", d.capture}, {"rates_hz", d.rates_hz}};
  if (d.rate_in_use_hz) json["rate_in_use_hz"] = *d.rate_in_use_hz;
}

}  // namespace kettle
