// SPDX-License-Identifier: Apache-2.0
#include "quality/filter_pair.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavutil/dict.h>
#include <libavutil/frame.h>
}

#include <cstdlib>
#include <memory>
#include <stdexcept>
#include <string>

namespace kettle::test {

namespace {

void Check(int code, const char* what) {
  if (code < 0) throw std::runtime_error(std::string(what) + " failed");
}

double Number(const AVFrame& frame, const char* key) {
  const AVDictionaryEntry* entry = av_dict_get(frame.metadata, key, nullptr, 0);
  if (!entry) throw std::runtime_error(std::string("no ") + key);
  return std::strtod(entry->value, nullptr);
}

}  // namespace

std::vector<FilteredFrame> MeasureWithFilters(const std::filesystem::path& reference,
                                              const std::filesystem::path& distorted) {
  std::unique_ptr<AVFilterGraph, void (*)(AVFilterGraph*)> graph(avfilter_graph_alloc(),
                                                                 [](AVFilterGraph* p) { avfilter_graph_free(&p); });
  graph->nb_threads = 1;
  const std::string text = "movie=" + distorted.string() + "[d];movie=" + reference.string() +
                           ",split[r1][r2];[d][r1]psnr[p];[p][r2]ssim,buffersink@out";
  AVFilterInOut *inputs = nullptr, *outputs = nullptr;
  Check(avfilter_graph_parse2(graph.get(), text.c_str(), &inputs, &outputs), "parsing the filters");
  Check(avfilter_graph_config(graph.get(), nullptr), "connecting the filters");
  AVFilterContext* sink = avfilter_graph_get_filter(graph.get(), "buffersink@out");
  if (!sink) throw std::runtime_error("no sink");
  std::vector<FilteredFrame> frames;
  const auto free_frame = [](AVFrame* p) { av_frame_free(&p); };
  const std::unique_ptr<AVFrame, void (*)(AVFrame*)> frame(av_frame_alloc(), free_frame);
  while (av_buffersink_get_frame(sink, frame.get()) >= 0) {
    frames.push_back({Number(*frame, "lavfi.psnr.mse.y"), Number(*frame, "lavfi.psnr.mse.u"),
                      Number(*frame, "lavfi.psnr.mse.v"), Number(*frame, "lavfi.ssim.Y")});
    av_frame_unref(frame.get());
  }
  return frames;
}

}  // namespace kettle::test
