// SPDX-License-Identifier: Apache-2.0
#include "session/usable_encoders.h"

#include <algorithm>

#include "kettle/encoders/catalogue.h"
#include "kettle/units/error.h"

namespace kettle::app {

std::vector<std::string> StreamEncoders(Session& session, const std::vector<std::string>& codecs,
                                        RateControl rate_control) {
  std::vector<std::string> names = session.encoders().Usable(codecs);
  std::erase_if(names, [&](const std::string& name) { return !FindFamily(name).rates.contains(rate_control); });
  if (names.empty())
    FailInput("the destinations accept {}, and no encoder for that works here with {}; fast-kettle survey tells why",
              fmt::join(codecs, " or "), Name(rate_control));
  return names;
}

std::vector<std::string> RecordingEncoders(Session& session, const Show& show) {
  const std::vector<std::string> held = CodecsHeldBy(show.recording_container);
  if (!show.recording_encoder) {
    std::vector<std::string> names =
        session.encoders().Usable(show.recording_plays == Plays::kAnywhere ? std::vector<std::string>{"h264"} : held);
    if (names.empty()) FailInput("no encoder for the recording works here; fast-kettle survey tells why");
    return names;
  }
  const std::vector<std::string> names = session.encoders().Usable({FindFamily(*show.recording_encoder).codec});
  if (std::find(names.begin(), names.end(), *show.recording_encoder) == names.end())
    FailInput("recording.encoder: {} does not work on this machine; fast-kettle survey tells why",
              *show.recording_encoder);
  return {*show.recording_encoder};
}

}  // namespace kettle::app
