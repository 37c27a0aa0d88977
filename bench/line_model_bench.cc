// SPDX-License-Identifier: Apache-2.0
// The send-queue model beside reality: publishes an encode over a line in real time, and predicts the same.
// usage: line_model_bench publish URL CLIP FPS SECONDS      what happened, as JSON
//        line_model_bench predict TRACE CLIP FPS SECONDS PAYLOAD_SHARE PIPE_BYTES ROUND_TRIP_MS BURST_BYTES
//        line_model_bench speed TRACE CLIP FPS
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <nlohmann/json.hpp>

#include "kettle/units/error.h"
#include "kettle/units/statistics.h"
#include "kettle/uplink/paced_publish.h"

namespace {

using namespace kettle;

nlohmann::json Told(const SendingOutcome& outcome) {
  return {{"frames", outcome.frames},
          {"dropped", outcome.dropped},
          {"stretches", outcome.stretches},
          {"peak_delay_ms", outcome.peak_delay_seconds * 1000}};
}

SendingModel BareModel() {
  SendingModel model;
  model.audio_kbps = 0;
  model.bytes_a_frame = 17;  // RTMP header and AVC tag
  return model;
}

int Run(int argc, char** argv) {
  const std::string verb = argc > 1 ? argv[1] : "";
  if (argc < 5) FailInput("usage: line_model_bench publish|predict|speed ...; see the source");
  const double fps = std::atof(argv[4]);
  const CodedPictures coded = ReadCodedPictures(argv[3]);
  if (verb == "publish") {
    const PacedPublish request{IngestUrl::Parse(argv[2]), "bench", std::atof(argv[5])};
    double start = 0;  // of the first picture, on the monotonic clock
    const PacedPublishOutcome outcome = PublishPaced(request, TestStream(coded, fps), [&](double share) {
      const auto now = std::chrono::steady_clock::now().time_since_epoch();
      if (start == 0) start = std::chrono::duration<double>(now).count() - share * request.seconds;
    });
    nlohmann::json told = Told(outcome.sending);
    told["pipe_bytes"] = outcome.pipe_bytes;
    told["round_trip_ms"] = outcome.round_trip_ms;
    told["start_seconds"] = start;
    fmt::print("{}\n", told.dump());
    return 0;
  }
  const LineTrace trace = LineTrace::Read(argv[2]);
  const CodedStream stream = StreamOf(coded, fps);
  SendingModel model = BareModel();
  if (verb == "predict") {
    model.payload_share = std::atof(argv[6]);
    model.pipe_bytes = std::atof(argv[7]);
    model.extra_delay_seconds = std::atof(argv[8]) / 1000;
    model.burst_bytes = std::atof(argv[9]);
    const LineTrace line(trace.points(), std::atof(argv[5]));
    fmt::print("{}\n", Told(SimulateSending(stream, line, model)).dump());
    return 0;
  }
  std::vector<double> ratios;
  for (int i = 0; i < 15; ++i) {
    const auto start = std::chrono::steady_clock::now();
    SimulateSending(stream, trace, model);
    ratios.push_back(trace.seconds() / std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
  }
  fmt::print("{:.0f} times faster than real time (median of 15; {} frames a second, a line of {:.0f} s)\n",
             *Median(ratios), fps, trace.seconds());
  return 0;
}

}  // namespace

int main(int argc, char** argv) {
  try {
    return Run(argc, argv);
  } catch (const kettle::Error& error) {
    fmt::print(stderr, "{}\n", error.what());
    return 2;
  }
}
