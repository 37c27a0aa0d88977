// SPDX-License-Identifier: Apache-2.0
// Runs gnuplot with the product's one style, for SVG and PNG of each figure.
#pragma once

#include <filesystem>
#include <string>

namespace kettle {

// The palette: colour-blind safe (Okabe and Ito 2008), as gnuplot colours.
inline constexpr const char* kBlue = "#0072b2";
inline constexpr const char* kOrange = "#d55e00";
inline constexpr const char* kGreen = "#009e73";
inline constexpr const char* kPurple = "#cc79a7";
inline constexpr const char* kAmber = "#e69f00";
inline constexpr const char* kGrey = "#8a8f94";
inline constexpr const char* kText = "#22282d";

// Text made safe for a gnuplot string in double quotes, enhanced mode off.
std::string Quoted(const std::string& text);

// Draws `script` (gnuplot commands after the style; data inline) to `folder`/`name`.svg and .png, 1200 by
// 720. Throws Error(kMachine) with gnuplot's first words if it fails.
void DrawFigure(const std::filesystem::path& folder, const std::string& name, const std::string& script);

}  // namespace kettle
