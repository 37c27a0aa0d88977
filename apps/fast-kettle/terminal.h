// SPDX-License-Identifier: Apache-2.0
// Tables for standard output and progress for standard error.
#pragma once

#include <chrono>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

namespace kettle::app {

enum class Tone { kPlain, kGood, kBad, kDim, kStrong };

// `text` in colour if standard output is a terminal and NO_COLOR is not set.
std::string Paint(const std::string& text, Tone tone);

// What the user wanted to know, in a sentence, and the command that comes next.
struct Headline {
  std::string sentence;
  Tone tone = Tone::kStrong;
  std::string next;  // "fast-kettle ..."; empty: nothing
};
// The sentence, before the tables.
void PrintHeadline(const Headline& headline);
// After the tables: what comes next; in a terminal, where tables scroll it away, the sentence once more.
void PrintClosing(const Headline& headline);

// On standard output: the same facts as a file of results holds.
void PrintJson(nlohmann::json json);

struct Cell {
  std::string text;
  Tone tone = Tone::kPlain;
  bool right = false;  // numbers stand on the right
};
Cell Number(std::string text, Tone tone = Tone::kPlain);

// Prints a table: columns as wide as their longest cell, two spaces apart.
class Table {
 public:
  explicit Table(std::vector<Cell> header);
  void Row(std::vector<Cell> cells) { rows_.push_back(std::move(cells)); }
  std::string str() const;

 private:
  std::vector<std::vector<Cell>> rows_;
};

// A bar with time left on standard error if that is a terminal; otherwise a line for each stage.
class Progress {
 public:
  explicit Progress(bool quiet);
  ~Progress();
  // A new stage of about `steps` steps.
  void Stage(const std::string& name, int steps);
  // The stage by another name: its steps and its time go on.
  void Rename(const std::string& name);
  // The most steps that may still come, where that is more than about; the best that was found so far.
  void Tell(int most_steps_left, const std::string& best);
  // What is being done now, 0..1 of the current step.
  void Show(const std::string& what, double share);
  void StepsDone(int steps);
  void StepDone() { StepsDone(1); }
  // Wipes the bar, so that other lines can be printed.
  void Clear();

 private:
  void Draw();

  bool quiet_, terminal_;
  std::string stage_, what_, best_;
  int steps_ = 1, done_ = 0, most_left_ = 0;
  double share_ = 0;
  std::chrono::steady_clock::time_point start_, drawn_{};
};

}  // namespace kettle::app
