// SPDX-License-Identifier: Apache-2.0
// The inner loops: comparing two pictures, drawing a scene, scaling.
#include <benchmark/benchmark.h>

#include "kettle/footage/scene.h"
#include "kettle/media/scaler.h"
#include "kettle/quality/picture_metrics.h"
#include "kettle/quality/ssimulacra2/ssimulacra2.h"

namespace {

using namespace kettle;

constexpr FrameSize kSize{1280, 720};

FramePtr Picture(double seconds) {
  FramePtr picture = NewPicture(kSize);
  MakeScene("start-line", 1)->Draw(seconds, *picture);
  return picture;
}

void PsnrAndSsim(benchmark::State& state) {
  const FramePtr a = Picture(0), b = Picture(0.1);
  for (auto _ : state) benchmark::DoNotOptimize(CompareLuma(LumaOf(*a), LumaOf(*b)));
  state.SetItemsProcessed(state.iterations());
}
BENCHMARK(PsnrAndSsim)->Unit(benchmark::kMillisecond);

void MultiScaleSsim(benchmark::State& state) {
  const FramePtr a = Picture(0), b = Picture(0.1);
  for (auto _ : state) benchmark::DoNotOptimize(MsSsim(LumaOf(*a), LumaOf(*b)));
  state.SetItemsProcessed(state.iterations());
}
BENCHMARK(MultiScaleSsim)->Unit(benchmark::kMillisecond);

void BlockinessOfOne(benchmark::State& state) {
  const FramePtr a = Picture(0);
  for (auto _ : state) benchmark::DoNotOptimize(Blockiness(LumaOf(*a)));
  state.SetItemsProcessed(state.iterations());
}
BENCHMARK(BlockinessOfOne)->Unit(benchmark::kMillisecond);

void LightOfYcbcr(benchmark::State& state) {
  const FramePtr a = Picture(0);
  for (auto _ : state) benchmark::DoNotOptimize(LinearFromYcbcr(ViewOf(*a), {}));
  state.SetItemsProcessed(state.iterations());
}
BENCHMARK(LightOfYcbcr)->Unit(benchmark::kMillisecond);

void Ssimulacra2OfTwo(benchmark::State& state) {
  const FramePtr a = Picture(0), b = Picture(0.1);
  for (auto _ : state) benchmark::DoNotOptimize(Ssimulacra2(ViewOf(*a), {}, ViewOf(*b), {}));
  state.SetItemsProcessed(state.iterations());
}
BENCHMARK(Ssimulacra2OfTwo)->Unit(benchmark::kMillisecond);

void DrawStartLine(benchmark::State& state) {
  const auto scene = MakeScene("start-line", 1);
  FramePtr picture = NewPicture(kSize);
  for (auto _ : state) scene->Draw(0.5, *picture);
  state.SetItemsProcessed(state.iterations());
}
BENCHMARK(DrawStartLine)->Unit(benchmark::kMillisecond);

void ScaleToThreeQuarters(benchmark::State& state) {
  const FramePtr picture = Picture(0);
  Scaler scaler({960, 540});
  for (auto _ : state) benchmark::DoNotOptimize(scaler.Scale(*picture));
  state.SetItemsProcessed(state.iterations());
}
BENCHMARK(ScaleToThreeQuarters)->Unit(benchmark::kMillisecond);

}  // namespace
