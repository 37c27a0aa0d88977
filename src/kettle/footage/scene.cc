// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/scene.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "kettle/footage/canvas.h"
#include "kettle/footage/harbour.h"
#include "kettle/footage/random.h"
#include "kettle/footage/texture.h"
#include "kettle/units/error.h"
#include "kettle/units/suggestion.h"

namespace kettle {

namespace {

constexpr float kPi = 3.14159265f;

constexpr Colour kWhite{228, 128, 128}, kInk{24, 128, 128}, kHull{48, 134, 120};
constexpr std::array<Colour, 6> kSails{
    {{210, 122, 134}, {168, 90, 176}, {120, 160, 96}, {185, 60, 142}, {90, 110, 190}, {200, 130, 110}}};

// Where the camera looks: pan in screen heights along the horizon, roll as the horizon's slope.
struct Camera {
  float pan, forward, horizon, roll;
};

// A smooth step from 0 to 1 between `from` and `to`.
float Ease(float t, float from, float to) {
  const float x = std::clamp((t - from) / (to - from), 0.0f, 1.0f);
  return x * x * (3 - 2 * x);
}

struct Boat {
  float pan, distance;  // where on the horizon, in screen heights; 1 is near, larger is farther
  float speed;          // screen heights a second at distance 1
  int number;
};

class SailingScene : public Scene {
 public:
  explicit SailingScene(std::uint64_t seed) : seed_(seed), sea_(seed), sky_(seed + 1), cloth_(seed + 2) {}

  void Draw(double seconds, AVFrame& picture) const override {
    const auto t = static_cast<float>(seconds);
    Canvas canvas(picture);
    const Camera camera = CameraAt(t);
    DrawSky(canvas, camera, t);
    DrawSea(canvas, camera, t);
    DrawChroma(canvas, camera);
    for (const Boat& boat : BoatsAt(t)) DrawBoat(canvas, camera, boat, t);
    DrawSpray(canvas, camera, t);
    DrawOverlay(canvas, t);
  }

 protected:
  virtual Camera CameraAt(float t) const = 0;
  virtual std::vector<Boat> BoatsAt(float t) const = 0;  // farthest first
  virtual int spray_count() const = 0;
  virtual float wave_speed() const = 0;
  virtual std::string caption(float t) const = 0;

  std::uint64_t seed_;

 private:
  static float Horizon(const Canvas& canvas, const Camera& camera, float x) {
    const auto height = static_cast<float>(canvas.height());
    return height * (camera.horizon + camera.roll * (x / static_cast<float>(canvas.width()) - 0.5f));
  }

  void DrawSky(Canvas& canvas, const Camera& camera, float t) const {
    const auto height = static_cast<float>(canvas.height());
    const int end =
        std::min(canvas.height(), static_cast<int>(height * (camera.horizon + std::abs(camera.roll) / 2)) + 1);
    const float scale = 260.0f / height;
    for (int y = 0; y < end; ++y) {
      std::uint8_t* row = canvas.luma_row(y);
      const float v = static_cast<float>(y) * scale * 1.6f;
      const float base = 150 + 45 * static_cast<float>(y) / height;
      const float u = camera.pan * 260 + t * 2;
      const Texture::Row clouds(sky_, v);
      for (int x = 0; x < canvas.width(); ++x)
        row[x] = static_cast<std::uint8_t>(base + 0.14f * (clouds(u + static_cast<float>(x) * scale) - 110));
    }
  }

  // The sea: two textures that slide over each other, seen in perspective.
  void DrawSea(Canvas& canvas, const Camera& camera, float t) const {
    const auto height = static_cast<float>(canvas.height()), width = static_cast<float>(canvas.width());
    for (int y = 0; y < canvas.height(); ++y) {
      std::uint8_t* row = canvas.luma_row(y);
      const float fy = static_cast<float>(y) + 0.5f;
      const float slope = camera.roll / width;
      // The first column below the horizon; the horizon is a straight line.
      int begin = 0, end = canvas.width();
      if (fy < Horizon(canvas, camera, 0) || fy < Horizon(canvas, camera, width)) {
        const float crossing = slope == 0 ? 0 : ((fy / height - camera.horizon) / camera.roll + 0.5f) * width;
        if (slope == 0) continue;
        if (slope < 0)
          begin = std::clamp(static_cast<int>(crossing) + 1, 0, canvas.width());
        else
          end = std::clamp(static_cast<int>(crossing), 0, canvas.width());
      }
      if (begin >= end) continue;
      const float middle =
          (Horizon(canvas, camera, static_cast<float>(begin)) + Horizon(canvas, camera, static_cast<float>(end))) / 2;
      const float depth = height / std::max(2.0f, fy - middle);  // 1 is a screen height away
      const float texels = 210.0f * depth / height;              // texels a pixel
      const int level = std::clamp(static_cast<int>(std::log2(std::max(1.0f, texels))), 0, Texture::kLevels - 1);
      const float glint = 0.55f + 0.45f / (1 + 0.15f * depth);
      const float start = (camera.pan * height - width / 2) * texels;
      const float v = camera.forward * 210 + depth * 140;
      const float drift = t * wave_speed();
      const Texture::Row swell(sea_, v + drift * 17, level), chop(sea_, v * 0.83f + drift * 29, level);
      for (int x = begin; x < end; ++x) {
        const float u = start + static_cast<float>(x) * texels;
        const float a = swell(u + drift * 31), b = chop(u * 0.83f - drift * 23 + 97);
        const float wave = (a + b) * 0.5f - 128;
        const float crest = std::max(0.0f, wave - 38) * 2.0f;  // foam on the highest
        row[x] = static_cast<std::uint8_t>(std::clamp(92 + (wave * 0.6f + crest) * glint, 18.0f, 232.0f));
      }
    }
  }

  static void DrawChroma(Canvas& canvas, const Camera& camera) {
    for (int y = 0; y < canvas.height() / 2; ++y) {
      std::uint8_t* cb = canvas.chroma_row(1, y);
      std::uint8_t* cr = canvas.chroma_row(2, y);
      const auto fy = static_cast<float>(2 * y + 1);
      for (int x = 0; x < canvas.width() / 2; ++x) {
        const bool sea = fy > Horizon(canvas, camera, static_cast<float>(2 * x + 1));
        const int light = canvas.luma_row(2 * y)[2 * x];
        cb[x] = static_cast<std::uint8_t>(sea ? 142 - light / 16 : 138 - light / 24);
        cr[x] = static_cast<std::uint8_t>(sea ? 104 + light / 10 : 118 + light / 32);
      }
    }
  }

  // Where a boat's waterline is, and how many pixels one of its lengths is.
  struct Placed {
    Point water;
    float scale, heel;
  };
  Placed Place(const Canvas& canvas, const Camera& camera, const Boat& boat, float t) const {
    const auto height = static_cast<float>(canvas.height());
    const float phase = t * (1.4f + 0.13f * static_cast<float>(boat.number)) + static_cast<float>(boat.number);
    const float x = static_cast<float>(canvas.width()) / 2 + (boat.pan - camera.pan) * height / boat.distance;
    const float y =
        Horizon(canvas, camera, x) + height * 0.42f / boat.distance + std::sin(phase) * height * 0.008f / boat.distance;
    return {{x, y}, height * 0.5f / boat.distance, 0.12f + 0.06f * std::sin(phase * 0.7f) + camera.roll * 0.4f};
  }

  void DrawBoat(Canvas& canvas, const Camera& camera, const Boat& boat, float t) const {
    const Placed at = Place(canvas, camera, boat, t);
    if (at.water.x < -at.scale * 2 || at.water.x > static_cast<float>(canvas.width()) + at.scale * 2) return;
    const auto point = [&](float x, float y) {  // boat coordinates: bow to the right, y up
      return Point{at.water.x + at.scale * (x + y * at.heel), at.water.y - at.scale * (y - x * at.heel * 0.15f)};
    };
    const Colour sail = kSails[static_cast<std::size_t>(boat.number) % kSails.size()];
    canvas.Fill({point(-0.5f, 0.10f), point(0.62f, 0.12f), point(0.42f, -0.03f), point(-0.42f, -0.03f)}, kHull);
    canvas.Fill({point(0.06f, 0.16f), point(0.06f, 1.25f), point(0.58f, 0.15f)}, {sail.y * 0.86f, sail.cb, sail.cr},
                0.97f);
    // The main sail in strips, each with the shade of its cloth.
    constexpr int kStrips = 9;
    for (int i = 0; i < kStrips; ++i) {
      const float low = 0.18f + 1.2f * static_cast<float>(i) / kStrips, high = low + 1.2f / kStrips;
      const auto leech = [](float h) { return -0.48f * (1 - (h - 0.18f) / 1.25f); };
      const float shade =
          0.82f + cloth_.Sample(static_cast<float>(boat.number * 37) + t * 22, static_cast<float>(i * 9)) / 900.0f;
      canvas.Fill({point(0, low), point(0, high), point(leech(high), high), point(leech(low), low)},
                  {sail.y * shade, sail.cb, sail.cr});
    }
    const std::string number = fmt::format("{:02}", boat.number % 100);
    canvas.Text(point(-0.30f, 0.62f), std::max(1.0f, at.scale * 0.022f), number, kInk);
  }

  // Drops thrown up in front: each lives for under a second on a path of its own.
  void DrawSpray(Canvas& canvas, const Camera& camera, float t) const {
    const auto height = static_cast<float>(canvas.height());
    for (int i = 0; i < spray_count(); ++i) {
      const auto id = static_cast<std::uint64_t>(i);
      const float life = 0.45f + 0.5f * Uniform(seed_, id, 1);
      const float age = std::fmod(t + life * Uniform(seed_, id, 2), life);
      const auto turn = static_cast<std::uint64_t>((t + life * Uniform(seed_, id, 2)) / life);
      const float birth_pan = camera.pan + (Uniform(seed_ + 5, id, turn) - 0.5f) * 1.7f;
      const float rise = 0.35f + 0.75f * Uniform(seed_ + 6, id, turn),
                  across = (Uniform(seed_ + 7, id, turn) - 0.35f) * 0.9f;
      const Point at{static_cast<float>(canvas.width()) / 2 + (birth_pan - camera.pan + across * age) * height,
                     height * (1.02f - rise * age + 1.1f * age * age)};
      const float radius = height * (0.0016f + 0.0042f * Uniform(seed_, id, 3));
      canvas.Dot(at, radius, kWhite, 0.8f * (1 - age / life));
    }
  }

  void DrawOverlay(Canvas& canvas, float t) const {
    const auto height = static_cast<float>(canvas.height()), width = static_cast<float>(canvas.width());
    const float cell = std::max(1.0f, std::round(height / 360));
    const float margin = height * 0.03f;
    canvas.Fill({{0, 0}, {width, 0}, {width, cell * 13}, {0, cell * 13}}, kInk, 0.45f);
    canvas.Text({margin, cell * 3}, cell, "SALTMARSH REGATTA", kWhite);
    const std::string clock = fmt::format("{:02}:{:05.2f}", static_cast<int>(t) / 60, std::fmod(t, 60.0f));
    canvas.Text({width - margin - Canvas::TextWidth(cell, clock), cell * 3}, cell, clock, kWhite);
    const std::string line = caption(t);
    canvas.Text({margin, height - margin - cell * 7}, cell, line, kWhite);
  }

  Texture sea_, sky_, cloth_;
};

// The crowded start line: quick turns, many boats, much spray.
class StartLine final : public SailingScene {
 public:
  using SailingScene::SailingScene;

 private:
  Camera CameraAt(float t) const override {
    // Looks ahead, then whips round and back every 1.6 s, as a player does.
    const float cycle = std::floor(t / 1.6f), u = t - 1.6f * cycle;
    const float side = Uniform(seed_ + 9, static_cast<std::uint64_t>(cycle)) < 0.5f ? -1.0f : 1.0f;
    const float turn = side * 1.3f * (Ease(u, 0.15f, 0.55f) - Ease(u, 0.85f, 1.35f));
    return {0.25f * t + turn + 0.02f * std::sin(t * 9), 0.9f * t, 0.36f + 0.025f * std::sin(t * 2.1f),
            0.10f * std::sin(t * 1.3f) + 0.06f * turn};
  }

  std::vector<Boat> BoatsAt(float t) const override {
    std::vector<Boat> boats;
    for (int i = 0; i < 12; ++i) {
      const auto id = static_cast<std::uint64_t>(i);
      const float distance = 6.0f - 0.42f * static_cast<float>(i);
      const float speed = 0.25f + 0.5f * Uniform(seed_ + 3, id);
      boats.push_back({(Uniform(seed_ + 4, id) - 0.5f) * 2.6f * distance + speed * t, distance, speed, 7 * i + 3});
    }
    return boats;
  }

  int spray_count() const override { return 260; }
  float wave_speed() const override { return 0.5f; }
  std::string caption(float t) const override {
    return fmt::format("START LINE  BOAT 31  {:4.1f} KN  WIND {:03}", 11.0f + 2 * std::sin(t * 3),
                       214 + static_cast<int>(6 * std::sin(t)));
  }
};

// Open water: a slow, steady view over fine texture.
class OpenWater final : public SailingScene {
 public:
  using SailingScene::SailingScene;

 private:
  Camera CameraAt(float t) const override {
    return {0.05f * t, 0.22f * t, 0.42f + 0.012f * std::sin(t * 0.9f), 0.02f * std::sin(t * 0.6f)};
  }
  std::vector<Boat> BoatsAt(float t) const override {
    return {{-1.8f + 0.10f * t, 7.5f, 0.10f, 12},
            {0.9f - 0.06f * t, 5.0f, 0.06f, 27},
            {0.15f + 0.05f * t, 1.9f, 0.05f, 31}};
  }
  int spray_count() const override { return 24; }
  float wave_speed() const override { return 0.2f; }
  std::string caption(float t) const override {
    return fmt::format("OPEN WATER  BOAT 31  {:4.1f} KN  WIND {:03}", 6.0f + 0.4f * std::sin(t),
                       221 + static_cast<int>(2 * std::sin(t * kPi)));
  }
};

}  // namespace

const std::vector<SceneInfo>& Scenes() {
  static const std::vector<SceneInfo> scenes = {{"start-line", "the crowded start line: quick turns and spray"},
                                                {"open-water", "open water: slow, with fine texture"},
                                                {"harbour", "the harbour screen: text and tables, little motion"}};
  return scenes;
}

std::unique_ptr<Scene> MakeScene(const std::string& name, std::uint64_t seed) {
  if (name == "start-line") return std::make_unique<StartLine>(seed);
  if (name == "open-water") return std::make_unique<OpenWater>(seed);
  if (name == "harbour") return MakeHarbourScreen(seed);
  std::vector<std::string> names;
  for (const SceneInfo& scene : Scenes()) names.push_back(scene.name);
  FailInput("there is no scene \"{}\"{}", name, Suggestion(name, names));
}

}  // namespace kettle
