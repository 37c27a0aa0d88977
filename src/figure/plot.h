// SPDX-License-Identifier: Apache-2.0
// Runs gnuplot with the product's one style, for SVG and PNG of each figure.
#pragma once

#include <cstddef>
#include <filesystem>
#include <string>

#include "kettle/units/error.h"

namespace kettle {

// The palette: colour-blind safe (Okabe and Ito 2008), as gnuplot colours.
inline constexpr const char* kBlue = "#0072b2";
inline constexpr const char* kSky = "#56b4e9";  // too light for white letters
inline constexpr const char* kOrange = "#d55e00";
inline constexpr const char* kGreen = "#009e73";
inline constexpr const char* kPurple = "#cc79a7";
inline constexpr const char* kAmber = "#e69f00";
inline constexpr const char* kGrey = "#6b7177";
inline constexpr const char* kInk = "#22282d";

// A figure that could not be drawn. Nothing else is lost by it: results are written before figures.
class FigureError : public Error {
 public:
  FigureError(const std::string& line, bool hopeless) : Error(Fault::kMachine, line), hopeless_(hopeless) {}
  bool hopeless() const { return hopeless_; }  // the next figure will fare no better

 private:
  bool hopeless_;
};

// Any text, also a stranger's, as a gnuplot string that shows it and evaluates nothing of it. All text that is not
// written in our own sources goes through here, names of colours and files too.
std::string Quoted(const std::string& text);

// A colour that a file names as one of ours: "#rrggbb" or "white"; grey for anything else.
std::string ColourNamed(const std::string& text);

// A series' look: a colour and a point shape of its own (gnuplot's point type).
struct Look {
  const char* colour;
  int point;
};
Look LookOf(std::size_t index);  // repeats after eight

// Commands for the title, which is the figure's answer, and the line under it.
std::string FigureTitle(const std::string& title, const std::string& subtitle);

// Commands for a named dashed line at `x`; `height` of its name, 0 to 1 of the graph. `id` is unique in the figure.
std::string VerticalLine(int id, double x, const char* colour, const std::string& text, double height);

// Draws `script` (gnuplot commands after the style; data inline) to `folder`/`name`.svg and .png, 1200 by
// 720. Throws FigureError if gnuplot is missing, hangs or fails; Error(kMachine) if the folder takes no file.
void DrawFigure(const std::filesystem::path& folder, const std::string& name, const std::string& script);

// Draws to `folder`/`name`.png alone, in any size.
void DrawPicture(const std::filesystem::path& folder, const std::string& name, int width, int height,
                 const std::string& script);

}  // namespace kettle
