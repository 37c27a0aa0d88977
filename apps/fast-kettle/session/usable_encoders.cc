// SPDX-License-Identifier: Apache-2.0
#include "session/usable_encoders.h"

#include <fmt/ranges.h>

#include <algorithm>
#include <cctype>
#include <iterator>

#include "kettle/encoders/catalogue.h"
#include "kettle/option/option.h"
#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"

namespace kettle::app {

namespace {

struct Card {
  std::string bus_address, name;
  std::set<std::pair<std::string, int>> encoders;
};

std::string Lower(std::string text) {
  std::transform(text.begin(), text.end(), text.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return text;
}

// By bus address; those of which nothing tells where they sit come last.
std::vector<Card> CardsThatEncode(EncoderFinder& encoders) {
  std::vector<Card> cards;
  for (const FoundEncoder& found : encoders.All()) {
    if (!found.probe.works || FindFamily(found.name).device == DeviceKind::kCpu) continue;
    const std::string& address = found.probe.bus_address;
    const std::string name = found.probe.device_name.substr(0, found.probe.device_name.find(", driver"));
    auto card = std::find_if(cards.begin(), cards.end(), [&](const Card& known) {
      return known.bus_address == address && (!address.empty() || known.name == name);
    });
    if (card == cards.end()) card = cards.insert(cards.end(), {address, name, {}});
    card->encoders.emplace(found.name, found.device);
  }
  std::stable_sort(cards.begin(), cards.end(), [](const Card& a, const Card& b) {
    return std::pair(a.bus_address.empty(), a.bus_address) < std::pair(b.bus_address.empty(), b.bus_address);
  });
  return cards;
}

bool IsIndex(const std::string& text) {
  return !text.empty() && text.size() < 4 &&
         std::all_of(text.begin(), text.end(), [](unsigned char c) { return std::isdigit(c); });
}

// Whether that is what `card`, the `index`th, is called.
bool IsCalled(const std::string& asked, const Card& card, std::size_t index) {
  if (IsIndex(asked)) return std::stoul(asked) == index;
  if (!card.bus_address.empty() && (asked == card.bus_address || "0000:" + asked == card.bus_address)) return true;
  return Lower(card.name).find(Lower(asked)) != std::string::npos;
}

std::string Told(const Card& card) {
  return card.bus_address.empty() ? card.name : fmt::format("{} ({})", card.bus_address, card.name);
}

[[noreturn]] void FailUnknown(const std::string& asked, const std::string& key, const std::vector<Card>& cards) {
  if (cards.empty()) FailInput("{}: no GPU encodes here; leave it out, or say \"cpu\"", key);
  std::vector<std::string> names, told;
  for (const Card& card : cards) {
    names.push_back(card.bus_address);
    names.push_back(CardName(card.name));
    told.push_back(Told(card));
  }
  const std::string nearest = Nearest(asked, names);
  for (const Card& card : cards)
    if (!nearest.empty() && (nearest == card.bus_address || nearest == CardName(card.name)))
      FailInput("{}: no GPU \"{}\" encodes here; the nearest is {}", key, asked, Told(card));
  FailInput("{}: no GPU \"{}\" encodes here; there is {}", key, asked, fmt::join(told, ", "));
}

bool IsAmong(const std::string& name, const std::vector<std::string>& names) {
  return std::find(names.begin(), names.end(), name) != names.end();
}

}  // namespace

AllowedDevices DevicesCalled(Session& session, const std::string& asked, const std::string& key) {
  EncoderFinder& encoders = session.encoders();
  AllowedDevices allowed;
  if (asked.empty()) return allowed;
  allowed.only.emplace();
  if (Lower(asked) == "cpu") {
    for (const FoundEncoder& found : encoders.All())
      if (FindFamily(found.name).device == DeviceKind::kCpu) allowed.only->emplace(found.name, found.device);
    return allowed;
  }
  const std::vector<Card> cards = CardsThatEncode(encoders);
  std::vector<const Card*> called;
  for (std::size_t i = 0; i < cards.size(); ++i)
    if (IsCalled(asked, cards[i], i)) called.push_back(&cards[i]);
  if (called.empty()) FailUnknown(asked, key, cards);
  if (called.size() > 1)
    FailInput("{}: \"{}\" fits both {} and {}; give the address", key, asked, Told(*called[0]), Told(*called[1]));
  allowed.only = called.front()->encoders;
  return allowed;
}

std::vector<std::string> EncodersOn(const AllowedDevices& devices, const std::vector<std::string>& encoders,
                                    const std::string& asked, const std::string& key) {
  std::vector<std::string> left;
  std::copy_if(encoders.begin(), encoders.end(), std::back_inserter(left),
               [&](const std::string& encoder) { return devices.HasAny(encoder); });
  if (!left.empty()) return left;
  std::set<std::string> there;
  for (const auto& [encoder, device] : *devices.only) there.insert(encoder);
  FailInput("{}: \"{}\" has none of {}; it has {}", key, asked, fmt::join(encoders, ", "), fmt::join(there, ", "));
}

AllowedDevices StreamDevices(Session& session, const Show& show) {
  return DevicesCalled(session, show.stream_device, "stream.device");
}

AllowedDevices RecordingDevices(Session& session, const Show& show) {
  return DevicesCalled(session, show.recording_device, "recording.device");
}

std::vector<std::string> StreamEncoders(Session& session, const Show& show, const std::vector<std::string>& codecs,
                                        RateControl rate_control) {
  std::vector<std::string> names = session.encoders().Usable(codecs);
  std::erase_if(names, [&](const std::string& name) { return !FindFamily(name).rates.contains(rate_control); });
  if (names.empty())
    FailInput("the destinations accept {}, and no encoder for that works here with {}; fast-kettle survey tells why",
              fmt::join(codecs, " or "), Name(rate_control));
  if (show.stream_encoder) {
    if (!IsAmong(FindFamily(*show.stream_encoder).codec, codecs))
      FailInput("stream.encoder: {} makes {}, and the destinations accept {}", *show.stream_encoder,
                FindFamily(*show.stream_encoder).codec, fmt::join(codecs, ", "));
    if (!IsAmong(*show.stream_encoder, names))
      FailInput("stream.encoder: {} does not work on this machine; fast-kettle survey tells why", *show.stream_encoder);
    names = {*show.stream_encoder};
  }
  return EncodersOn(StreamDevices(session, show), names, show.stream_device, "stream.device");
}

std::vector<std::string> RecordingEncoders(Session& session, const Show& show) {
  std::vector<std::string> names;
  if (!show.recording_encoder) {
    const std::vector<std::string> held = CodecsHeldBy(show.recording_container);
    names =
        session.encoders().Usable(show.recording_plays == Plays::kAnywhere ? std::vector<std::string>{"h264"} : held);
    if (names.empty()) FailInput("no encoder for the recording works here; fast-kettle survey tells why");
  } else {
    names = {*show.recording_encoder};
    if (!IsAmong(names.front(), session.encoders().Usable({FindFamily(names.front()).codec})))
      FailInput("recording.encoder: {} does not work on this machine; fast-kettle survey tells why", names.front());
  }
  return EncodersOn(RecordingDevices(session, show), names, show.recording_device, "recording.device");
}

}  // namespace kettle::app
