// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/quiet.h"

#include <gtest/gtest.h>

#include <thread>
#include <vector>

namespace kettle {
namespace {

// Plays back what each look finds, the last for ever, and counts the seconds looked.
class Looks {
 public:
  explicit Looks(std::vector<double> stolen) : stolen_(std::move(stolen)) {}
  bool Await(double most_seconds) {
    return AwaitQuiet(
        [this](double seconds) {
          seconds_ += seconds;
          const double found = stolen_[next_];
          if (next_ + 1 < stolen_.size()) ++next_;
          return found;
        },
        most_seconds);
  }
  double seconds() const { return seconds_; }

 private:
  std::vector<double> stolen_;
  std::size_t next_ = 0;
  double seconds_ = 0;
};

TEST(AwaitQuiet, FourQuietLooksAreEnough) {
  Looks looks({0.0});
  EXPECT_TRUE(looks.Await(20));
  EXPECT_DOUBLE_EQ(looks.seconds(), 4);
}

TEST(AwaitQuiet, QuietLooksBetweenBurstsAreNot) {
  Looks looks({1.3, 0.02, 0.02, 0.02, 0.4, 0.03});
  EXPECT_TRUE(looks.Await(20));
  EXPECT_DOUBLE_EQ(looks.seconds(), 9);
}

TEST(AwaitQuiet, GivesUpOnAHostThatStaysBusy) {
  Looks looks({0.1});
  EXPECT_FALSE(looks.Await(20));
  EXPECT_DOUBLE_EQ(looks.seconds(), 20);
}

TEST(StolenWhileBusy, IsBetweenNoneAndAllProcessors) {
  const double stolen = StolenWhileBusy(1, 0.05);
  EXPECT_GE(stolen, 0);
  EXPECT_LE(stolen, static_cast<double>(std::thread::hardware_concurrency()) + 1);
}

}  // namespace
}  // namespace kettle
