// SPDX-License-Identifier: Apache-2.0
// A page of sections, made into one self-contained HTML file that needs no network and no script.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "figure/strip.h"

namespace kettle {

struct PageTable {
  struct Column {
    std::string title;
    bool number = false;  // stands on the right
  };
  struct Row {
    std::vector<std::string> cells;
    bool taken = false;  // what was chosen: in bold
  };
  std::string caption;
  std::vector<Column> columns;
  std::vector<Row> rows;
  std::string note;      // below it
  bool sortable = true;  // by a click on a column's title, where scripts are allowed
};

struct PageFigure {
  std::string name;  // of its file; unique on the page
  std::string svg;   // the file's content
  std::string title, subtitle;
};

struct PageList {
  std::string heading;
  std::vector<std::string> items;
};

// Long text as it is, folded away.
struct PageText {
  std::string summary, text;
};

// The cells of a picture laid out in columns, whole and enlarged, to be looked at one over the other.
struct PageStrip {
  StripLayout layout;
  std::string png;  // the file's content
};

struct PageSection {
  std::string id, heading, intro;
  std::optional<PageStrip> strip = {};
  std::vector<PageTable> tables = {};
  std::vector<PageList> lists = {};
  std::vector<PageFigure> figures = {};
  std::vector<PageText> texts = {};

  bool empty() const { return !strip && tables.empty() && lists.empty() && figures.empty() && texts.empty(); }
};

enum class PageTone { kGood, kTight, kBad };

struct Page {
  std::string title, answer, proof;
  PageTone tone = PageTone::kGood;
  std::string simulated;  // what of it was; empty: nothing
  std::string version, sources, written;
  std::vector<PageSection> sections;
};

// Throws Error(kMachine) if the template is broken.
std::string Html(const Page& page);

}  // namespace kettle
