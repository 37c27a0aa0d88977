// SPDX-License-Identifier: Apache-2.0
#include "figure/strip.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <sstream>

#include "figure/plot.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace {

constexpr int kHeight = 870, kLeft = 24, kTop = 112, kColumn = 413, kRow = 250, kHeading = 78, kRight = 17;

std::string LabelAt(int id, const std::string& text, int x, int y, int width, const char* look) {
  return fmt::format("set label {} {} at screen {}, screen {} left {}\n", id, Quoted(text),
                     static_cast<double>(x) / width, 1 - static_cast<double>(y) / kHeight, look);
}

std::string NoteOf(const StripOutcome& strip, const StripWords& words, const StripRow& row, std::size_t column) {
  if (column > 0) return fmt::format("PSNR {:.1f} dB", row.cells[column].psnr_y_db);
  return fmt::format("frame {}, {:.2f} s{}", row.frame, row.frame / words.rate.fps(),
                     row.enlarged ? fmt::format("; {} enlarged", strip.crop.str()) : "");
}

}  // namespace

StripLayout LayOut(const StripOutcome& strip, const StripWords& words) {
  StripLayout layout{words.title,   words.subtitle,
                     words.columns, kLeft + static_cast<int>(words.columns.size()) * kColumn + kRight,
                     kHeight,       {}};
  for (std::size_t r = 0; r < strip.rows.size(); ++r)
    for (std::size_t c = 0; c < strip.rows[r].cells.size(); ++c) {
      const FrameSize size = strip.rows[r].cells[c].size;
      const int column = static_cast<int>(c), row = static_cast<int>(r);
      layout.cells.push_back({column, row, kLeft + column * kColumn, kTop + row * kRow, size.width, size.height,
                              NoteOf(strip, words, strip.rows[r], c)});
    }
  return layout;
}

KETTLE_JSON(StripLayout::Cell, column, row, x, y, width, height, note)
KETTLE_JSON(StripLayout, title, subtitle, columns, width, height, cells)

void DrawStrip(const std::filesystem::path& folder, const StripOutcome& strip, const StripWords& words) {
  const int width = kLeft + static_cast<int>(words.columns.size()) * kColumn + kRight;
  const auto label_at = [&](int id, const std::string& text, int x, int y, const char* look) {
    return LabelAt(id, text, x, y, width, look);
  };
  std::ostringstream script;
  script << "set multiplot\nunset border\nunset tics\nunset key\nset margins 0, 0, 0, 0\n";
  int label = 1;
  script << label_at(label++, words.title, kLeft, 26, "font ',16' textcolor rgb '#22282d'");
  script << label_at(label++, words.subtitle, kLeft, 52, "textcolor rgb '#6b7177'");
  for (std::size_t column = 0; column < words.columns.size(); ++column)
    for (std::size_t line = 0; line < words.columns[column].size(); ++line)
      script << label_at(label++, words.columns[column][line], kLeft + static_cast<int>(column) * kColumn,
                         kHeading + static_cast<int>(line) * 20,
                         line == 0 ? "font ',13' textcolor rgb '#0072b2'" : "font ',10' textcolor rgb '#22282d'");
  for (std::size_t r = 0; r < strip.rows.size(); ++r) {
    const StripRow& row = strip.rows[r];
    for (std::size_t c = 0; c < row.cells.size(); ++c) {
      const StripCell& cell = row.cells[c];
      const int x = kLeft + static_cast<int>(c) * kColumn, y = kTop + static_cast<int>(r) * kRow;
      script << fmt::format("set origin {}, {}\nset size {}, {}\n", static_cast<double>(x) / width,
                            1 - static_cast<double>(y + cell.size.height) / kHeight,
                            static_cast<double>(cell.size.width) / width,
                            static_cast<double>(cell.size.height) / kHeight)
             << fmt::format("set xrange [-0.5:{}]\nset yrange [{}:-0.5]\n", cell.size.width - 0.5,
                            cell.size.height - 0.5);
      if (row.enlarged) {
        script << "unset object\n";
      } else {  // where the crop below comes from
        const double scale = static_cast<double>(cell.size.width) / words.viewing_size.width;
        script << fmt::format(
            "set object 1 rectangle from {}, {} to {}, {} front fillstyle empty border "
            "linecolor rgb '#e69f00' linewidth 2\n",
            strip.crop_left * scale, strip.crop_top * scale, (strip.crop_left + strip.crop.width) * scale,
            (strip.crop_top + strip.crop.height) * scale);
      }
      script << label_at(label++, NoteOf(strip, words, row, c), x, y + cell.size.height + 11,
                         "font ',10' textcolor rgb '#22282d'");
      script << "plot " << Quoted(std::filesystem::absolute(cell.file))
             << fmt::format(" binary array=({},{}) format='%uchar' with rgbimage notitle\n", cell.size.width,
                            cell.size.height)
             << "unset label\n";
    }
  }
  script << "unset multiplot\n";
  DrawPicture(folder, "worst-second", width, kHeight, script.str());
}

}  // namespace kettle
