// SPDX-License-Identifier: Apache-2.0
// A show file made from a few answers, with a comment for each line, for somebody to go on with.
#pragma once

#include <string>
#include <vector>

namespace kettle {

// As a show file has them; what is empty is left out, with a comment on how to say it.
struct ShowDraft {
  std::string title = "My show";
  std::string source_size, frame_rate;  // of the capture; empty: the clip's own
  std::vector<std::string> footage;
  std::vector<std::string> destinations;
  std::string bit_rate;  // of the stream
  std::vector<std::string> readings;
  std::string link;
  std::vector<std::string> reserve;
  std::string recording_folder;  // "none": nothing is recorded
  std::string favour = "stream";
};

// TOML that ReadShow takes, if its values are right.
std::string ShowText(const ShowDraft& draft);

}  // namespace kettle
