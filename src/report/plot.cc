// SPDX-License-Identifier: Apache-2.0
#include "report/plot.h"

#include <sys/wait.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <sstream>

#include "kettle/store/file.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr const char* kStyle = R"(
set encoding utf8
set border 3 linecolor rgb "#8a8f94" linewidth 1
set tics nomirror textcolor rgb "#22282d" scale 0.6
set grid linecolor rgb "#e3e6e8" linewidth 1 linetype 1
set key off
set lmargin 11
set rmargin 6
set tmargin 5
set bmargin 5
)";

}  // namespace

std::string Quoted(const std::string& text) {
  std::string safe = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') safe += '\\';
    if (static_cast<unsigned char>(c) >= 32) safe += c;
  }
  return safe + "\"";
}

void DrawFigure(const std::filesystem::path& folder, const std::string& name, const std::string& script) {
  const TemporaryFolder scratch(folder);
  const std::string svg = (scratch.path() / "figure.svg").string(), png = (scratch.path() / "figure.png").string();
  const std::filesystem::path file = scratch.path() / "figure.gp", log = scratch.path() / "log";
  std::ostringstream text;
  text << "set terminal svg noenhanced size 1200,720 dynamic font 'DejaVu Sans,15' background '#ffffff'\n"
       << "set output " << Quoted(svg) << '\n'
       << kStyle << script << "\nunset output\n"
       << "set terminal pngcairo noenhanced size 1200,720 font 'DejaVu Sans,12' background '#ffffff'\n"
       << "set output " << Quoted(png) << "\nreplot\nunset output\n";
  WriteFile(file, text.str());
  const std::string command = "gnuplot " + file.string() + " >" + log.string() + " 2>&1";
  const int result = std::system(command.c_str());
  if (result != 0) {
    std::string words, line;
    std::ifstream stream(log);
    while (words.size() < 300 && std::getline(stream, line))
      if (!line.empty()) words += line + " ";
    FailMachine("gnuplot failed to draw {}: {}", name, words);
  }
  Publish(svg, folder / (name + ".svg"));
  Publish(png, folder / (name + ".png"));
}

}  // namespace kettle
