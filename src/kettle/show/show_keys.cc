// SPDX-License-Identifier: Apache-2.0
// The keys of a show file as data, apart from the reading: the command line needs only these.
#include "kettle/show/show.h"

namespace kettle {

const std::vector<ShowKey>& ShowKeys() {
  using Kind = ShowKey::Kind;
  static const std::vector<ShowKey> keys = {
      {"", "title", Kind::kText, "title", "the show's name"},
      {"picture", "source_size", Kind::kText, "source-size", "the captured picture: \"1280x720\" or \"display\""},
      {"picture", "frame_rate", Kind::kText, "frame-rate", "frame rate of the capture: \"60\", \"60000/1001\""},
      {"picture", "footage", Kind::kList, "footage", "a scene by name or a clip by path; repeatable"},
      {"stream", "size", Kind::kText, "stream-size", "the stream's picture, or \"auto\""},
      {"stream", "frame_rate", Kind::kText, "stream-frame-rate", "the stream's frame rate, or \"auto\""},
      {"stream", "bit_rate", Kind::kText, "stream-bit-rate", "the stream's video bit rate: \"4500 kbit/s\""},
      {"stream", "viewing_size", Kind::kText, "viewing-size", "the size at which most viewers watch: \"960x540\""},
      {"stream", "destinations", Kind::kList, "destination", "where the stream goes, by name or file; repeatable"},
      {"stream", "encodes", Kind::kText, "encodes",
       "\"auto\" (usual): one for all destinations, or one for each where that looks better; \"one\": for all"},
      {"stream", "encoder", Kind::kText, "stream-encoder", "the stream's encoder: \"x264\""},
      {"stream", "device", Kind::kText, "stream-device",
       "where the stream is encoded: \"cpu\", or a GPU by its number in the survey, its PCI address or its name"},
      {"recording", "size", Kind::kText, "recording-size",
       "the recording's picture: \"auto\" (usual), \"source\", \"1280x720\", \"stream\": the stream's own encode, or "
       "\"none\""},
      {"recording", "frame_rate", Kind::kText, "recording-frame-rate",
       "the recording's frame rate: \"auto\" (usual), \"source\", \"30\""},
      {"recording", "plays", Kind::kText, "recording-plays",
       "\"anywhere\" (usual): H.264; \"modern\": HEVC, AV1 or VP9 too, where the file gets clearly smaller"},
      {"recording", "encoder", Kind::kText, "recording-encoder", "the recording's encoder: \"x265\""},
      {"recording", "device", Kind::kText, "recording-device", "where the recording is encoded, likewise"},
      {"recording", "folder", Kind::kText, "recording-folder", "where recordings go"},
      {"recording", "container", Kind::kText, "recording-container", "matroska (usual), fragmented-mp4, mp4"},
      {"recording", "keep_last", Kind::kText, "keep-last",
       "the last seconds, kept in memory to be saved when something good has happened: \"30 s\""},
      {"recording", "hours", Kind::kNumber, "recording-hours", "how long a show lasts"},
      {"recording", "quality", Kind::kText, "recording-quality",
       "the recording's quality: \"archive\" (80), or how it shall look, of 100: \"70\""},
      {"recording", "bit_rate", Kind::kText, "recording-bit-rate", "the recording's bit rate: \"25 Mbit/s\""},
      {"uplink", "readings", Kind::kList, "reading", "an upload reading with its unit; repeatable"},
      {"uplink", "trace", Kind::kText, "trace", "your uplink over time, a CSV file: seconds,kbit/s"},
      {"uplink", "link", Kind::kText, "link", "\"wired\", \"wireless\" or \"cellular\""},
      {"uplink", "reserve", Kind::kList, "reserve", "what else needs the uplink: \"game 0.3 Mbit/s\"; repeatable"},
      {"load", "profile", Kind::kText, "load",
       "a load profile to replay while measuring; \"live\": the game is running now"},
      {"require", "headroom", Kind::kNumber, "headroom", "headroom to keep free, 0 to 0.9"},
      {"require", "first", Kind::kText, "first",
       "who goes first where processors are short: \"game\" (usual) or \"stream\""},
      {"require", "game_gives", Kind::kNumber, "game-gives",
       "percent of its frames that the game may lose to the encodes: 2 is usual"},
      {"require", "favour", Kind::kText, "favour",
       "what matters more: \"stream\" (usual), \"recording\" or \"balance\""},
      {"require", "stream_gives", Kind::kNumber, "stream-gives",
       "points of its score that the stream may lose to the recording: 2 is usual"}};
  return keys;
}

}  // namespace kettle
