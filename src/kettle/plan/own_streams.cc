// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/own_streams.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr double kSameRate = 0.02;  // less makes no other encode

// The common rate is the one from which more bits stop paying.
bool IsEnough(const Targets& targets) {
  return std::any_of(targets.reasons.begin(), targets.reasons.end(), [](const Because& reason) {
    return reason.choice == "stream.bit_rate" && reason.why.key == "target.enough-bits";
  });
}

// kbit/s of video for each destination, by name.
std::map<std::string, double> RatesOf(const Show& show, const Targets& common) {
  const double common_kbps = common.stream.bit_rate.kbps();
  std::map<std::string, double> shares, rates;
  if (common.budget)
    for (const RecipientShare& share : common.budget->each) shares[share.name] = share.video_kbps;
  // What the common encode could have had.
  double most = 0;
  for (const Destination& to : show.destinations) {
    const bool served =
        common.served.empty() || std::find(common.served.begin(), common.served.end(), to.name) != common.served.end();
    if (served && shares.contains(to.name)) most = most == 0 ? shares[to.name] : std::min(most, shares[to.name]);
  }
  if (common.served.empty() && common.budget) most = common.budget->one_encode_kbps();
  for (const Destination& to : show.destinations) {
    double kbps = common_kbps;
    if (show.stream_bit_rate)
      kbps = show.stream_bit_rate->kbps();
    else if (shares.contains(to.name))
      kbps = IsEnough(common) ? std::min(shares[to.name], common_kbps)
                              : shares[to.name] * std::min(1.0, most > 0 ? common_kbps / most : 1);
    else if (to.video_bit_rate_max)
      kbps = to.video_bit_rate_max->kbps();
    if (to.video_bit_rate_max) kbps = std::min(kbps, to.video_bit_rate_max->kbps());
    rates[to.name] = std::floor(std::abs(kbps / common_kbps - 1) < kSameRate ? common_kbps : kbps);
  }
  return rates;
}

bool AskTheSame(const OwnStream& a, const OwnStream& b) {
  return a.stream == b.stream && a.sizes == b.sizes && a.rates == b.rates && a.codecs == b.codecs &&
         a.most_b_frames == b.most_b_frames;
}

}  // namespace

std::vector<OwnStream> OwnStreams(const Show& show, const Targets& common) {
  std::vector<OwnStream> streams;
  if (show.one_encode_for_all || show.destinations.size() < 2) return streams;
  const double peak = common.stream.maximum_bit_rate.kbps() / common.stream.bit_rate.kbps();
  const std::map<std::string, double> rates = RatesOf(show, common);
  for (const Destination& to : show.destinations) {
    const double kbps = rates.at(to.name);
    if (kbps < kLeastVideoKbps) {
      if (!common.served.empty())
        FailInput(
            "uplink: destinations that no {} suits all need encodes of their own, and {} would get {:.0f} kbit/s, "
            "less than the minimum, {:g} kbit/s; leave one of them out",
            common.lacking, to.name, kbps, kLeastVideoKbps);
      return {};
    }
    Show alone = show;
    alone.destinations = {to};
    alone.line = {};
    alone.stream_bit_rate = BitRate::FromKbps(kbps);
    const Targets targets = ChooseTargets(alone);
    OwnStream own{{to.name},     targets.stream,        targets.sizes,
                  targets.rates, targets.stream_codecs, targets.most_b_frames};
    own.stream.rate_control = common.stream.rate_control;
    own.stream.buffer_seconds = common.stream.buffer_seconds;
    own.stream.maximum_bit_rate = BitRate::FromKbps(std::round(kbps * peak));
    const auto same =
        std::find_if(streams.begin(), streams.end(), [&](const OwnStream& other) { return AskTheSame(own, other); });
    if (same != streams.end())
      same->destinations.push_back(to.name);
    else
      streams.push_back(std::move(own));
  }
  if (streams.size() < 2) streams.clear();
  return streams;
}

}  // namespace kettle
