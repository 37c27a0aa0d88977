// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/speeds.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <optional>

#include "kettle/units/statistics.h"

namespace kettle {

namespace {

constexpr int kSide = 16, kReach = 16;   // samples of the small picture: a block's side, and how far it is looked for
constexpr int kColumns = 12, kRows = 8;  // of blocks that are followed
constexpr double kTexture = 2;           // grey levels of deviation: less is noise

struct Offset {
  int x = 0, y = 0;
  int squared() const { return x * x + y * y; }
};

// Nearest first, so that of places that match alike the nearest is taken.
std::vector<Offset> OffsetsWithin(int reach) {
  std::vector<Offset> offsets;
  for (int y = -reach; y <= reach; ++y)
    for (int x = -reach; x <= reach; ++x) offsets.push_back({x, y});
  std::stable_sort(offsets.begin(), offsets.end(),
                   [](const Offset& a, const Offset& b) { return a.squared() < b.squared(); });
  return offsets;
}

// Means of `factor` x `factor` samples.
struct SmallPicture {
  SmallPicture(const PlaneView& plane, int by)
      : factor(by),
        width(plane.width / by),
        height(plane.height / by),
        samples(static_cast<std::size_t>(width * height)) {
    for (int y = 0; y < height; ++y)
      for (int x = 0; x < width; ++x) {
        int sum = 0;
        for (int row = 0; row < factor; ++row)
          for (int column = 0; column < factor; ++column) sum += plane.row(y * factor + row)[x * factor + column];
        samples[static_cast<std::size_t>(y * width + x)] = static_cast<std::uint8_t>(sum / (factor * factor));
      }
  }
  PlaneView view() const { return {samples.data(), width, width, height}; }

  int factor, width, height;
  std::vector<std::uint8_t> samples;
};

int Differences(const PlaneView& a, int ax, int ay, const PlaneView& b, int bx, int by) {
  int sum = 0;
  for (int row = 0; row < kSide; ++row) {
    const std::uint8_t* left = a.row(ay + row) + ax;
    const std::uint8_t* right = b.row(by + row) + bx;
    for (int column = 0; column < kSide; ++column) sum += std::abs(left[column] - right[column]);
  }
  return sum;
}

double Deviation(const PlaneView& plane, int x, int y) {
  double sum = 0, squares = 0;
  for (int row = 0; row < kSide; ++row)
    for (int column = 0; column < kSide; ++column) {
      const double sample = plane.row(y + row)[x + column];
      sum += sample;
      squares += sample * sample;
    }
  const double mean = sum / (kSide * kSide);
  return std::sqrt(std::max(0.0, squares / (kSide * kSide) - mean * mean));
}

// Where the block at x, y of `later` was in `earlier`, `around` there, and how well it matches.
struct Match {
  Offset at;
  int differences = 0;
};
std::optional<Match> Find(const PlaneView& earlier, const PlaneView& later, int x, int y, const Offset& around,
                          const std::vector<Offset>& offsets) {
  std::optional<Match> best;
  for (const Offset& offset : offsets) {
    const Offset at{around.x + offset.x, around.y + offset.y};
    if (x + at.x < 0 || y + at.y < 0 || x + at.x + kSide > earlier.width || y + at.y + kSide > earlier.height) continue;
    const int differences = Differences(later, x, y, earlier, x + at.x, y + at.y);
    if (!best || differences < best->differences) best = {at, differences};
  }
  return best;
}

}  // namespace

std::vector<double> DistancesMoved(const PlaneView& earlier, const PlaneView& later) {
  const int factor = std::max(1, later.width / (20 * kReach));
  const SmallPicture small_earlier(earlier, factor), small_later(later, factor);
  static const std::vector<Offset> coarse = OffsetsWithin(kReach);
  const std::vector<Offset> fine = OffsetsWithin(factor);
  std::vector<double> distances;
  for (int row = 0; row < kRows; ++row)
    for (int column = 0; column < kColumns; ++column) {
      const int x = (small_later.width - kSide) * (2 * column + 1) / (2 * kColumns);
      const int y = (small_later.height - kSide) * (2 * row + 1) / (2 * kRows);
      if (x < 0 || y < 0) continue;
      const double texture = Deviation(small_later.view(), x, y);
      if (texture < kTexture) continue;
      const auto found = Find(small_earlier.view(), small_later.view(), x, y, {}, coarse);
      // What differs by half of its texture is something else: it came into view, or the scene was cut.
      if (!found || 2 * found->differences > texture * kSide * kSide) continue;
      const Offset at{found->at.x * factor, found->at.y * factor};
      const int middle = (factor - 1) * kSide / 2;  // of the same block in the whole picture
      const auto exact = Find(earlier, later, x * factor + middle, y * factor + middle, at, fine);
      distances.push_back(std::sqrt((exact ? exact->at : at).squared()));
    }
  return distances;
}

std::vector<double> Spread(std::vector<double> values, int count) {
  std::vector<double> spread;
  std::sort(values.begin(), values.end());
  for (int i = 0; i < count && !values.empty(); ++i) spread.push_back(*Quantile(values, (i + 0.5) / count));
  return spread;
}

}  // namespace kettle
