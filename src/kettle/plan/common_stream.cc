// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/common_stream.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <iterator>

namespace kettle {

namespace {

using Destinations = std::vector<Destination>;

bool Inside(FrameSize size, FrameSize limit) { return size.width <= limit.width && size.height <= limit.height; }
bool Inside(FrameRate rate, FrameRate limit) { return rate.fps() <= limit.fps() + 1e-9; }
bool Larger(FrameSize a, FrameSize b) { return a.pixels() > b.pixels(); }
bool Larger(FrameRate a, FrameRate b) { return a.fps() > b.fps(); }

// One of what a destination may take only certain ones: sizes or frame rates.
template <typename Item>
struct Kind {
  std::vector<Item> Destination::*only;  // empty: any up to the limit
  std::optional<Item> Destination::*limit;
  Item source;

  bool Takes(const Destination& to, const Item& item) const {
    const std::vector<Item>& named = to.*only;
    if (!named.empty()) return std::find(named.begin(), named.end(), item) != named.end();
    return !(to.*limit) || Inside(item, *(to.*limit));
  }

  // All that are named and that the source can give, largest first.
  std::vector<Item> Named(const Destinations& destinations) const {
    std::vector<Item> items;
    for (const Destination& to : destinations)
      std::copy_if((to.*only).begin(), (to.*only).end(), std::back_inserter(items), [&](const Item& item) {
        return Inside(item, source) && std::find(items.begin(), items.end(), item) == items.end();
      });
    std::stable_sort(items.begin(), items.end(), [](const Item& a, const Item& b) { return Larger(a, b); });
    return items;
  }

  // Those that share one, for each in turn; first those that name none and share any.
  std::vector<Destinations> Sharing(const Destinations& destinations) const {
    const auto those = [&](const auto& share) {
      Destinations sharing;
      std::copy_if(destinations.begin(), destinations.end(), std::back_inserter(sharing), share);
      return sharing;
    };
    std::vector<Destinations> groups{those([this](const Destination& to) { return (to.*only).empty(); })};
    for (const Item& item : Named(destinations))
      groups.push_back(those([&](const Destination& to) { return Takes(to, item); }));
    return groups;
  }

  bool SuitAll(const Destinations& destinations) const {
    const std::vector<Destinations> groups = Sharing(destinations);
    return std::any_of(groups.begin(), groups.end(),
                       [&](const Destinations& group) { return group.size() == destinations.size(); });
  }

  std::string Accepted(const Destination& to) const {
    std::vector<std::string> names;
    for (const Item& item : to.*only) names.push_back(item.str());
    if (names.empty() && to.*limit) return fmt::format("{} up to {}", to.name, (to.*limit)->str());
    return fmt::format("{} {}", to.name, names.empty() ? "any" : fmt::format("{}", fmt::join(names, ", ")));
  }
};

Destinations Accepting(const Destinations& destinations, const char* codec) {
  Destinations accepting;
  std::copy_if(destinations.begin(), destinations.end(), std::back_inserter(accepting),
               [codec](const Destination& to) { return to.Accepts(codec); });
  return accepting;
}

template <typename Accepted>
std::string Joined(const Destinations& destinations, const Accepted& accepted) {
  std::vector<std::string> each;
  for (const Destination& to : destinations) each.push_back(accepted(to));
  return fmt::format("{}", fmt::join(each, "; "));
}

}  // namespace

CommonStream FindCommonStream(const Show& show) {
  const Kind<FrameSize> size{&Destination::sizes, &Destination::size_max, show.source_size};
  const Kind<FrameRate> rate{&Destination::frame_rates, &Destination::frame_rate_max, show.source_rate};
  const Destinations& all = show.destinations;
  const auto by_size = [&](const Destinations& group) {
    return show.stream_size ? std::vector<Destinations>{group} : size.Sharing(group);
  };
  const auto by_rate = [&](const Destinations& group) {
    return show.stream_rate ? std::vector<Destinations>{group} : rate.Sharing(group);
  };
  CommonStream common;
  std::size_t most_accepting = 0;
  for (const char* codec : kStreamCodecs) {
    const Destinations accepting = Accepting(all, codec);
    most_accepting = std::max(most_accepting, accepting.size());
    for (const Destinations& of_a_size : by_size(accepting))
      for (Destinations& sharing : by_rate(of_a_size))
        if (sharing.size() > common.served.size()) common.served = std::move(sharing);
  }
  if (common.served.size() == all.size()) return common;
  if (most_accepting < all.size()) {
    common.lacking = "codec";
    common.accepted =
        Joined(all, [](const Destination& to) { return fmt::format("{} {}", to.name, fmt::join(to.codecs, ", ")); });
  } else if (!show.stream_size && !size.SuitAll(all)) {
    common.lacking = "size";
    common.accepted = Joined(all, [&](const Destination& to) { return size.Accepted(to); });
  } else {
    common.lacking = "frame rate";
    common.accepted = Joined(all, [&](const Destination& to) { return rate.Accepted(to); });
  }
  return common;
}

}  // namespace kettle
