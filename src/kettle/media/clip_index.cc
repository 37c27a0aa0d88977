// SPDX-License-Identifier: Apache-2.0
#include "kettle/media/clip_index.h"

#include <algorithm>

#include "kettle/input/input.h"
#include "kettle/store/file.h"
#include "kettle/store/json_text.h"
#include "kettle/units/digest.h"
#include "kettle/units/error.h"
#include "kettle/units/json_fields.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

constexpr int kVersion = 1;  // raise when what is read of a clip changes

ClipIndex Read(const fs::path& clip, const std::function<void(double)>& progress) {
  MediaReader reader(clip);
  ClipIndex index{
      reader.size(), reader.rate(), reader.facts(), reader.declared_seconds(), 0, reader.ReadPackets(progress)};
  index.reached_seconds = reader.reached_seconds();
  std::sort(index.packets.begin(), index.packets.end(),
            [](const auto& a, const auto& b) { return a.seconds < b.seconds; });
  if (MediaReader first(clip); const auto picture = first.Next())  // headers don't always tell
    index.facts.interlaced = index.facts.interlaced || IsInterlaced(*picture->frame);
  return index;
}

nlohmann::json ToJson(const ClipIndex& index) {
  std::vector<double> seconds;
  std::vector<int> bytes;
  for (const MediaReader::PacketTime& packet : index.packets) {
    seconds.push_back(packet.seconds);
    bytes.push_back(packet.bytes);
  }
  nlohmann::json json;
  KETTLE_WRITE_FIELDS(json, index, size, rate, declared_seconds, reached_seconds);
  KETTLE_WRITE_FIELDS(json["facts"], index.facts, container, codec, bit_depth, chroma, hdr, interlaced);
  json["seconds"] = seconds;
  json["bytes"] = bytes;
  return json;
}

ClipIndex FromJson(const nlohmann::json& json) {
  ClipIndex index;
  KETTLE_READ_FIELDS(json, index, size, rate, declared_seconds, reached_seconds);
  KETTLE_READ_FIELDS(json.at("facts"), index.facts, container, codec, bit_depth, chroma, hdr, interlaced);
  const auto seconds = json.at("seconds").get<std::vector<double>>();
  const auto bytes = json.at("bytes").get<std::vector<int>>();
  for (std::size_t i = 0; i < seconds.size(); ++i) index.packets.push_back({seconds[i], bytes.at(i)});
  return index;
}

std::optional<ClipIndex> Kept(const fs::path& file) {
  try {
    constexpr std::int64_t kMostBytes = 1LL << 30;
    return FromJson(nlohmann::json::parse(ReadInput(file, kMostBytes)));
  } catch (const std::exception&) {  // not there, or not whole: read anew
    return std::nullopt;
  }
}

}  // namespace

double ClipIndex::seconds() const {
  return packets.empty() ? 0 : packets.back().seconds + (rate.numerator > 0 ? 1 / rate.fps() : 0);
}

std::string ClipIdentity(const fs::path& clip) {
  CheckIsFile(clip);
  const fs::path path = fs::canonical(clip);
  return fmt::format("{}|{}|{}", path.string(), fs::file_size(path),
                     fs::last_write_time(path).time_since_epoch().count());
}

ClipIndex IndexClip(const fs::path& clip, const fs::path& cache_folder, const std::function<void(double)>& progress) {
  const fs::path file =
      cache_folder / fmt::format("clip-{}.index", HexDigest(fmt::format("{}|{}", kVersion, ClipIdentity(clip))));
  if (auto kept = Kept(file)) return std::move(*kept);
  ClipIndex index = Read(clip, progress);
  try {
    WriteFile(file, JsonText(ToJson(index)));
  } catch (const Error&) {  // it is read again next time
  }
  return index;
}

}  // namespace kettle
