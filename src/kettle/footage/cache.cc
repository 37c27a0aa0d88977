// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/cache.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <future>
#include <optional>
#include <thread>

#include "kettle/footage/inspect.h"
#include "kettle/footage/scene.h"
#include "kettle/footage/y4m.h"
#include "kettle/media/clip_index.h"
#include "kettle/media/reader.h"
#include "kettle/media/scaler.h"
#include "kettle/store/file.h"
#include "kettle/store/file_lock.h"
#include "kettle/store/home.h"
#include "kettle/units/digest.h"
#include "kettle/units/error.h"
#include "kettle/units/plain_text.h"

namespace kettle {

namespace fs = std::filesystem;

namespace {

constexpr int kRenderVersion = 3;  // raise when the scenes or the conversion change
constexpr double kShortestSeconds = 0.5;

// What the cached pictures depend on.
std::string Key(const FootageRequest& request) {
  std::string key = fmt::format("{}|{}|{}|{}|{}", kRenderVersion, request.source, request.size.str(),
                                request.rate.str(), request.seconds);
  if (request.further > 0) key += fmt::format("|further {}", request.further);
  if (!IsScene(request.source)) {
    if (request.stretch == Stretch::kCalmest) key += "|calmest";
    key += "|" + ClipIdentity(request.source);
  }
  return key;
}

// Makes room: what was used longest ago goes until `needed` more bytes fit into the limit.
void Evict(const fs::path& folder, std::uintmax_t needed, std::uintmax_t limit_bytes) {
  std::vector<fs::directory_entry> entries;
  std::uintmax_t total = needed;
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(folder, error))
    if (entry.is_regular_file(error) && entry.path().filename() != "rehearsal.lock") {
      entries.push_back(entry);
      total += entry.file_size(error);
    }
  std::sort(entries.begin(), entries.end(),
            [](const auto& a, const auto& b) { return a.last_write_time() < b.last_write_time(); });
  for (const auto& entry : entries) {
    if (total <= limit_bytes) break;
    const std::string kind = entry.path().extension().string();
    if (kind != ".y4m" && kind != ".index") continue;  // what another run is writing only counts
    const FileLock lock(entry.path(), FileLock::Kind::kExclusive);
    if (!lock.held()) continue;  // some run uses it
    total -= entry.file_size(error);
    fs::remove(entry.path(), error);
  }
}

// The cached file, kept from eviction while the result lives, and the last to be evicted by then; nothing if it is not
// there.
std::shared_ptr<const FileLock> KeepFromEviction(const fs::path& file) {
  auto lock = std::make_shared<const FileLock>(file, FileLock::Kind::kShared);
  std::error_code error;
  if (!lock->held() || !fs::exists(file, error)) return nullptr;  // evicted between its opening and its locking
  fs::last_write_time(file, fs::file_time_type::clock::now(), error);
  return lock;
}

void RenderScene(const FootageRequest& request, int frames, const fs::path& file,
                 const std::function<void(double)>& progress) {
  const auto scene = MakeScene(request.source, kSceneSeed);
  const double from = request.further * request.seconds;
  Y4mWriter writer(file, request.size, request.rate);
  const int batch = static_cast<int>(std::clamp(std::thread::hardware_concurrency(), 1u, 16u));
  for (int first = 0; first < frames; first += batch) {
    std::vector<std::future<FramePtr>> pictures;
    for (int i = first; i < std::min(frames, first + batch); ++i)
      pictures.push_back(std::async(std::launch::async, [&, i] {
        FramePtr picture = NewPicture(request.size);
        scene->Draw(from + static_cast<double>(request.rate.due_ns(i)) * 1e-9, *picture);
        return picture;
      }));
    for (auto& picture : pictures) writer.Write(*picture.get());
    progress(static_cast<double>(first) / frames);
  }
  writer.Finish();
}

struct Span {
  double from = 0, seconds = 0;
  std::vector<Message> notes;  // Footage::notes
};

using PacketTimes = std::vector<MediaReader::PacketTime>;

// Where the stretches of the same length begin that fit beside the one from `from` on, those with the most bytes first.
std::vector<double> FurtherStretches(const PacketTimes& packets, double from, double seconds, double whole) {
  std::vector<std::pair<double, double>> stretches;  // bytes, start
  for (double start = from - std::floor(from / seconds) * seconds; start + seconds <= whole + 1e-6; start += seconds) {
    if (std::abs(start - from) < seconds / 2) continue;
    double bytes = 0;
    for (const auto& packet : packets)
      if (packet.seconds >= start && packet.seconds < start + seconds) bytes += packet.bytes;
    stretches.emplace_back(bytes, start);
  }
  std::stable_sort(stretches.begin(), stretches.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<double> starts;
  for (const auto& stretch : stretches) starts.push_back(stretch.second);
  return starts;
}

// The stretch of at most `seconds` whose packets have the most bytes, or the fewest.
Span FindStretch(const ClipIndex& clip, const FootageRequest& request) {
  const PacketTimes& packets = clip.packets;
  const double seconds = request.seconds, whole = clip.seconds();
  const double frame = clip.rate.numerator > 0 ? 1 / clip.rate.fps() : 0;
  if (whole <= seconds) return {0, whole, {}};
  const double sign = request.stretch == Stretch::kBusiest ? 1 : -1;
  double sum = 0, best_from = 0;
  std::optional<double> best;
  std::size_t first = 0;
  for (const auto& packet : packets) {
    sum += packet.bytes;
    while (packet.seconds - packets[first].seconds > seconds) sum -= packets[first++].bytes;
    // Where the clip only begins, less than a stretch has been summed up.
    const bool whole_stretch = packet.seconds - packets[first].seconds >= seconds - 1.5 * frame;
    if (whole_stretch && packets[first].seconds + seconds <= whole && (!best || sign * sum > *best)) {
      best = sign * sum;
      best_from = packets[first].seconds;
    }
  }
  return {std::max(0.0, best_from), seconds, {}};
}

bool IsShort(const Span& stretch, const FootageRequest& request) {
  return stretch.seconds < request.seconds - 1 / request.rate.fps();
}

[[noreturn]] void FailCutOff(const FootageRequest& request, double declared, double reached) {
  FailInput("{}: cut off: its header says {:.1f} s but it ends after {:.1f} s; repair it or give another clip",
            request.source, declared, reached);
}

Span ChooseStretch(const FootageRequest& request, const ClipIndex& clip) {
  if (clip.declared_seconds &&
      *clip.declared_seconds - clip.reached_seconds > std::max(0.5, *clip.declared_seconds * 0.02))
    FailCutOff(request, *clip.declared_seconds, clip.reached_seconds);
  Span stretch = FindStretch(clip, request);
  if (request.further > 0)
    stretch.from = FurtherStretches(clip.packets, stretch.from, request.seconds, clip.seconds())
                       .at(static_cast<std::size_t>(request.further - 1));
  stretch.notes = PictureNotes(clip.facts, clip.size, HasVariableRate(clip.packets));
  if (stretch.seconds < kShortestSeconds)
    FailInput("{}: only {:.2f} s of picture; at least {} s are needed", request.source, stretch.seconds,
              kShortestSeconds);
  if (IsShort(stretch, request))
    stretch.notes.push_back(Message{"footage.short-clip", {{"seconds", stretch.seconds}, {"wanted", request.seconds}}});
  return stretch;
}

int DecodeClip(const FootageRequest& request, const Span& stretch, const fs::path& file,
               const std::function<void(double)>& progress) {
  MediaReader reader(request.source);
  if (stretch.from > 0) reader.Seek(stretch.from);  // without an index: decoded from the start
  const int wanted = std::max(1, static_cast<int>(std::lround(stretch.seconds * request.rate.fps())));
  Y4mWriter writer(file, request.size, request.rate);
  int written = 0;
  FramePtr shown;  // stays on the screen until the next one's time
  const auto show_until = [&](double seconds) {
    while (shown && written < wanted &&
           static_cast<double>(request.rate.due_ns(written)) * 1e-9 < seconds - stretch.from - 1e-6) {
      writer.Write(*shown);
      progress(static_cast<double>(++written) / wanted);
    }
  };
  while (written < wanted) {
    auto picture = reader.Next();
    if (!picture) break;
    show_until(picture->seconds);
    shown = FitPicture(*picture->frame, request.size);
  }
  show_until(stretch.from + stretch.seconds);
  if (written < request.rate.fps() * kShortestSeconds)
    FailInput("{}: only {} pictures in it can be decoded; the clip is damaged or cut off", request.source, written);
  writer.Finish();
  return written;
}

// Writes the pictures of `once` forth and back until there are `frames`: no jump where they start again.
void FillForthAndBack(const fs::path& once, int frames, const fs::path& file) {
  const Y4mFile pictures(once);
  Y4mWriter writer(file, pictures.size(), pictures.rate());
  const int round = std::max(1, 2 * (pictures.frames() - 1));
  for (int i = 0; i < frames; ++i) {
    const int place = i % round;
    writer.Write(*pictures.Frame(place < pictures.frames() ? place : round - place));
  }
  writer.Finish();
}

// Renders or decodes into the cache, if there is room. Throws Error.
void MakePictures(const FootageRequest& request, const Span& stretch, const fs::path& file, const std::string& label,
                  const std::function<void(double)>& progress, std::uintmax_t limit_bytes) {
  const fs::path cache_folder = file.parent_path();
  const int frames = std::max(1, static_cast<int>(std::lround(request.seconds * request.rate.fps())));
  const auto bytes = static_cast<std::uintmax_t>(frames) * static_cast<std::uintmax_t>(request.size.pixels()) * 3 / 2;
  Evict(cache_folder, bytes, limit_bytes);
  std::error_code error;
  const auto space = fs::space(cache_folder, error);
  if (!error && space.available < bytes)
    FailMachine("no room for the test pictures: {} needs {} MB in {}, {} MB are free", label, bytes / 1'000'000,
                cache_folder.string(), space.available / 1'000'000);
  if (IsScene(request.source)) {
    RenderScene(request, frames, file, progress);
  } else if (IsShort(stretch, request)) {
    const TemporaryFolder scratch(cache_folder);
    const fs::path once = scratch.path() / "once.y4m";
    DecodeClip(request, stretch, once, progress);
    FillForthAndBack(once, frames, file);
  } else {
    DecodeClip(request, stretch, file, progress);
  }
}

}  // namespace

std::string Footage::key() const {
  const std::string stem = file.stem().string();
  return viewing_size.width == 0 || viewing_size == size ? stem : stem + "@" + viewing_size.str();
}

bool IsScene(const std::string& source) {
  return std::any_of(Scenes().begin(), Scenes().end(), [&](const SceneInfo& scene) { return scene.name == source; });
}

ClipInfo InspectClip(const fs::path& path) {
  const MediaReader reader(path);
  const FrameSize size = reader.size();
  FrameRate rate = reader.rate();
  if (rate.numerator <= 0 || rate.fps() < 1 || rate.fps() > 480)
    FailInput("{}: its frame rate is not known; give picture.frame_rate", path.string());
  try {
    return {FrameSize::Parse(fmt::format("{}x{}", size.width / 2 * 2, size.height / 2 * 2)), rate};
  } catch (const Error& error) {
    FailInput("{}: {}", path.string(), error.what());
  }
}

fs::path DefaultCacheFolder() {
  if (const char* cache = std::getenv("XDG_CACHE_HOME"); cache && *cache) return fs::path(cache) / "fast-kettle";
  return HomeFolder() / ".cache" / "fast-kettle";
}

void RenderSceneTo(const fs::path& file, const std::string& scene, FrameSize size, FrameRate rate, double seconds,
                   const std::function<void(double)>& progress) {
  const int frames = std::max(1, static_cast<int>(std::lround(seconds * rate.fps())));
  RenderScene({scene, size, rate, seconds}, frames, file, progress);
}

int CountFurther(const FootageRequest& request, const fs::path& cache_folder,
                 const std::function<void(double)>& progress) {
  constexpr int kOfAScene = 9;
  if (IsScene(request.source)) return kOfAScene;
  const ClipIndex clip = IndexClip(request.source, cache_folder, progress);
  const Span first = FindStretch(clip, request);
  return static_cast<int>(FurtherStretches(clip.packets, first.from, request.seconds, clip.seconds()).size());
}

Footage PrepareFootage(const FootageRequest& request, const fs::path& cache_folder,
                       const std::function<void(double)>& progress, std::uintmax_t limit_bytes) {
  const bool scene = IsScene(request.source);
  PrepareFolder(cache_folder, "footage cache");
  RemoveLeftovers(cache_folder, Leftovers::kOfEndedRuns);
  Span stretch{0, request.seconds, {}};
  if (!scene) stretch = ChooseStretch(request, IndexClip(request.source, cache_folder, progress));
  std::string label = scene ? request.source : PlainText(fs::path(request.source).filename().string());
  if (!scene && request.stretch == Stretch::kCalmest) label += ", calmest";
  if (request.further > 0)
    label += fmt::format(", from {:.0f} s", scene ? request.further * request.seconds : stretch.from);
  const fs::path file =
      cache_folder / fmt::format("{}-{}.y4m", scene ? request.source : "clip", HexDigest(Key(request)));
  auto keep = KeepFromEviction(file);
  for (int attempt = 0; !keep && attempt < 2; ++attempt) {  // another run may evict it at once
    MakePictures(request, stretch, file, label, progress, limit_bytes);
    keep = KeepFromEviction(file);
  }
  const Y4mFile cached(file);
  return {label, file, cached.size(), cached.rate(), cached.frames(), stretch.from, {}, stretch.notes, keep};
}

}  // namespace kettle
