// SPDX-License-Identifier: Apache-2.0
// Tables as CSV (RFC 4180, lines ended by a line feed alone), described by their columns.
#pragma once

#include <concepts>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace kettle {

// A cell of text, in quotes if it holds a comma, a quote or the end of a line.
std::string CsvText(std::string_view text);
// A cell with so many digits after the point.
std::string CsvNumber(double value, int digits);

template <class Row>
struct CsvColumn {
  const char* name;
  std::function<std::string(const Row&)> cell;
};

// Columns of a row's own fields.
template <class Row>
CsvColumn<Row> CsvField(const char* name, double Row::*field, int digits) {
  return {name, [=](const Row& row) { return CsvNumber(row.*field, digits); }};
}
template <class Row, std::integral Whole>
CsvColumn<Row> CsvField(const char* name, Whole Row::*field) {
  return {name, [=](const Row& row) -> std::string {
            if constexpr (std::same_as<Whole, bool>) return row.*field ? "true" : "false";
            return std::to_string(row.*field);
          }};
}

// Both with the line's end.
template <class Row>
std::string CsvHeader(const std::vector<CsvColumn<Row>>& columns) {
  std::string line;
  for (const auto& column : columns) line += (line.empty() ? "" : ",") + std::string(column.name);
  return line + '\n';
}
template <class Row>
std::string CsvLine(const std::vector<CsvColumn<Row>>& columns, const Row& row) {
  std::string line;
  for (const auto& column : columns) line += (&column == &columns.front() ? "" : ",") + column.cell(row);
  return line + '\n';
}

template <class Row>
std::string Csv(const std::vector<CsvColumn<Row>>& columns, const std::vector<Row>& rows) {
  std::string csv = CsvHeader(columns);
  for (const Row& row : rows) csv += CsvLine(columns, row);
  return csv;
}

}  // namespace kettle
