// SPDX-License-Identifier: Apache-2.0
#include "report/looks.h"

#include <fmt/format.h>

#include <cmath>

namespace kettle {

namespace {

// Of the number as it is told.
const char* Word(double exact) {
  const double score = std::round(exact);
  if (score >= 90) return "looks like the source";
  if (score >= 70) return "looks very good";
  if (score >= 50) return "looks good";
  if (score >= 30) return "looks fair";
  return score >= 10 ? "looks poor" : "looks ruined";
}

}  // namespace

std::string Looks(double score) { return fmt::format("{} ({:.0f} of 100)", Word(score), score); }

std::string Looks(double score, double interval) {
  return fmt::format("{} ({:.0f} of 100, ±{:.0f})", Word(score), score, std::ceil(interval));
}

std::string Points(double score) { return fmt::format("{:.1f}", score); }

}  // namespace kettle
