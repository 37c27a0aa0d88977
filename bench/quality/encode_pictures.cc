// SPDX-License-Identifier: Apache-2.0
// Encodes footage at every size and frame rate that a plan would try, and keeps the encodes, so that other eyes can
// judge them too (choice_by_other_eyes.py).
//   encode_pictures SOURCE WIDTHxHEIGHT FRAME_RATE KBPS PRESET FOLDER [SECONDS]
// SECONDS of each stretch: 2, as a plan takes them; more leave more pictures that were not scored.
// A line of JSON for each: stretch of the footage, size, frame rate, the program's own score, which pictures it scored.
#include <fmt/format.h>

#include <cstdio>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "kettle/footage/cache.h"
#include "kettle/search/candidates.h"
#include "kettle/task/quality_run.h"
#include "kettle/task/unpaced.h"
#include "kettle/units/error.h"

namespace {

using namespace kettle;
namespace fs = std::filesystem;

nlohmann::json EncodeAndScore(const Footage& footage, const EncodeSettings& settings, const fs::path& output) {
  EncodeTask encode;
  encode.settings = settings;
  encode.footage = footage.file.string();
  encode.longest_seconds = 600;
  encode.output = output.string();
  const EncodeOutcome outcome = RunUnpaced(encode, SteadyClock(), [](double) {});
  QualityTask compare;
  compare.reference = encode.footage;
  compare.encoded = encode.output;
  compare.encoded_rate = settings.frame_rate;
  compare.frames = footage.frames;
  const Quality quality = RunQuality(compare, [](double) {}).quality;
  return {{"footage", footage.file.string()},
          {"encode", output.string()},
          {"size", settings.size},
          {"frame_rate", settings.frame_rate},
          {"mean_kbps", outcome.mean_kbps},
          {"score", quality.score()},
          {"quality", quality}};
}

void EncodeAll(const std::string& source, FrameSize size, FrameRate rate, EncodeSettings settings,
               const fs::path& folder, double seconds) {
  double busiest_from = -1;
  for (const Stretch stretch : {Stretch::kBusiest, Stretch::kCalmest}) {
    const bool busiest = stretch == Stretch::kBusiest;
    const Footage footage = PrepareFootage({source, size, rate, seconds, stretch}, DefaultCacheFolder(), [](double) {});
    if (footage.from_seconds == busiest_from || (!busiest && IsScene(source))) continue;
    busiest_from = footage.from_seconds;
    for (const FrameSize smaller : CandidateSizes(size))
      for (const FrameRate lower : CandidateRates(rate, rate)) {
        settings.size = smaller;
        settings.frame_rate = lower;
        const char* name = busiest ? "busiest" : "calmest";
        nlohmann::json line =
            EncodeAndScore(footage, settings, folder / fmt::format("{}-{}-{}.mkv", name, smaller.str(), lower.str()));
        line["stretch"] = name;
        fmt::print("{}\n", line.dump());
        std::fflush(stdout);
      }
  }
}

}  // namespace

int main(int argc, char** argv) try {
  if (argc != 7 && argc != 8)
    FailInput("usage: encode_pictures SOURCE WIDTHxHEIGHT FRAME_RATE KBPS PRESET FOLDER [SECONDS]");
  EncodeSettings settings;
  settings.encoder = "x264";
  settings.preset = argv[5];
  settings.bit_rate = settings.maximum_bit_rate = BitRate::FromKbps(std::stod(argv[4]));
  EncodeAll(argv[1], FrameSize::Parse(argv[2]), FrameRate::Parse(argv[3]), settings, argv[6],
            argc > 7 ? std::stod(argv[7]) : 2);
} catch (const std::exception& error) {
  fmt::print(stderr, "{}\n", error.what());
  return 2;
}
