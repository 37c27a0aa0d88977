// SPDX-License-Identifier: Apache-2.0
#include "figure/plot.h"

#include <array>
#include <sstream>

#include "kettle/process/command.h"
#include "kettle/store/file.h"
#include "kettle/units/plain_text.h"

namespace kettle {

namespace {

constexpr const char* kStyle = R"(
set encoding utf8
set border 3 linecolor rgb "#6b7177" linewidth 1
set tics nomirror textcolor rgb "#22282d" scale 0.6
set grid linecolor rgb "#e3e6e8" linewidth 1 linetype 1
set key off
set lmargin 11
set rmargin 6
set tmargin 5
set bmargin 5
)";

}  // namespace

// In single quotes gnuplot looks for nothing but their end: in double quotes it runs what stands in backquotes.
std::string Quoted(const std::string& text) {
  std::string safe = "'";
  for (const char c : PlainText(text)) safe += c == '\'' ? "''" : std::string(1, c);
  return safe + "'";
}

std::string ColourNamed(const std::string& text) {
  const bool number = text.size() == 7 && text[0] == '#' && text.find_first_not_of("0123456789abcdef", 1) == text.npos;
  return number || text == "white" ? text : kGrey;
}

Look LookOf(std::size_t index) {
  static const std::array looks = {Look{kBlue, 7},   Look{kOrange, 5}, Look{kGreen, 9},    Look{kPurple, 11},
                                   Look{kAmber, 13}, Look{kInk, 15},   Look{"#56b4e9", 6}, Look{kGrey, 4}};
  return looks[index % looks.size()];
}

std::string FigureTitle(const std::string& title, const std::string& subtitle) {
  // A long answer must still fit the width.
  const int size = title.size() <= 76 ? 18 : title.size() <= 106 ? 13 : 11;
  const int smaller = subtitle.size() <= 120 ? 12 : 10;
  const auto label = [](int id, const std::string& text, double above, const std::string& look) {
    return fmt::format("set label {} {} at graph 0, graph 1 offset 0,{} left {}\n", id, Quoted(text), above, look);
  };
  return label(100, title, 2.9, fmt::format("font ',{}' textcolor rgb \"{}\"", size, kInk)) +
         label(101, subtitle, 1.2, fmt::format("font ',{}' textcolor rgb \"{}\"", smaller, kGrey));
}

std::string VerticalLine(int id, double x, const char* colour, const std::string& text, double height) {
  return fmt::format(
             "set arrow {} from {}, graph 0 to {}, graph 1 nohead back linecolor rgb \"{}\" linewidth 2 dashtype 2\n",
             id, x, x, colour) +
         fmt::format("set label {} {} at {}, graph {} offset 0.6,0 left textcolor rgb \"{}\"\n", id, Quoted(text), x,
                     height, colour);
}

namespace {

// Throws FigureError with gnuplot's first words if it fails. `scratch` is for the script.
void RunGnuplot(const std::filesystem::path& scratch, const std::string& name, const std::string& script) {
  constexpr double kMostSeconds = 30;  // the slowest figure takes 2
  const std::filesystem::path file = scratch / "figure.gp";
  WriteFile(file, script);
  // Its defaults, whatever the user's own start-up file says.
  const CommandOutcome outcome = RunCommand({"gnuplot", "-d", file.string()}, kMostSeconds);
  if (outcome.ok()) return;
  using Status = CommandOutcome::Status;
  if (outcome.status == Status::kNotFound)
    throw FigureError("gnuplot is not installed (sudo apt install gnuplot-nox)", true);
  if (outcome.status == Status::kTimedOut)
    throw FigureError(fmt::format("gnuplot did not finish within {:g} s and was ended", kMostSeconds), true);
  throw FigureError(fmt::format("gnuplot failed to draw {}: {}", name, PlainText(outcome.output, 300)), false);
}

std::string PngTerminal(int width, int height) {
  return fmt::format("set terminal pngcairo noenhanced size {},{} font 'DejaVu Sans,12' background '#ffffff'\n", width,
                     height);
}

}  // namespace

void DrawFigure(const std::filesystem::path& folder, const std::string& name, const std::string& script) {
  const TemporaryFolder scratch(std::filesystem::absolute(folder));  // a name that begins with | or < would be run
  const std::string svg = (scratch.path() / "figure.svg").string(), png = (scratch.path() / "figure.png").string();
  std::ostringstream text;
  text << "set terminal svg noenhanced size 1200,720 dynamic font 'DejaVu Sans,15' background '#ffffff'\n"
       << "set output " << Quoted(svg) << '\n'
       << kStyle << script << "\nunset output\nreset\n"
       << PngTerminal(1200, 720) << "set output " << Quoted(png) << '\n'
       << kStyle << script << "\nunset output\n";  // not replot: that draws the last of several plots
  RunGnuplot(scratch.path(), name, text.str());
  Publish(svg, folder / (name + ".svg"));
  Publish(png, folder / (name + ".png"));
}

void DrawPicture(const std::filesystem::path& folder, const std::string& name, int width, int height,
                 const std::string& script) {
  const TemporaryFolder scratch(std::filesystem::absolute(folder));
  const std::string png = (scratch.path() / "figure.png").string();
  RunGnuplot(
      scratch.path(), name,
      PngTerminal(width, height) + "set encoding utf8\nset output " + Quoted(png) + "\n" + script + "unset output\n");
  Publish(png, folder / (name + ".png"));
}

}  // namespace kettle
