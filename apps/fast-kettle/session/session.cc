// SPDX-License-Identifier: Apache-2.0
#include "session/session.h"

#include <fmt/format.h>

#include <fstream>
#include <iterator>
#include <nlohmann/json.hpp>
#include <utility>

#include "figure/plot.h"
#include "kettle/units/digest.h"
#include "kettle/units/error.h"
#include "report/sentence.h"

namespace kettle::app {

namespace {

std::string DigestOfFile(const std::string& path) {
  if (path.empty()) return "";
  std::ifstream file(path, std::ios::binary);
  return HexDigest(std::string(std::istreambuf_iterator<char>(file), {}));
}

}  // namespace

Session::Session(const Request& request, Places places)
    : request_(request),
      places_(std::move(places)),
      folder_(request.out),
      scratch_(folder_.path()),
      machine_(ReadMachine(request.root)),
      provenance_(MakeProvenance(kVersion, Digest(machine_))),
      stand_in_gpu_(FindStandInGpu(request_.stand_in_gpu, places_)),
      worker_({places_.engine.string(), "worker"}, stand_in_gpu_, &StopRequested()),
      progress_(request.quiet),
      runner_(
          worker_, scratch_.path(), [this](const std::string& what, double share) { progress_.Show(what, share); },
          request.bench.patience_seconds),
      encoders_(worker_, runner_, progress_),
      footage_(request.footage_seconds, progress_),
      trials_(folder_.path(), provenance_, request.command, DigestOfFile(stand_in_gpu_.profile), request.fresh),
      figures_(folder_.path(), provenance_) {}

void Session::StartLoad(const std::string& load) {
  load_ = std::make_unique<BackgroundLoad>(load, places_, stand_in_gpu_.profile);
  trials_.MeasuredUnder(*load_);
  runner_.RunBesideLoad();
}

void Session::DrawPicture(const std::function<void()>& draw) {
  if (figures_given_up_) return;
  try {
    draw();
  } catch (const Error& error) {
    if (error.fault() != Fault::kMachine) throw;
    const auto* figure = dynamic_cast<const FigureError*>(&error);
    figures_given_up_ = figure && figure->hopeless();
    progress_.Clear();
    fmt::print(stderr,
               "fast-kettle: warning: {}: {}; all other results are complete, and fast-kettle redraw {} draws the "
               "figures later\n",
               figures_given_up_ ? "no figures" : "a figure is missing", error.what(), out().string());
  }
}

void Session::Write(const std::string& kind, nlohmann::json body) const {
  AddSentences(body);
  WriteResult(out(), kind, body, provenance_);
}

}  // namespace kettle::app
