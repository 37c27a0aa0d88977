// SPDX-License-Identifier: Apache-2.0
// What a worker writes: lines of JSON, of which it may write any, or anything else.
#pragma once

#include <functional>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

namespace kettle {

class WorkerAnswer {
 public:
  // `progress` gets what the worker says of its own; it may be empty, and may throw.
  explicit WorkerAnswer(std::function<void(double)> progress) : progress_(std::move(progress)) {}

  // Bytes as they come; a line counts when it is whole.
  void Read(std::string_view text);

  bool malformed() const { return malformed_; }             // its answer is malformed, or far too long
  const nlohmann::json& result() const { return result_; }  // null until one came
  const std::string& error() const { return error_; }
  bool input() const { return input_; }  // the error is the user's

 private:
  void TakeLine(const nlohmann::json& line);

  std::function<void(double)> progress_;
  std::string pending_, error_;
  nlohmann::json result_;
  std::size_t received_ = 0;
  bool malformed_ = false, input_ = false;
};

}  // namespace kettle
