// SPDX-License-Identifier: Apache-2.0
// How many pictures of an encode must be scored? Scores every picture of several encodes of each clip, then compares
// encodes that lie half a point to one and a half apart by the pictures that the program would score: how often is
// their order right?
//   score_sampling FOOTAGE.y4m...
#include "kettle/quality/score_sampling.h"

#include <fmt/format.h>

#include <cmath>
#include <cstdio>
#include <filesystem>
#include <numeric>
#include <string>
#include <vector>

#include "kettle/footage/y4m.h"
#include "kettle/store/file.h"
#include "kettle/task/quality_run.h"
#include "kettle/task/unpaced.h"

namespace {

using namespace kettle;

// What every picture of one encode looks like, as large as the source.
struct Looks {
  std::vector<double> scores, similarity;
};
Looks LooksOf(const std::string& footage, const EncodeSettings& settings, const std::string& output) {
  EncodeTask encode;
  encode.settings = settings;
  encode.footage = footage;
  encode.output = output;
  RunUnpaced(encode, SteadyClock(), [](double) {});
  QualityTask compare;
  compare.reference = footage;
  compare.encoded = output;
  compare.encoded_rate = settings.frame_rate;
  compare.frames = Y4mFile(footage).frames();
  compare.scored_a_second = 4 * static_cast<int>(std::lround(settings.frame_rate.fps()));  // all
  Looks looks;
  for (const PictureMetrics& picture : RunQuality(compare, [](double) {}).frames) {
    looks.scores.push_back(*picture.score);
    looks.similarity.push_back(picture.ssim_y);
  }
  return looks;
}

// By the pictures that are scored in `seconds` from `from` on.
double Sampled(const Looks& looks, std::size_t from, int seconds, FrameRate rate, int a_second) {
  std::vector<PictureScore> some;
  const int pictures = seconds * static_cast<int>(std::lround(rate.fps()));
  for (const int picture : ScoredPictures(pictures, rate, a_second))
    some.push_back({picture, looks.scores.at(from + static_cast<std::size_t>(picture))});
  const auto begin = looks.similarity.begin() + static_cast<std::ptrdiff_t>(from);
  return PoolScores(some, {begin, begin + pictures}, rate).mean;
}

double Whole(const Looks& looks, std::size_t from, std::size_t count) {
  const auto begin = looks.scores.begin() + static_cast<std::ptrdiff_t>(from);
  return std::accumulate(begin, begin + static_cast<std::ptrdiff_t>(count), 0.0) / static_cast<double>(count);
}

struct Count {
  int right = 0, all = 0;
};

// Every two encodes that lie about a point apart in those seconds.
void CompareAll(const std::vector<Looks>& encodes, std::size_t from, int seconds, FrameRate rate,
                const std::vector<int>& numbers, std::vector<Count>& counts) {
  const std::size_t pictures = static_cast<std::size_t>(seconds) * static_cast<std::size_t>(std::lround(rate.fps()));
  for (std::size_t a = 0; a < encodes.size(); ++a)
    for (std::size_t b = 0; b < a; ++b) {
      const double apart = Whole(encodes[a], from, pictures) - Whole(encodes[b], from, pictures);
      if (std::abs(apart) < 0.5 || std::abs(apart) > 1.5) continue;
      for (std::size_t n = 0; n < numbers.size(); ++n) {
        const double seen =
            Sampled(encodes[a], from, seconds, rate, numbers[n]) - Sampled(encodes[b], from, seconds, rate, numbers[n]);
        ++counts[n].all;
        counts[n].right += seen * apart > 0;
      }
    }
}

}  // namespace

int main(int argc, char** argv) {
  const TemporaryFolder folder(std::filesystem::temp_directory_path());
  const std::vector<int> numbers{1, 2, 3, 4, 6, 8, 12};
  std::vector<Count> one_second(numbers.size()), whole(numbers.size());
  for (int i = 1; i < argc; ++i) {
    const std::string footage = argv[i];
    const Y4mFile source(footage);
    std::vector<Looks> encodes;
    for (const char* preset : {"superfast", "veryfast", "faster"})
      for (const double bits : {0.08, 0.084, 0.088, 0.15, 0.158})  // a pixel
        for (const int part : {4, 3}) {
          EncodeSettings settings;
          settings.encoder = "x264";
          settings.preset = preset;
          settings.size = {source.size().width * part / 8 * 2, source.size().height * part / 8 * 2};
          settings.frame_rate = source.rate();
          settings.bit_rate = settings.maximum_bit_rate =
              BitRate::FromKbps(bits * static_cast<double>(source.size().pixels()) * source.rate().fps() / 1000);
          encodes.push_back(LooksOf(footage, settings, (folder.path() / "encode.mkv").string()));
          fmt::print(stderr, "{} {} {}: {:.1f}\n", std::filesystem::path(footage).filename().string(), preset,
                     settings.size.str(), Whole(encodes.back(), 0, encodes.back().scores.size()));
        }
    const auto second = static_cast<std::size_t>(std::lround(source.rate().fps()));
    const int seconds = static_cast<int>(encodes.front().scores.size() / second);
    for (int from = 0; from < seconds; ++from)
      CompareAll(encodes, second * from, 1, source.rate(), numbers, one_second);
    CompareAll(encodes, 0, seconds, source.rate(), numbers, whole);
  }
  for (std::size_t n = 0; n < numbers.size(); ++n)
    fmt::print("{:>3} pictures a second: right in {} of {} pairs over one second, {} of {} over the whole\n",
               numbers[n], one_second[n].right, one_second[n].all, whole[n].right, whole[n].all);
}
