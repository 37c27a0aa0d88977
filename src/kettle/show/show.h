// SPDX-License-Identifier: Apache-2.0
// What the user wants to do, as a show file describes it.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "kettle/realtime/turns.h"
#include "kettle/show/destination.h"
#include "kettle/units/units.h"

namespace kettle {

// What matters more where the machine cannot do both as well as one alone.
enum class Favour { kStream, kRecording, kBalance };
const char* Name(Favour favour);  // "stream", "recording", "balance"
// Throws Error(kInput).
Favour ParseFavour(const std::string& text);

// What the recording's file must play in.
enum class Plays {
  kAnywhere,  // any player and editor: H.264
  kModern,    // HEVC, AV1 and VP9 too
};
const char* Name(Plays plays);  // "anywhere", "modern"
// Throws Error(kInput).
Plays ParsePlays(const std::string& text);

// The codecs that a container holds where programs expect them, by libavcodec's names. `container` as in Show.
std::vector<std::string> CodecsHeldBy(const std::string& container);

struct Show {
  std::string title;

  // picture: as captured
  FrameSize source_size;
  FrameRate source_rate;
  std::vector<std::string> footage;  // scenes by name, clips by path

  // stream
  std::optional<FrameSize> stream_size;    // not set: automatic
  std::optional<FrameRate> stream_rate;    // not set: automatic
  std::optional<BitRate> stream_bit_rate;  // not set: what line and destinations allow
  std::vector<Destination> destinations;
  std::optional<std::string> stream_encoder;  // a family's name; not set: automatic
  std::string stream_device;                  // "cpu", or a GPU by number, PCI address or name; empty: automatic
  bool one_encode_for_all = false;            // destinations never get an encode each
  std::optional<FrameSize> viewing_size;      // at which most viewers watch; not set: the source's

  // recording
  std::optional<FrameSize> recording_size;       // not set: automatic
  std::optional<FrameRate> recording_rate;       // not set: automatic
  bool recording_is_none = false;                // nothing is recorded
  bool recording_is_stream = false;              // no encode of its own: the stream's is written to disk as well
  std::optional<std::string> recording_encoder;  // a family's name; not set: automatic
  std::string recording_device;                  // likewise
  Plays recording_plays = Plays::kAnywhere;      // which codecs that may take
  std::optional<BitRate> recording_bit_rate;     // not set: what the quality below takes
  std::optional<double> recording_score;         // how good it shall look where it looks worst: Quality::score
  std::filesystem::path recording_folder;        // where recordings will go; may not exist yet
  bool recording_folder_exists = false;          // it was named by an option or a full path: it should be there by now
  double recording_hours = 3;
  double keep_last_seconds = 0;  // in memory, of the recording's encode or else of the stream's; 0: none
  std::string recording_container = "matroska";  // or "fragmented-mp4", "mp4"; "none": nothing is recorded

  // uplink
  Line line;  // neither readings nor a trace: nothing is known of it
  std::vector<std::pair<std::string, BitRate>> reserve;

  std::string load;  // a load profile's path, "live", or empty: none

  double required_headroom = 0.2;
  First first = First::kGame;
  Favour favour = Favour::kStream;
  double game_gives = 0.02;  // the share of its frames that the game may lose to the encodes
  double stream_gives = 2;   // points of its score that the stream may lose to the recording
};

// Its destinations as the budget sees them.
std::vector<Recipient> Recipients(const Show& show);

// A value that a show file holds and an option can override.
struct ShowKey {
  enum class Kind { kText, kNumber, kList };
  std::string section, key;  // section is "" at the top
  Kind kind;
  std::string option;  // the option of the same name, without dashes
  std::string help;
};
const std::vector<ShowKey>& ShowKeys();

// Values from options, by option name; a list has one or more, the others exactly one.
using ShowOverrides = std::map<std::string, std::vector<std::string>>;

// Where to look for what a show names.
struct ShowPlaces {
  std::filesystem::path destinations;  // the shipped ones
  std::filesystem::path root = "/";    // of the file system, for the display's size
};

// Reads and checks a show; with an empty path, one made of options alone. Clips are opened to learn size and rate where
// the show leaves them out. Throws Error(kInput) with one line: file, line, key, what would be right.
Show ReadShow(const std::filesystem::path& file, const ShowOverrides& overrides, const ShowPlaces& places);

}  // namespace kettle
