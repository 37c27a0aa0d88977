// SPDX-License-Identifier: Apache-2.0
#include "quality/ruined.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cstdlib>
#include <fstream>

#include "kettle/media/libav.h"

namespace kettle::test {

namespace {

RgbPicture Same(const RgbPicture& picture) { return picture; }

// Calls `change(value, x, y, c)` for each sample, clipped to 0..255.
template <class Change>
RgbPicture Each(const RgbPicture& picture, const Change& change) {
  RgbPicture changed = picture;
  for (int y = 0; y < picture.height; ++y)
    for (int x = 0; x < picture.width; ++x)
      for (int c = 0; c < 3; ++c)
        changed.at(x, y, c) = static_cast<std::uint8_t>(std::clamp(change(int{picture.at(x, y, c)}, x, y, c), 0, 255));
  return changed;
}

Ruin Noise(int most) {
  return {"noise " + std::to_string(most), [=](const RgbPicture& picture) {
            std::uint32_t chance = 12345;
            return Each(picture, [&](int value, int, int, int) {
              chance = chance * 1664525 + 1013904223;
              return value + static_cast<int>(chance >> 16) % (2 * most + 1) - most;
            });
          }};
}

Ruin Blur(int reach) {
  return {"blur " + std::to_string(reach), [=](const RgbPicture& picture) {
            return Each(picture, [&](int, int x, int y, int c) {
              int sum = 0, count = 0;
              for (int v = std::max(0, y - reach); v <= std::min(picture.height - 1, y + reach); ++v)
                for (int u = std::max(0, x - reach); u <= std::min(picture.width - 1, x + reach); ++u, ++count)
                  sum += picture.at(u, v, c);
              return sum / count;
            });
          }};
}

// Blocks of eight drawn towards their mean by so many quarters.
Ruin Blocks(int quarters) {
  return {"blocks " + std::to_string(quarters), [=](const RgbPicture& picture) {
            return Each(picture, [&](int value, int x, int y, int c) {
              int sum = 0, count = 0;
              for (int v = y / 8 * 8; v < std::min(picture.height, y / 8 * 8 + 8); ++v)
                for (int u = x / 8 * 8; u < std::min(picture.width, x / 8 * 8 + 8); ++u, ++count)
                  sum += picture.at(u, v, c);
              return (value * (4 - quarters) + sum / count * quarters) / 4;
            });
          }};
}

Ruin Brighter(int by) {
  return {"brighter " + std::to_string(by),
          [=](const RgbPicture& picture) { return Each(picture, [=](int v, int, int, int) { return v + by; }); }};
}

Ruin Levels(int step) {
  return {"steps of " + std::to_string(step), [=](const RgbPicture& picture) {
            return Each(picture, [=](int v, int, int, int) { return v / step * step + step / 2; });
          }};
}

Ruin Coarse(int factor) {
  return {"samples of " + std::to_string(factor), [=](const RgbPicture& picture) {
            return Each(picture, [&](int, int x, int y, int c) -> int {
              return picture.at(x / factor * factor, y / factor * factor, c);
            });
          }};
}

RgbPicture Grey(const RgbPicture& picture) {
  return Each(picture, [&](int, int x, int y, int) {
    return (2 * picture.at(x, y, 0) + 7 * picture.at(x, y, 1) + picture.at(x, y, 2)) / 10;
  });
}

RgbPicture Paler(const RgbPicture& picture) {
  return Each(picture, [](int value, int, int, int) { return 64 + value / 2; });
}

RgbPicture Shifted(const RgbPicture& picture) {
  return Each(picture, [&](int, int x, int y, int c) -> int { return picture.at(std::max(0, x - 1), y, c); });
}

}  // namespace

const std::vector<Ruin>& Ruins() {
  static const std::vector<Ruin> ruins = {{"same", Same}, Noise(2),         Noise(8),       Noise(32),
                                          Blur(1),        Blur(2),          Blur(4),        Blocks(1),
                                          Blocks(2),      Blocks(4),        Brighter(4),    Brighter(16),
                                          Brighter(-16),  {"paler", Paler}, {"grey", Grey}, Levels(8),
                                          Levels(32),     Coarse(2),        Coarse(3),      {"shifted", Shifted}};
  return ruins;
}

RgbPicture Crop(const RgbPicture& picture, int width, int height) {
  RgbPicture crop{width, height, std::vector<std::uint8_t>(static_cast<std::size_t>(width * height * 3))};
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x)
      for (int c = 0; c < 3; ++c) crop.at(x, y, c) = picture.at(x, y, c);
  return crop;
}

RgbPicture ReadPng(const std::string& file) {
  RgbPicture picture;
  AVFormatContext* format = nullptr;
  const AVCodec* codec = avcodec_find_decoder(AV_CODEC_ID_PNG);
  AVCodecContext* decoder = avcodec_alloc_context3(codec);
  AVPacket* packet = av_packet_alloc();
  AVFrame* frame = av_frame_alloc();
  const bool read = avformat_open_input(&format, file.c_str(), nullptr, nullptr) == 0 &&
                    avcodec_open2(decoder, codec, nullptr) == 0 && av_read_frame(format, packet) == 0 &&
                    avcodec_send_packet(decoder, packet) == 0 && avcodec_send_packet(decoder, nullptr) == 0 &&
                    avcodec_receive_frame(decoder, frame) == 0 && frame->format == AV_PIX_FMT_RGB24;
  EXPECT_TRUE(read) << file;
  if (read) {
    picture = {frame->width, frame->height, {}};
    for (int y = 0; y < frame->height; ++y) {
      const std::uint8_t* row = frame->data[0] + std::ptrdiff_t{y} * frame->linesize[0];
      picture.samples.insert(picture.samples.end(), row, row + std::ptrdiff_t{3} * frame->width);
    }
  }
  av_frame_free(&frame);
  av_packet_free(&packet);
  avcodec_free_context(&decoder);
  avformat_close_input(&format);
  return picture;
}

void WritePpm(const std::string& file, const RgbPicture& picture) {
  std::ofstream out(file, std::ios::binary);
  out << "P6\n" << picture.width << ' ' << picture.height << "\n255\n";
  out.write(reinterpret_cast<const char*>(picture.samples.data()),
            static_cast<std::streamsize>(picture.samples.size()));
}

}  // namespace kettle::test
