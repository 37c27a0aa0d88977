// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/quiet.h"

#include <gtest/gtest.h>

#include <chrono>
#include <vector>

#include "kettle/machine/cpu_time.h"

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

// How much is stolen is the host's affair; that it asks for the processors is what makes it show.
TEST(StolenWhileBusy, KeepsAProcessorBusyForThatLong) {
  const double used = OwnCpuSeconds();
  const auto start = std::chrono::steady_clock::now();
  EXPECT_GE(StolenWhileBusy(1, 0.1), 0);
  EXPECT_GE(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count(), 0.1);
  EXPECT_GT(OwnCpuSeconds() - used, 0.001);
}

}  // namespace
}  // namespace kettle
