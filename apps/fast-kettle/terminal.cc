// SPDX-License-Identifier: Apache-2.0
#include "terminal.h"

#include <fmt/format.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <nlohmann/json.hpp>

#include "kettle/store/json_text.h"
#include "report/sentence.h"
#include "report/wrap.h"

namespace kettle::app {

namespace {

constexpr std::size_t kHeadlineColumns = 100;

bool NoColour() {
  const char* value = std::getenv("NO_COLOR");
  return value && *value;
}

const char* Code(Tone tone) {
  switch (tone) {
    case Tone::kGood: return "32";
    case Tone::kBad: return "31";
    case Tone::kDim: return "2";
    case Tone::kStrong: return "1";
    case Tone::kPlain: break;
  }
  return "";
}

// Letters as a terminal counts them: the bytes that do not continue a UTF-8 sequence.
std::size_t Width(const std::string& text) {
  return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), [](char c) { return (c & 0xc0) != 0x80; }));
}

}  // namespace

std::string Paint(const std::string& text, Tone tone) {
  static const bool colour = isatty(STDOUT_FILENO) && !NoColour();
  if (!colour || tone == Tone::kPlain) return text;
  return fmt::format("\x1b[{}m{}\x1b[0m", Code(tone), text);
}

void PrintHeadline(const Headline& headline) {
  fmt::print("{}\n\n", Paint(Wrap(headline.sentence, 0, 0, kHeadlineColumns), headline.tone));
}

void PrintClosing(const Headline& headline) {
  if (isatty(STDOUT_FILENO))
    fmt::print("\n{}\n", Paint(Wrap(headline.sentence, 0, 0, kHeadlineColumns), headline.tone));
  if (!headline.next.empty()) fmt::print("Next: {}\n", headline.next);
}

void PrintJson(nlohmann::json json) {
  AddSentences(json);
  fmt::print("{}\n", JsonText(json, 2));
}

Cell Number(std::string text, Tone tone) { return {std::move(text), tone, true}; }

Table::Table(std::vector<Cell> header) {
  for (Cell& cell : header) cell.tone = Tone::kDim;
  rows_.push_back(std::move(header));
}

std::string Table::str() const {
  std::vector<std::size_t> widths;
  for (const auto& row : rows_)
    for (std::size_t i = 0; i < row.size(); ++i) {
      if (widths.size() <= i) widths.push_back(0);
      widths[i] = std::max(widths[i], Width(row[i].text));
    }
  std::string text;
  for (const auto& row : rows_) {
    text += "  ";
    for (std::size_t i = 0; i < row.size(); ++i) {
      const std::string gap(widths[i] - Width(row[i].text), ' ');
      const bool last = i + 1 == row.size();
      text += (row[i].right ? gap : "") + Paint(row[i].text, row[i].tone) + (row[i].right || last ? "" : gap) +
              (last ? "" : "  ");
    }
    text += '\n';
  }
  return text;
}

Progress::Progress(bool quiet) : quiet_(quiet), terminal_(isatty(STDERR_FILENO)) {}

Progress::~Progress() { Clear(); }

void Progress::Stage(const std::string& name, int steps) {
  stage_ = name;
  steps_ = std::max(1, steps);
  done_ = 0;
  share_ = 0;
  most_left_ = 0;
  what_.clear();
  best_.clear();
  start_ = std::chrono::steady_clock::now();
  if (!quiet_ && !terminal_) fmt::print(stderr, "{}\n", name);
  Draw();
}

void Progress::Rename(const std::string& name) {
  if (name == stage_) return;
  stage_ = name;
  if (!quiet_ && !terminal_) fmt::print(stderr, "{}\n", name);
  Draw();
}

void Progress::Tell(int most_steps_left, const std::string& best) {
  most_left_ = most_steps_left;
  if (best == best_) return;
  best_ = best;
  if (!quiet_ && !terminal_) fmt::print(stderr, "so far: {}\n", best);
  Draw();
}

void Progress::Show(const std::string& what, double share) {
  what_ = what;
  share_ = share;
  const auto now = std::chrono::steady_clock::now();
  if (now - drawn_ >= std::chrono::milliseconds(100)) Draw();
}

void Progress::StepsDone(int steps) {
  done_ += steps;
  share_ = 0;
  steps_ = std::max(steps_, done_ + 1);
  Draw();
}

void Progress::Clear() {
  if (terminal_ && !quiet_) fmt::print(stderr, "\r\x1b[K");
}

void Progress::Draw() {
  if (!terminal_ || quiet_) return;
  drawn_ = std::chrono::steady_clock::now();
  winsize size{};
  const int columns = ioctl(STDERR_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 20 ? size.ws_col : 80;
  const double done = std::min(1.0, (done_ + std::clamp(share_, 0.0, 1.0)) / steps_);
  const double elapsed = std::chrono::duration<double>(drawn_ - start_).count();
  constexpr int kBar = 16;
  const int filled = static_cast<int>(done * kBar);
  const std::string bar = fmt::format("[{}{}] {:3.0f} %", std::string(static_cast<std::size_t>(filled), '#'),
                                      std::string(static_cast<std::size_t>(kBar - filled), '.'), done * 100);
  std::string left;
  if (done > 0.03 && elapsed > 2) left = fmt::format("about {:.0f} s left", elapsed / done - elapsed);
  if (most_left_ > 0)
    left += fmt::format("{}{} of at most {} steps", left.empty() ? "" : ", ", done_ + 1, done_ + most_left_);
  if (!best_.empty()) left += fmt::format("{}so far: {}", left.empty() ? "" : "; ", best_);
  // As much as the terminal is wide: what is found counts most, then what is done.
  const std::string whole = fmt::format("{} {}{}{}", stage_, bar, left.empty() ? "" : "  ", left);
  const auto width = static_cast<std::size_t>(columns) - 1;
  std::string line = whole + "  " + what_;
  if (line.size() > width && !best_.empty())
    line = whole.size() <= width ? whole : stage_.size() + 2 + left.size() <= width ? stage_ + ": " + left : left;
  line.resize(std::min(line.size(), width));
  fmt::print(stderr, "\r\x1b[K{}", line);
  std::fflush(stderr);
}

}  // namespace kettle::app
