// SPDX-License-Identifier: Apache-2.0
// From what a line carries to what a stream may send, as a short sum that a person can follow.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "kettle/line/line.h"
#include "kettle/message/message.h"

namespace kettle {

// What is known of a line: one of both.
struct Line {
  LinkKind kind = LinkKind::kWired;
  std::vector<BitRate> readings;
  std::optional<LineTrace> trace;
};

// Who takes the stream, and what limits it there.
struct Recipient {
  std::string name;
  std::optional<BitRate> video_max;
  std::optional<BitRate> audience_max;  // where viewers get no transcoded versions: what their own lines carry
  BitRate audio = BitRate::FromKbps(160);
};

struct RecipientShare {
  std::string name;
  double video_kbps = 0;
  Message limit;  // what limits it
};

struct Budget {
  double carried_kbps = 0;  // 95 % of the time at least
  Message carried_how;
  std::vector<std::pair<std::string, double>> reserved;  // kbit/s
  double safety_share = 1;
  Message safety_how;
  double budget_kbps = 0;                   // for everything this stream sends, to all who take it
  double audio_kbps = 0;                    // of all
  double wrapping_kbps = 0;                 // of all: FLV and RTMP
  double video_kbps = 0;                    // left for pictures, to all
  std::vector<RecipientShare> one_for_all;  // the same encode for each
  std::vector<RecipientShare> each;         // an encode each
  Message binding_limit;

  double reserved_kbps() const;
  // kbit/s of the one encode that goes to all; 0 if nothing is left.
  double one_encode_kbps() const { return one_for_all.empty() ? 0 : one_for_all.front().video_kbps; }
};

inline constexpr double kLeastVideoKbps = 200;  // below it no picture is worth sending

// What wrapping adds to a stream: an FLV tag header and RTMP chunk headers of 24 bytes a frame, of pictures at `fps`
// and of AAC at 48 kHz (FLV specification 10.1 E.4.1; RTMP 1.0, 5.3.1). kbit/s.
double WrappingKbps(double fps);

// Needs a trace or readings. Without recipients: one without limits. Throws Error(kInput) if the line is unknown.
Budget MakeBudget(const Line& line, const std::vector<std::pair<std::string, BitRate>>& reserve,
                  const std::vector<Recipient>& recipients, double fps);

// The line's history without what is reserved, for the send-queue model: its trace, or each reading for a minute.
LineTrace LineLeft(const Line& line, const std::vector<std::pair<std::string, BitRate>>& reserve);

// The most that any rate is worth asking about: what the strictest recipient allows, or what the line carries at its
// best.
double MostKbps(const LineTrace& line, const std::vector<Recipient>& recipients);

// What a line must carry so that every recipient gets all that it takes.
struct LineNeed {
  double kbps = 0;
  Message how;  // the sum
};
// Pictures for each recipient as far as it limits them, at most `wanted` if that is given; a recipient without limits
// gets 8000 kbit/s. Sound and wrapping, what is reserved, and what is kept free of a steady line of that kind come on
// top.
LineNeed NeedOf(const std::vector<Recipient>& recipients, const std::vector<std::pair<std::string, BitRate>>& reserve,
                std::optional<BitRate> wanted, LinkKind kind, double fps);

// How much more the line would have to carry for the least picture.
double MissingKbps(const Budget& budget);

void to_json(nlohmann::json& json, const Budget& budget);
void from_json(const nlohmann::json& json, Budget& budget);

}  // namespace kettle
