// SPDX-License-Identifier: Apache-2.0
#include "report/wrap.h"

namespace kettle {

std::string Wrap(const std::string& text, std::size_t start, std::size_t indent, std::size_t columns) {
  std::string wrapped;
  std::size_t column = start, at = 0;
  while (at < text.size()) {
    std::size_t end = text.find(' ', at);
    while (end != text.npos && text.compare(end, 2, " %") == 0)
      end = text.find(' ', end + 1);  // it stays with its figure
    if (end == text.npos) end = text.size();
    if (column + (end - at) > columns && column > indent) {
      if (!wrapped.empty() && wrapped.back() == ' ') wrapped.pop_back();  // the space before the break
      wrapped += "\n" + std::string(indent, ' ');
      column = indent;
    }
    wrapped += text.substr(at, end - at) + " ";
    column += end - at + 1;
    at = end + 1;
  }
  while (!wrapped.empty() && wrapped.back() == ' ') wrapped.pop_back();
  return wrapped;
}

}  // namespace kettle
