// SPDX-License-Identifier: Apache-2.0
// How fast the metrics are beside libavfilter's psnr and ssim filters, in one pass over the same two Y4M files, and how
// far they agree. Paired: each round runs all, and the medians of the rounds' ratios are printed.
// usage: quality_against_filters REFERENCE.y4m DISTORTED.y4m [ROUNDS]
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <functional>

#include "kettle/footage/y4m.h"
#include "kettle/quality/comparison.h"
#include "kettle/quality/score_sampling.h"
#include "kettle/units/statistics.h"
#include "quality/filter_pair.h"

namespace {

using namespace kettle;

double Seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

// PSNR of three planes and SSIM alone, in this thread.
std::vector<PictureMetrics> PsnrAndSsim(const char* reference, const char* distorted) {
  const Y4mFile a(reference), b(distorted);
  std::vector<PictureMetrics> frames;
  for (int i = 0; i < std::min(a.frames(), b.frames()); ++i) {
    const FramePtr source = a.Frame(i), encode = b.Frame(i);
    const PictureView x = ViewOf(*source), y = ViewOf(*encode);
    const LumaSimilarity luma = CompareLuma(x[0], y[0]);
    frames.push_back({luma.mse, MeanSquaredError(x[1], y[1]), MeanSquaredError(x[2], y[2]), luma.ssim, {}, {}, {}});
  }
  return frames;
}

void Everything(const char* reference, const char* distorted, int threads) {
  const Y4mFile a(reference), b(distorted);
  Comparison comparison(threads, a.size(), a.size());
  const std::vector<int> scored = ScoredPictures(a.frames(), a.rate());
  for (int i = 0; i < std::min(a.frames(), b.frames()); ++i) {
    const std::shared_ptr<const AVFrame> source(a.Frame(i).release(), LibavDeleter()),
        encode(b.Frame(i).release(), LibavDeleter());
    comparison.Add(source, encode, std::binary_search(scored.begin(), scored.end(), i));
  }
  comparison.Finish();
}

}  // namespace

int main(int argc, char** argv) {
  av_log_set_level(AV_LOG_ERROR);
  if (argc < 3) {
    fmt::print(stderr, "usage: quality_against_filters REFERENCE.y4m DISTORTED.y4m [ROUNDS]\n");
    return 2;
  }
  const int rounds = argc > 3 ? std::atoi(argv[3]) : 9;
  std::vector<double> pair, whole, two;
  double psnr = 0, ssim = 0, filter_seconds = 0;
  std::vector<double> seconds;  // everything on two threads
  std::size_t frames = 0;
  for (int round = 0; round < rounds; ++round) {
    std::vector<test::FilteredFrame> theirs;
    std::vector<PictureMetrics> ours;
    const double filters = Seconds([&] { theirs = test::MeasureWithFilters(argv[1], argv[2]); });
    const double alone = Seconds([&] { ours = PsnrAndSsim(argv[1], argv[2]); });
    const double all = Seconds([&] { Everything(argv[1], argv[2], 1); });
    const double threaded = Seconds([&] { Everything(argv[1], argv[2], 2); });
    pair.push_back(filters / alone);
    whole.push_back(filters / all);
    two.push_back(all / threaded);
    seconds.push_back(threaded);
    filter_seconds += filters / rounds;
    frames = ours.size();
    for (std::size_t i = 0; i < ours.size(); ++i) {
      psnr = std::max(psnr, std::abs(PsnrDb(ours[i].mse_y) - PsnrDb(theirs[i].mse_y)));
      ssim = std::max(ssim, std::abs(ours[i].ssim_y - theirs[i].ssim_y));
    }
  }
  fmt::print("{} frames, {} rounds; the filters take {:.2f} ms a frame\n", frames, rounds,
             filter_seconds / static_cast<double>(frames) * 1000);
  fmt::print("PSNR and SSIM over the filters, one thread each: {:.2f} times as fast\n", *Median(pair));
  fmt::print("all that a trial is judged by, one thread: {:.2f} of the filters' speed\n", *Median(whole));
  fmt::print("on two threads over one: {:.2f} times as fast; {:.3f} ms a frame\n", *Median(two),
             *Median(seconds) / static_cast<double>(frames) * 1000);
  fmt::print("largest difference of a frame: {:.6f} dB PSNR-Y, {:.7f} SSIM-Y\n", psnr, ssim);
}
