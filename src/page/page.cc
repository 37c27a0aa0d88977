// SPDX-License-Identifier: Apache-2.0
#include "page/page.h"

#include <fmt/format.h>
#include <openssl/evp.h>

#include <kainjow/mustache.hpp>

#include "kettle/units/error.h"
#include "page/report_template.h"

namespace kettle {

namespace {

using Data = kainjow::mustache::data;

std::string Base64(const std::string& bytes) {
  std::string text((bytes.size() + 2) / 3 * 4 + 1, '\0');
  const int length =
      EVP_EncodeBlock(reinterpret_cast<unsigned char*>(text.data()),
                      reinterpret_cast<const unsigned char*>(bytes.data()), static_cast<int>(bytes.size()));
  text.resize(static_cast<std::size_t>(length));
  return text;
}

void ReplaceAll(std::string& text, const std::string& what, const std::string& with) {
  for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + with.size()))
    text.replace(at, what.size(), with);
}

std::string Escaped(std::string text) {
  ReplaceAll(text, "&", "&amp;");
  ReplaceAll(text, "<", "&lt;");
  ReplaceAll(text, ">", "&gt;");
  ReplaceAll(text, "\"", "&quot;");
  return text;
}

Data ListOf(const std::vector<Data>& items) {
  Data list{Data::type::list};
  for (const Data& item : items) list << item;
  return list;
}

// An object whose empty texts count as not there.
Data Object(const std::vector<std::pair<std::string, std::string>>& texts) {
  Data object;
  for (const auto& [name, text] : texts) object.set(name, text.empty() ? Data{Data::type::bool_false} : Data{text});
  return object;
}

// As an image: whatever else the file holds, a browser runs nothing of an image.
Data FigureData(const PageFigure& figure) {
  return Object({{"base64", Base64(figure.svg)},
                 {"label", figure.title + (figure.subtitle.empty() ? "" : ". " + figure.subtitle)}});
}

Data Flag(bool value) { return Data{value ? Data::type::bool_true : Data::type::bool_false}; }

Data TableData(const PageTable& table) {
  std::vector<Data> head, rows;
  for (const PageTable::Column& column : table.columns) {
    Data cell;
    cell.set("text", column.title);
    cell.set("number", Flag(column.number));
    head.push_back(cell);
  }
  for (const PageTable::Row& row : table.rows) {
    std::vector<Data> cells;
    for (std::size_t i = 0; i < row.cells.size(); ++i) {
      Data cell;
      cell.set("text", row.cells[i]);
      cell.set("first", Flag(i == 0));
      cell.set("number", Flag(i < table.columns.size() && table.columns[i].number));
      cells.push_back(cell);
    }
    Data data;
    data.set("taken", Flag(row.taken));
    data.set("cells", ListOf(cells));
    rows.push_back(data);
  }
  Data data = Object({{"caption", table.caption}, {"note", table.note}});
  data.set("sortable", Flag(table.sortable && table.rows.size() > 1));
  data.set("head", ListOf(head));
  data.set("rows", ListOf(rows));
  return data;
}

// Percentages, so that it fits whatever width its frame has.
std::string CellHtml(const StripLayout& layout, const StripLayout::Cell& cell) {
  const auto share = [](double part, double whole) { return whole > 0 ? 100 * part / whole : 0; };
  const std::string& column = layout.columns[static_cast<std::size_t>(cell.column)].front();
  return fmt::format(
      "<div class=\"cell\" role=\"img\" aria-label=\"{}\" style=\"background-size:{:.3f}% {:.3f}%;"
      "background-position:{:.4f}% {:.4f}%\"></div>",
      Escaped(column + ", " + cell.note), share(layout.width, cell.width), share(layout.height, cell.height),
      share(cell.x, layout.width - cell.width), share(cell.y, layout.height - cell.height));
}

const StripLayout::Cell* FindCell(const StripLayout& layout, int column, int row) {
  for (const StripLayout::Cell& cell : layout.cells)
    if (cell.column == column && cell.row == row) return &cell;
  return nullptr;
}

// What is laid over each other: where there is one, an enlarged part, in which more is to be seen.
int SliderRow(const StripLayout& layout) { return FindCell(layout, 0, 1) && FindCell(layout, 1, 1) ? 1 : 0; }

Data StripData(const StripLayout& layout) {
  std::vector<Data> columns, choices;
  for (std::size_t i = 0; i < layout.columns.size(); ++i) {
    const int column = static_cast<int>(i);
    std::vector<Data> pictures;
    for (int row = 0; const StripLayout::Cell* cell = FindCell(layout, column, row); ++row)
      pictures.push_back(Object({{"row", fmt::format("{}", row)},
                                 {"column", fmt::format("{}", column)},
                                 {"picture", CellHtml(layout, *cell)}}));
    const auto& words = layout.columns[i];
    Data data = Object({{"name", words.front()}, {"words", words.size() > 1 ? words[1] : ""}});
    data.set("pictures", ListOf(pictures));
    columns.push_back(data);
    Data choice = Object({{"index", fmt::format("{}", column)}, {"name", words.front()}});
    choice.set("left", Flag(column == 0));
    choice.set("right", Flag(column == 1));
    choices.push_back(choice);
  }
  Data data;
  data.set("cells", ListOf(columns));
  data.set("choices", ListOf(choices));
  const int row = SliderRow(layout);
  const StripLayout::Cell *under = FindCell(layout, 0, row), *over = FindCell(layout, 1, row);
  data.set("under", under ? CellHtml(layout, *under) : "");
  data.set("over", over ? CellHtml(layout, *over) : "");
  return data;
}

Data SectionData(const PageSection& section) {
  Data data = Object({{"id", section.id}, {"heading", section.heading}, {"intro", section.intro}});
  std::vector<Data> tables, lists, figures, texts;
  for (const PageTable& table : section.tables) tables.push_back(TableData(table));
  for (const PageList& list : section.lists) {
    Data one = Object({{"heading", list.heading}});
    Data items{Data::type::list};
    for (const std::string& item : list.items) items << Data{item};
    one.set("items", items);
    lists.push_back(one);
  }
  for (const PageFigure& figure : section.figures) figures.push_back(FigureData(figure));
  for (const PageText& text : section.texts) texts.push_back(Object({{"summary", text.summary}, {"text", text.text}}));
  data.set("tables", ListOf(tables));
  data.set("lists", ListOf(lists));
  data.set("figures", ListOf(figures));
  data.set("texts", ListOf(texts));
  data.set("strip", section.strip ? StripData(section.strip->layout) : Flag(false));
  return data;
}

// The one picture that all cells are cut from, in the style sheet: once for the whole page.
Data PictureData(const Page& page) {
  for (const PageSection& section : page.sections) {
    if (!section.strip || section.strip->layout.cells.empty()) continue;
    const StripLayout::Cell& cell = section.strip->layout.cells.front();
    return Object({{"width", fmt::format("{}", cell.width)},
                   {"height", fmt::format("{}", cell.height)},
                   {"base64", Base64(section.strip->png)}});
  }
  return Flag(false);
}

const char* Name(PageTone tone) {
  return tone == PageTone::kGood ? "good" : tone == PageTone::kTight ? "tight" : "bad";
}

}  // namespace

namespace {

// The template's one script, which is all that a browser may run: the page's content security policy names its digest
// (Content Security Policy Level 3, section 2.3.1).
std::string ScriptDigest() {
  constexpr std::string_view kBegin = "<script>", kEnd = "</script>";
  const std::string_view form = kReportTemplate;
  const auto from = form.find(kBegin) + kBegin.size();
  const std::string_view script = form.substr(from, form.find(kEnd) - from);
  std::string digest(EVP_MAX_MD_SIZE, '\0');
  unsigned length = 0;
  EVP_Digest(script.data(), script.size(), reinterpret_cast<unsigned char*>(digest.data()), &length, EVP_sha256(),
             nullptr);
  digest.resize(length);
  return Base64(digest);
}

}  // namespace

std::string Html(const Page& page) {
  kainjow::mustache::mustache form{kReportTemplate};
  if (!form.is_valid()) FailMachine("the report's template is broken: {}", form.error_message());
  Data data = Object({{"title", page.title},
                      {"answer", page.answer},
                      {"tone", Name(page.tone)},
                      {"proof", page.proof},
                      {"simulated", page.simulated},
                      {"version", page.version},
                      {"sources", page.sources},
                      {"written", page.written}});
  std::vector<Data> sections;
  for (const PageSection& section : page.sections)
    if (!section.empty()) sections.push_back(SectionData(section));
  data.set("script_digest", ScriptDigest());
  data.set("sections", ListOf(sections));
  data.set("picture", PictureData(page));
  for (const PageSection& section : page.sections)
    if (section.strip) data.set("slider_row", fmt::format("{}", SliderRow(section.strip->layout)));
  return form.render(data);
}

}  // namespace kettle
