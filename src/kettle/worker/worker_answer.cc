// SPDX-License-Identifier: Apache-2.0
#include "kettle/worker/worker_answer.h"

#include "kettle/units/plain_text.h"

namespace kettle {

namespace {

using Json = nlohmann::json;

// An hour of a proof run at 120 frames a second takes 20 MB.
constexpr std::size_t kLongestOutput = 256 << 20;

}  // namespace

void WorkerAnswer::Read(std::string_view text) {
  received_ += text.size();
  if (received_ > kLongestOutput) malformed_ = true;
  for (std::size_t end; (end = text.find('\n')) != std::string_view::npos; text.remove_prefix(end + 1)) {
    pending_ += text.substr(0, end);
    TakeLine(Json::parse(pending_, nullptr, false));
    pending_.clear();
  }
  pending_ += text;
}

void WorkerAnswer::TakeLine(const Json& line) {
  if (!line.is_object()) {
    malformed_ = true;
  } else if (line.contains("result")) {
    result_ = line["result"];
  } else if (line.contains("error") && line["error"].is_string()) {
    error_ = PlainText(line["error"].get<std::string>());
    input_ = line.value("input", Json()) == Json(true);
  } else if (line.contains("progress") && line["progress"].is_number()) {
    if (progress_) progress_(line["progress"]);
  } else {
    malformed_ = true;
  }
}

}  // namespace kettle
