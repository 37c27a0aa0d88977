// SPDX-License-Identifier: Apache-2.0
#include "link.h"

#include <algorithm>

#include "kettle/show/toml_reader.h"

namespace standin {

using kettle::LineTrace;

LineTrace WithOutages(const LineTrace& line, const std::vector<Outage>& outages) {
  std::vector<double> times;
  for (const auto& point : line.points()) times.push_back(point.seconds);
  for (const Outage& outage : outages) {
    times.push_back(outage.from);
    times.push_back(outage.from + outage.seconds);
  }
  std::sort(times.begin(), times.end());
  times.erase(std::unique(times.begin(), times.end()), times.end());
  std::vector<LineTrace::Point> points;
  for (const double time : times) {
    const bool out = std::any_of(outages.begin(), outages.end(),
                                 [&](const Outage& o) { return time >= o.from && time < o.from + o.seconds; });
    double kbps = line.points().front().kbps;
    for (const auto& point : line.points())
      if (point.seconds <= time) kbps = point.kbps;
    points.push_back({time, out ? 0 : kbps});
  }
  return LineTrace(std::move(points), std::max(line.seconds(), times.back() + 1));
}

namespace {

std::vector<Outage> ReadOutages(const toml::table& table, const kettle::TomlSection& section) {
  std::vector<Outage> outages;
  const toml::array* list = table["outages"].as_array();
  if (!list) return outages;
  for (const toml::node& item : *list) {
    const toml::table* entry = item.as_table();
    const auto from = entry ? (*entry)["from"].value<double>() : std::nullopt;
    const auto seconds = entry ? (*entry)["seconds"].value<double>() : std::nullopt;
    if (!from || !seconds || *from < 0 || *seconds <= 0)
      section.Fail("outages", "write a list of {from = 10, seconds = 2}");
    outages.push_back({*from, *seconds});
  }
  return outages;
}

// What both the shared link and an ingest's own have.
LinkShape ReadShape(const toml::table& table, const kettle::TomlSection& section, const std::filesystem::path& folder) {
  LinkShape shape;
  if (const auto rate = section.Value("rate", kettle::BitRate::Parse)) shape.line = LineTrace::Steady(rate->kbps(), 1);
  if (const auto trace = section.Text("trace")) shape.line = LineTrace::Read(folder / *trace);
  shape.delay_ms = section.Number("delay_ms", 0, 5000).value_or(0);
  shape.jitter_ms = section.Number("jitter_ms", 0, 5000).value_or(0);
  if (const auto outages = ReadOutages(table, section); !outages.empty()) shape.line = WithOutages(shape.line, outages);
  return shape;
}

}  // namespace

LinkShape LinkShape::Read(const std::filesystem::path& file) {
  const toml::table table = kettle::ReadToml(file);
  const kettle::TomlSection section(table, file.string(), "");
  section.CheckKeys({"rate", "trace", "delay_ms", "jitter_ms", "outages", "ingest"});
  if (section.Text("rate").has_value() == section.Text("trace").has_value())
    section.Fail("rate", "give rate or trace, one of them");
  LinkShape shape = ReadShape(table, section, file.parent_path());
  if (!table.contains("ingest")) return shape;
  const toml::array* ingests = table["ingest"].as_array();
  if (!ingests) section.Fail("ingest", "write each as a section [[ingest]] with a name");
  for (const toml::node& item : *ingests) {
    if (!item.is_table()) section.Fail("ingest", "write each as a section [[ingest]] with a name");
    const kettle::TomlSection own(*item.as_table(), file.string(), "ingest");
    own.CheckKeys({"name", "rate", "trace", "delay_ms", "jitter_ms", "outages"});
    const auto name = own.Text("name");
    if (!name) own.Fail("name", "is missing: the application's, as in rtmp://host/name");
    shape.own[*name] = ReadShape(*item.as_table(), own, file.parent_path());
  }
  return shape;
}

std::size_t Link::piece_bytes() const {
  double highest = 0;
  for (const auto& point : shape_.line.points()) highest = std::max(highest, point.kbps);
  return static_cast<std::size_t>(std::clamp(highest * 1000 / 8 * 0.002, 512.0, 16384.0));
}

Link::Passage Link::Carry(std::size_t bytes) {
  const std::scoped_lock lock(mutex_);
  const auto now = Clock::now();
  if (!begun_) {
    begun_ = true;
    start_ = now;
  }
  const double since = std::chrono::duration<double>(now - start_).count();
  constexpr double kNever = 3600.0 * 24 * 365;
  free_ = std::min(kNever, server_.Finish(std::max(since, free_), static_cast<double>(bytes)));
  const double jitter = shape_.jitter_ms * std::uniform_real_distribution<>(0, 1)(random_);
  last_arrival_ = std::max(last_arrival_, free_ + (shape_.delay_ms + jitter) / 1000);
  const auto at = [&](double seconds) {
    return start_ + std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(seconds));
  };
  return {at(free_), at(last_arrival_)};
}

double Link::QueueSeconds() {
  const std::scoped_lock lock(mutex_);
  return begun_ ? std::max(0.0, free_ - std::chrono::duration<double>(Clock::now() - start_).count()) : 0;
}

Link::Clock::time_point Link::Answer() {
  return Clock::now() +
         std::chrono::duration_cast<Clock::duration>(std::chrono::duration<double>(shape_.delay_ms / 1000));
}

}  // namespace standin
