// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/harbour.h"

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "kettle/footage/canvas.h"
#include "kettle/footage/random.h"
#include "kettle/footage/texture.h"

namespace kettle {

namespace {

constexpr Colour kPaper{214, 124, 132}, kPanel{58, 136, 122}, kInk{30, 128, 128}, kBright{226, 128, 128};
constexpr Colour kMarked{150, 104, 150}, kLine{92, 134, 124};
constexpr std::array kBoats = {"TERN",      "OYSTER", "MARSH HARRIER", "LOW TIDE",  "SALT LARK",   "REED BUNTING",
                               "GREY SEAL", "EBB",    "SAND MARTIN",   "HALF MOON", "OLD CHANNEL", "CURLEW"};

// All lengths in 1/360 of the height.
class HarbourScreen final : public Scene {
 public:
  explicit HarbourScreen(std::uint64_t seed) : seed_(seed), water_(seed + 11) {}

  void Draw(double seconds, AVFrame& picture) const override {
    const auto t = static_cast<float>(seconds);
    Canvas canvas(picture);
    DrawWater(canvas, t);
    DrawResults(canvas, t);
    DrawCourse(canvas, t);
    DrawPointer(canvas, t);
  }

 private:
  static float Unit(const Canvas& canvas) { return static_cast<float>(canvas.height()) / 360; }

  static void Panel(Canvas& canvas, float left, float top, float right, float bottom, Colour colour) {
    const float u = Unit(canvas);
    canvas.Box({left * u, top * u}, {right * u, bottom * u}, colour);
  }
  static void Write(Canvas& canvas, float left, float top, float cell, const std::string& text, Colour colour) {
    const float u = Unit(canvas);
    canvas.Text({left * u, top * u}, std::max(1.0f, cell * u), text, colour);
  }

  // Still water behind it all, breathing slowly.
  void DrawWater(Canvas& canvas, float t) const {
    const float scale = 300.0f / static_cast<float>(canvas.height());
    for (int y = 0; y < canvas.height(); ++y) {
      std::uint8_t* row = canvas.luma_row(y);
      const float v = static_cast<float>(y) * scale * 1.7f + 1.2f * std::sin(t * 0.5f);
      const Texture::Row water(water_, v);
      for (int x = 0; x < canvas.width(); ++x)
        row[x] = static_cast<std::uint8_t>(84 + 0.16f * water(static_cast<float>(x) * scale + t * 1.5f));
    }
    for (int y = 0; y < canvas.height() / 2; ++y) {
      std::fill_n(canvas.chroma_row(1, y), canvas.width() / 2, static_cast<std::uint8_t>(142));
      std::fill_n(canvas.chroma_row(2, y), canvas.width() / 2, static_cast<std::uint8_t>(112));
    }
  }

  // The results, one boat a line; the marked line moves on every second.
  void DrawResults(Canvas& canvas, float t) const {
    Panel(canvas, 16, 44, 396, 340, kPaper);
    Panel(canvas, 16, 16, 396, 44, kPanel);
    Write(canvas, 26, 25, 1.6f, "SALTMARSH REGATTA  RACE 4 OF 9", kBright);
    const int marked = static_cast<int>(t) % static_cast<int>(kBoats.size());
    for (int i = 0; i < static_cast<int>(kBoats.size()); ++i) {
      const float top = 52 + 23.5f * static_cast<float>(i);
      if (i == marked) Panel(canvas, 20, top, 392, top + 20, kMarked);
      const auto id = static_cast<std::uint64_t>(i);
      const float behind = 3.1f * static_cast<float>(i) + 2.5f * Uniform(seed_ + 20, id);
      Write(canvas, 28, top + 5, 1.3f, fmt::format("{:>2}. {}", i + 1, kBoats[static_cast<std::size_t>(i)]), kInk);
      Write(canvas, 300, top + 5, 1.3f, fmt::format("{}:{:04.1f}", 41, behind), kInk);
      Panel(canvas, 20, top + 21.5f, 392, top + 22.3f, kLine);
    }
  }

  // The course in small, with the boats creeping along it, and a clock.
  void DrawCourse(Canvas& canvas, float t) const {
    Panel(canvas, 412, 16, 624, 226, kPanel);
    Panel(canvas, 412, 238, 624, 340, kPaper);
    const float u = Unit(canvas);
    const auto at = [&](float angle) {
      return Point{(518 + 84 * std::cos(angle)) * u, (121 + 78 * std::sin(angle) * std::cos(angle * 0.5f)) * u};
    };
    for (int i = 0; i < 90; ++i) canvas.Dot(at(static_cast<float>(i) * 0.14f), 1.1f * u, kLine, 1);
    for (int i = 0; i < 12; ++i) {
      const auto id = static_cast<std::uint64_t>(i);
      canvas.Dot(at(0.5f * static_cast<float>(i) + t * (0.05f + 0.04f * Uniform(seed_ + 21, id))), 3.4f * u, kBright,
                 1);
    }
    Write(canvas, 424, 250, 1.6f, "NEXT START", kInk);
    Write(canvas, 424, 276, 3.2f, fmt::format("{:02}:{:04.1f}", 2, std::fmod(59.9f - t, 60.0f)), kInk);
    Write(canvas, 424, 316, 1.1f, "WIND 214  11.4 KN  TIDE -0.6", kInk);
  }

  // Goes to the marked line and rests there.
  static void DrawPointer(Canvas& canvas, float t) {
    const float u = Unit(canvas), step = std::floor(t), rest = t - step;
    const float move = std::min(1.0f, rest / 0.35f);
    const auto line = [](float s) {
      return 62 + 23.5f * static_cast<float>(static_cast<int>(s) % static_cast<int>(kBoats.size()));
    };
    const float y = (line(step) + (move - 1) * (line(step) - line(std::max(0.0f, step - 1)))) * u;
    const float x = (280 + 30 * std::sin(t * 0.8f)) * u;
    canvas.Fill({{x, y}, {x + 11 * u, y + 11 * u}, {x + 4.5f * u, y + 11.5f * u}, {x, y + 15 * u}}, kInk);
  }

  std::uint64_t seed_;
  Texture water_;
};

}  // namespace

std::unique_ptr<Scene> MakeHarbourScreen(std::uint64_t seed) { return std::make_unique<HarbourScreen>(seed); }

}  // namespace kettle
