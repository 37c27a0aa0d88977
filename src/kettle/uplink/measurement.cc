// SPDX-License-Identifier: Apache-2.0
#include "kettle/uplink/measurement.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <nlohmann/json.hpp>
#include <optional>
#include <thread>

#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"
#include "kettle/units/statistics.h"
#include "kettle/uplink/send_allowance.h"
#include "kettle/uplink/test_publish.h"

namespace kettle {

namespace {

using Clock = std::chrono::steady_clock;
constexpr double kSampleSeconds = 0.05;

struct Sample {
  double seconds;  // since the start
  PublishState sent;
};

// One measurement under way.
class Measuring {
 public:
  Measuring(const MeasureRequest& request, const TestStream& stream, IngestReport& report)
      : request_(request),
        stream_(stream),
        report_(report),
        publish_(request.url, request.key, stream, request.patience_seconds),
        allowance_(request.most_kbps * kPayloadShare),
        quiet_seconds_(std::min(2.0, request.seconds * 0.15)) {
    const IngestConnection::Started started = line().started();
    line().LimitRate(request.most_kbps);
    report_.most_kbps = request.most_kbps;
    report_.connect_ms = started.connect_seconds * 1000;
    report_.start_ms = started.publish_seconds * 1000;
    report_.answer_ms = started.answer_seconds * 1000;
    waiting_ = publish_.Opening();
  }

  void Run(const std::function<void(double)>& progress) {
    start_ = Clock::now();
    TakeSample();
    while (now() < request_.seconds) {
      if (now() >= samples_.back().seconds + kSampleSeconds) {
        TakeSample();
        progress(now() / request_.seconds);
      }
      if (now() >= stream_.SecondsOf(next_)) GivePicture();
      const bool line_takes_all = SendWhatMayBeSent();
      ran_dry_ = ran_dry_ || line_takes_all;
      const double until =
          std::min({samples_.back().seconds + kSampleSeconds, stream_.SecondsOf(next_), request_.seconds}) - now();
      if (until <= 0) continue;
      if (waiting_.empty())
        std::this_thread::sleep_for(std::chrono::duration<double>(until));
      else if (line_takes_all)
        std::this_thread::sleep_for(std::chrono::duration<double>(std::min(until, kAllowanceSeconds)));
      else
        line().WaitToSend(until);
    }
    TakeSample();
    SendTheRest();
    line().Finish(kEndSeconds);
  }

  // Also of one that ended early.
  void Summarise() {
    report_.simulated = line().simulated();
    if (samples_.size() < 2) return;
    SummariseRoundTrips();
    const double from = quiet_seconds_ + kRampSeconds, to = samples_.back().seconds;
    for (double at = from; at + 1 <= to + 0.02; at += 1)
      report_.kbps.push_back((AcknowledgedAt(std::min(at + 1, to)) - AcknowledgedAt(at)) * 8 / 1000);
    report_.seconds = static_cast<double>(report_.kbps.size());
    if (report_.kbps.empty()) return;
    report_.sustained_kbps = *Mean(report_.kbps);
    const double usual = *Median(report_.kbps);
    report_.dips = static_cast<int>(
        std::count_if(report_.kbps.begin(), report_.kbps.end(), [&](double kbps) { return kbps < 0.8 * usual; }));
    const PublishState &first = samples_.front().sent, &last = samples_.back().sent;
    const auto packets = static_cast<double>(last.packets - first.packets);
    const auto bytes = static_cast<double>(last.acknowledged_bytes - first.acknowledged_bytes);
    if (packets > 0) report_.resent_share = static_cast<double>(last.resent_packets - first.resent_packets) / packets;
    if (bytes > 0) report_.line_kbps = report_.sustained_kbps * (1 + line().header_bytes() * packets / bytes);
    report_.filled = dry_pictures_ * 5 < loaded_pictures_ &&
                     report_.sustained_kbps < kNearlyAll * request_.most_kbps * kPayloadShare;
  }

 private:
  static constexpr double kRampSeconds = 1.5;  // the line fills up: not counted

  // A server that keeps what it gets shall have whole pictures.
  void SendTheRest() {
    const double end = now() + kEndSeconds;
    while (!waiting_.empty() && now() < end)
      if (SendWhatMayBeSent())
        std::this_thread::sleep_for(std::chrono::duration<double>(kAllowanceSeconds));
      else
        line().WaitToSend(kAllowanceSeconds);
    report_.pictures =
        std::count_if(ends_.begin(), ends_.end(), [&](std::int64_t picture) { return picture <= sent_bytes_; });
  }

  // True if the line took all that it was given: all that waited, or all that the limit lets pass by now.
  bool SendWhatMayBeSent() {
    const std::size_t part = std::min(waiting_.size(), allowance_.Bytes(now()));
    const std::size_t taken = line().Send(std::string_view(waiting_).substr(0, part));
    allowance_.Spend(taken);
    waiting_.erase(0, taken);
    sent_bytes_ += static_cast<std::int64_t>(taken);
    return taken == part;
  }

  IngestConnection& line() { return publish_.line(); }
  double now() const { return std::chrono::duration<double>(Clock::now() - start_).count(); }

  void TakeSample() {
    samples_.push_back({now(), line().state()});
    const Sample& last = samples_.back();
    const bool idle = waiting_.empty() && last.sent.waiting_bytes == 0;
    if (idle || last.sent.acknowledged_bytes > progress_bytes_) {
      progress_bytes_ = last.sent.acknowledged_bytes;
      progress_seconds_ = last.seconds;
    } else if (last.seconds - progress_seconds_ > request_.patience_seconds) {
      FailInput("stalled: nothing arrived for {:g} s", request_.patience_seconds);
    }
    // The line's rate over the last second, for knowing how much keeps it full.
    std::size_t before = samples_.size() - 1;
    while (before > 0 && last.seconds - samples_[before].seconds < 1) --before;
    const double seconds = last.seconds - samples_[before].seconds;
    if (seconds < 0.5) return;
    recent_kbps_ = static_cast<double>(last.sent.acknowledged_bytes - samples_[before].sent.acknowledged_bytes) * 8 /
                   1000 / seconds;
  }

  void GivePicture() {
    const std::int64_t number = next_++;
    const bool loaded = stream_.SecondsOf(number) >= quiet_seconds_;
    if (loaded) {
      ++loaded_pictures_;
      dry_pictures_ += ran_dry_;
      wanted_kbps_ = std::min(request_.most_kbps, ran_dry_ ? wanted_kbps_ * 1.5 : std::max(recent_kbps_, kLeastKbps));
      ran_dry_ = false;
    }
    const auto ahead = static_cast<std::size_t>(wanted_kbps_ * 1000 / 8 * kAheadSeconds);
    // A line that hardly moves gets whole groups of pictures or none.
    if (waiting_.size() > ahead * 4 + (64 << 10)) skipping_ = true;
    if (stream_.IsKeyframe(number) && waiting_.size() <= ahead * 4) skipping_ = false;
    if (skipping_) return;
    waiting_ += publish_.Picture(number, loaded && waiting_.size() < ahead ? FillTo(ahead - waiting_.size()) : 0);
    ends_.push_back(sent_bytes_ + static_cast<std::int64_t>(waiting_.size()));
  }

  // How large the next picture is made: towards `missing`, but not larger than the busiest pictures of a real encode.
  std::size_t FillTo(std::size_t missing) const {
    constexpr double kBusiest = 1.5;              // of the average
    constexpr std::size_t kLargest = 512u << 10;  // bytes
    const double average = wanted_kbps_ * 1000 / 8 * stream_.SecondsOf(1);
    return std::min({missing, static_cast<std::size_t>(average * kBusiest), kLargest});
  }

  void SummariseRoundTrips() {
    std::vector<double> quiet, changes, loaded;
    for (const Sample& sample : samples_) {
      if (sample.seconds > quiet_seconds_) {
        loaded.push_back(sample.sent.round_trip_ms);
        continue;
      }
      if (!quiet.empty()) changes.push_back(std::abs(sample.sent.round_trip_ms - quiet.back()));
      quiet.push_back(sample.sent.round_trip_ms);
    }
    report_.round_trip_ms = Median(quiet).value_or(0);
    report_.jitter_ms = Mean(changes).value_or(0);
    report_.loaded_round_trip_ms = Median(loaded).value_or(0);
  }

  // Between two samples: as if evenly.
  double AcknowledgedAt(double seconds) const {
    const auto after =
        std::find_if(samples_.begin(), samples_.end(), [&](const Sample& s) { return s.seconds >= seconds; });
    if (after == samples_.begin()) return static_cast<double>(after->sent.acknowledged_bytes);
    const Sample& before = *(after - 1);
    if (after == samples_.end()) return static_cast<double>(before.sent.acknowledged_bytes);
    const double share = (seconds - before.seconds) / (after->seconds - before.seconds);
    return static_cast<double>(before.sent.acknowledged_bytes) +
           share * static_cast<double>(after->sent.acknowledged_bytes - before.sent.acknowledged_bytes);
  }

  static constexpr double kLeastKbps = 500, kAheadSeconds = 0.25, kAllowanceSeconds = 0.002, kEndSeconds = 2;
  static constexpr double kPayloadShare = 0.95;  // at least, of what goes over the line: the rest is headers
  static constexpr double kNearlyAll = 0.93;
  const MeasureRequest& request_;
  const TestStream& stream_;
  IngestReport& report_;
  TestPublish publish_;
  SendAllowance allowance_;
  double quiet_seconds_;
  Clock::time_point start_;
  std::string waiting_;  // to be sent
  std::int64_t sent_bytes_ = 0;
  std::vector<std::int64_t> ends_;  // of the pictures given, in bytes since the start
  std::int64_t next_ = 0;
  std::vector<Sample> samples_;
  std::int64_t progress_bytes_ = 0;
  double progress_seconds_ = 0;
  double recent_kbps_ = 0, wanted_kbps_ = 2000;
  bool ran_dry_ = false, skipping_ = false;
  int loaded_pictures_ = 0, dry_pictures_ = 0;
};

}  // namespace

LineTrace IngestReport::Trace() const {
  std::vector<LineTrace::Point> points;
  for (const double rate : kbps) points.push_back({static_cast<double>(points.size()), rate});
  return LineTrace(std::move(points), seconds);
}

double IngestReport::dependable_kbps() const { return Quantile(kbps, 0.05).value_or(0); }

IngestReport MeasureIngest(const MeasureRequest& request, const TestStream& stream,
                           const std::function<void(double)>& progress) {
  IngestReport report;
  report.url = request.url.str();
  std::optional<Measuring> measuring;
  try {
    measuring.emplace(request, stream, report);
    measuring->Run(progress);
  } catch (const Error& error) {
    if (error.fault() == Fault::kInterrupted) throw;
    report.trouble = error.what();
  }
  if (measuring) measuring->Summarise();
  return report;
}

void RankIngests(std::vector<IngestReport>& reports) {
  std::stable_sort(reports.begin(), reports.end(), [](const IngestReport& a, const IngestReport& b) {
    const auto place = [](const IngestReport& r) { return !r.measured() ? 2 : !r.trouble.empty() ? 1 : 0; };
    if (place(a) != place(b)) return place(a) < place(b);
    // Steps of 3 %, so that the order is one.
    const auto rate = [](const IngestReport& r) {
      return std::lround(std::log(r.dependable_kbps() + 1) / std::log(1.03));
    };
    if (rate(a) != rate(b)) return rate(a) > rate(b);
    if (a.dips != b.dips) return a.dips < b.dips;
    return a.round_trip_ms + a.jitter_ms < b.round_trip_ms + b.jitter_ms;
  });
}

void to_json(nlohmann::json& json, const IngestReport& report) {
  json = {{"url", report.url}, {"simulated", report.simulated}};
  if (!report.trouble.empty()) json["trouble"] = report.trouble;
  if (!report.measured()) return;
  json.update({{"connect_ms", report.connect_ms},
               {"start_ms", report.start_ms},
               {"answer_ms", report.answer_ms},
               {"round_trip_ms", report.round_trip_ms},
               {"jitter_ms", report.jitter_ms},
               {"loaded_round_trip_ms", report.loaded_round_trip_ms},
               {"pictures", report.pictures},
               {"seconds", report.seconds},
               {"sustained_kbps", report.sustained_kbps},
               {"dependable_kbps", report.dependable_kbps()},
               {"line_kbps", report.line_kbps},
               {"most_kbps", report.most_kbps},
               {"filled", report.filled},
               {"dips", report.dips},
               {"resent_share", report.resent_share},
               {"kbps", report.kbps}});
}

void from_json(const nlohmann::json& json, IngestReport& report) {
  json.at("url").get_to(report.url);
  json.at("simulated").get_to(report.simulated);
  report.trouble = json.value("trouble", "");
  if (!json.contains("kbps")) return;
  KETTLE_READ_FIELDS(json, report, connect_ms, start_ms, answer_ms, round_trip_ms, jitter_ms, loaded_round_trip_ms,
                     pictures, seconds, sustained_kbps, line_kbps, most_kbps, filled, dips, resent_share, kbps);
}

}  // namespace kettle
