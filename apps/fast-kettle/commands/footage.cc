// SPDX-License-Identifier: Apache-2.0
#include <fmt/format.h>

#include <chrono>
#include <cstdlib>
#include <nlohmann/json.hpp>

#include "commands/commands.h"
#include "kettle/footage/inspect.h"
#include "kettle/footage/scene.h"
#include "kettle/machine/disk.h"
#include "kettle/screen/capture.h"
#include "kettle/store/file.h"
#include "kettle/units/error.h"
#include "report/sentence.h"

namespace kettle::app {

namespace {

using nlohmann::json;

void StopIfAsked() { ThrowIfStopped(); }

// Of the first two seconds of a scene.
Content ContentOf(const SceneInfo& info) {
  const FrameRate rate{60, 1};
  const auto scene = MakeScene(info.name, kSceneSeed);
  ContentMeter meter(rate);
  for (int i = 0; i < 120; ++i) {
    StopIfAsked();
    FramePtr picture = NewPicture({640, 360});
    scene->Draw(static_cast<double>(rate.due_ns(i)) * 1e-9, *picture);
    meter.Add(std::shared_ptr<const AVFrame>(picture.release(), LibavDeleter()));
  }
  return meter.Result();
}

int List(const Request& request, Progress& progress) {
  progress.Stage("looking at the scenes", static_cast<int>(Scenes().size()));
  Table table({{"scene"}, {"what it shows"}, Number("SI"), Number("TI"), {"motion"}});
  json scenes = json::array();
  for (const SceneInfo& info : Scenes()) {
    const Content content = ContentOf(info);
    table.Row({{info.name},
               {info.title},
               Number(fmt::format("{:.0f}", content.si)),
               Number(fmt::format("{:.0f}", content.ti)),
               {content.word()}});
    scenes.push_back({{"name", info.name}, {"title", info.title}, {"content", content}});
    progress.StepDone();
  }
  progress.Clear();
  if (request.json)
    PrintJson(json{{"scenes", scenes}});
  else
    fmt::print(
        "{}\nSI and TI: spatial and temporal information of ITU-T P.910, two seconds of 640x360 at 60 frames a "
        "second.\nYour own game says more: fast-kettle footage inspect my-clip.mkv\n",
        table.str());
  return 0;
}

std::string YesNo(bool yes) { return yes ? "yes" : "no"; }

int Inspect(const Request& request, Progress& progress) {
  progress.Stage("reading " + request.subject, 1);
  const ClipReport report = InspectWholeClip(request.subject, [&](double share) {
    StopIfAsked();
    progress.Show(request.subject, share);
  });
  progress.Clear();
  if (request.json) {
    PrintJson(json(report));
    return 0;
  }
  const Content& content = report.content;
  fmt::print("{}\n", Paint(report.file, Tone::kStrong));
  const auto line = [](const char* name, const std::string& value) { fmt::print("  {:<18}{}\n", name, value); };
  line("container, codec", fmt::format("{}, {}", report.facts.container, report.facts.codec));
  line("size", report.size.str());
  line("frame rate", fmt::format("{}{}", report.rate.str(), report.variable_rate ? ", variable" : ""));
  line("length", fmt::format("{} frames, {:.1f} s", report.frames, report.seconds));
  line("samples",
       fmt::format("{} bit{}{}; interlaced: {}", report.facts.bit_depth,
                   report.facts.chroma.empty() ? "" : ", " + report.facts.chroma,
                   report.facts.hdr.empty() ? "" : ", HDR " + report.facts.hdr, YesNo(report.facts.interlaced)));
  line("detail", fmt::format("SI {:.0f} at most, {:.0f} on average (ITU-T P.910)", content.si, content.mean_si));
  line("motion", fmt::format("{}: TI {:.0f} at most, {:.0f} on average", content.word(), content.ti, content.mean_ti));
  if (report.seconds >= 2)
    line("seconds",
         fmt::format("the busiest from {} s, the calmest from {} s", content.busiest_second, content.calmest_second));
  if (report.notes.empty()) line("used as", "it is");
  for (const Message& note : report.notes) fmt::print("  - {}\n", Sentence(note));
  fmt::print("\nNext: put it under footage in your show: footage = [\"{}\"]\n", request.subject);
  return 0;
}

int Render(const Request& request, Progress& progress) {
  const FootageOptions& options = request.footage;
  MakeScene(request.subject, kSceneSeed);  // a wrong name is told first
  FrameSize size;
  FrameRate rate;
  try {
    size = FrameSize::Parse(options.size);
    rate = FrameRate::Parse(options.frame_rate);
  } catch (const Error& error) {
    FailInput("footage render: {}", error.what());
  }
  const std::filesystem::path file = options.file.empty() ? request.subject + ".y4m" : options.file;
  std::error_code unseen;
  if (std::filesystem::is_directory(file, unseen)) FailInput("--out: {} is a folder; name a file", file.string());
  progress.Stage("drawing", 1);
  const auto start = std::chrono::steady_clock::now();
  RenderSceneTo(file, request.subject, size, rate, options.seconds.value_or(10), [&](double share) {
    StopIfAsked();
    progress.Show(request.subject, share);
  });
  progress.Clear();
  const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  const double frames = options.seconds.value_or(10) * rate.fps();
  if (request.json)
    PrintJson(json{{"file", file.string()},
                   {"frames", std::lround(frames)},
                   {"size", size},
                   {"frame_rate", rate},
                   {"took_seconds", took}});
  else
    fmt::print("{}: {:.0f} frames of {} at {} frames a second, drawn in {:.1f} s ({:.0f} a second)\n", file.string(),
               frames, size.str(), rate.str(), took, frames / took);
  return 0;
}

std::string Environment(const char* name) {
  const char* value = std::getenv(name);
  return value ? value : "";
}

// Written under another name until it is whole.
int Capture(const Request& request, Progress& progress) {
  const FootageOptions& options = request.footage;
  ScreenCaptureRequest capture;
  capture.display = options.display.empty() ? Environment("DISPLAY") : options.display;
  const bool named = !options.display.empty();
  const std::string why_not = WhyNoCapture(capture.display, named ? "" : Environment("WAYLAND_DISPLAY"),
                                           named ? "" : Environment("XDG_SESSION_TYPE"));
  if (!why_not.empty()) FailInput("footage capture: {}", why_not);
  capture.window = options.window;
  capture.rate = FrameRate::Parse(options.frame_rate);
  capture.seconds = options.seconds.value_or(20);
  const std::filesystem::path file = options.file.empty() ? "clip.mkv" : options.file;
  const std::filesystem::path folder = file.has_parent_path() ? file.parent_path() : ".";
  CheckWritable(folder);
  RemoveLeftovers(folder, Leftovers::kOfEndedRuns);
  if (file.extension() != ".mkv") FailInput("--out: {}: a clip is Matroska; name it .mkv", file.string());
  const std::filesystem::path unfinished = UnfinishedName(file).string() + ".mkv";
  capture.file = unfinished;
  progress.Stage("capturing " + capture.display, 1);
  ScreenCaptureOutcome outcome;
  try {
    outcome = CaptureScreen(capture, [&](double share) {
      progress.Show(file.string(), share);
      return !StopRequested();
    });
  } catch (...) {
    std::error_code error;
    std::filesystem::remove(unfinished, error);
    throw;
  }
  progress.Clear();
  Publish(unfinished, file);
  if (request.json) {
    PrintJson(json{{"file", file.string()},
                   {"size", outcome.size},
                   {"frame_rate", capture.rate},
                   {"frames", outcome.frames},
                   {"missed", outcome.missed},
                   {"seconds", outcome.seconds},
                   {"cpu_cores", outcome.cpu_cores},
                   {"bytes", outcome.bytes}});
    return 0;
  }
  fmt::print("{}: {:.1f} s of {} at {}, {:.1f} MB.\n", file.string(), outcome.seconds, outcome.size.str(),
             capture.rate.str(), static_cast<double>(outcome.bytes) / 1e6);
  fmt::print("Capturing took {:.1f} cores; {} of {} pictures came too late and are missing{}.\n", outcome.cpu_cores,
             outcome.missed, outcome.missed + outcome.frames,
             outcome.missed * 50 > outcome.frames
                 ? ": capture at a lower --frame-rate, or less of the screen with --window"
                 : "");
  fmt::print("Next: fast-kettle plan --footage {}\n", file.string());
  return 0;
}

}  // namespace

int RunFootage(const Request& request) {
  Progress progress(request.quiet);
  if (request.verb == "list") return List(request, progress);
  if (request.verb == "inspect") return Inspect(request, progress);
  if (request.verb == "capture") return Capture(request, progress);
  return Render(request, progress);
}

}  // namespace kettle::app
