// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/content.h"

#include <algorithm>
#include <cmath>

#include "kettle/units/statistics.h"

namespace kettle {

namespace {

double Deviation(double sum, double squares, double count) {
  const double mean = sum / count;
  return std::sqrt(std::max(0.0, squares / count - mean * mean));
}

}  // namespace

double SpatialInformation(const PlaneView& luma) {
  double sum = 0, squares = 0;
  for (int y = 1; y + 1 < luma.height; ++y) {
    const std::uint8_t *above = luma.row(y - 1), *row = luma.row(y), *below = luma.row(y + 1);
    float row_sum = 0, row_squares = 0;
    for (int x = 1; x + 1 < luma.width; ++x) {
      const int across = above[x + 1] + 2 * row[x + 1] + below[x + 1] - above[x - 1] - 2 * row[x - 1] - below[x - 1];
      const int down = below[x - 1] + 2 * below[x] + below[x + 1] - above[x - 1] - 2 * above[x] - above[x + 1];
      const auto square = static_cast<float>(across * across + down * down);
      row_sum += std::sqrt(square);
      row_squares += square;
    }
    sum += static_cast<double>(row_sum);
    squares += static_cast<double>(row_squares);
  }
  return Deviation(sum, squares, static_cast<double>(luma.width - 2) * (luma.height - 2));
}

double TemporalInformation(const PlaneView& luma, const PlaneView& previous) {
  std::int64_t sum = 0, squares = 0;
  for (int y = 0; y < luma.height; ++y) {
    const std::uint8_t *now = luma.row(y), *before = previous.row(y);
    int row_sum = 0, row_squares = 0;
    for (int x = 0; x < luma.width; ++x) {
      const int difference = now[x] - before[x];
      row_sum += difference;
      row_squares += difference * difference;
    }
    sum += row_sum;
    squares += row_squares;
  }
  return Deviation(static_cast<double>(sum), static_cast<double>(squares),
                   static_cast<double>(luma.width) * luma.height);
}

std::string Content::word() const {
  return motion < 3 ? "still" : motion < 9 ? "slow" : motion < 18 ? "fast" : "very fast";
}

ContentMeter::ContentMeter(FrameRate rate)
    : rate_(rate), apart_(static_cast<std::size_t>(std::max(1L, std::lround(rate.fps() / 30)))) {}

void ContentMeter::Add(std::shared_ptr<const AVFrame> picture) {
  const PlaneView luma = LumaOf(*picture);
  si_.push_back(SpatialInformation(luma));
  if (!recent_.empty()) ti_.push_back(TemporalInformation(luma, LumaOf(*recent_.back())));
  if (recent_.size() >= apart_)
    motion_.push_back(apart_ == 1 ? ti_.back() : TemporalInformation(luma, LumaOf(*recent_.front())));
  recent_.push_back(std::move(picture));
  if (recent_.size() > apart_) recent_.pop_front();
}

Content ContentMeter::Result() const {
  Content content;
  content.si = Quantile(si_, 1).value_or(0);
  content.ti = Quantile(ti_, 1).value_or(0);
  content.mean_si = Mean(si_).value_or(0);
  content.mean_ti = Mean(ti_).value_or(0);
  content.motion = Mean(motion_).value_or(0);
  const auto second = static_cast<std::size_t>(std::max(1L, std::lround(rate_.fps())));
  const std::vector<double> seconds = WindowMeans(motion_, second);
  if (seconds.size() < 2) return content;
  content.busiest_second = static_cast<int>(std::max_element(seconds.begin(), seconds.end()) - seconds.begin());
  content.calmest_second = static_cast<int>(std::min_element(seconds.begin(), seconds.end()) - seconds.begin());
  return content;
}

}  // namespace kettle
