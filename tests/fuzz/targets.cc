// SPDX-License-Identifier: Apache-2.0
#include "targets.h"

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>

#include "arrivals.h"
#include "figure/capacity_figure.h"
#include "figure/figures.h"
#include "figure/pictures_figure.h"
#include "figure/plot.h"
#include "figure/rate_quality.h"
#include "figure/trade_figure.h"
#include "figure/uplink_figures.h"
#include "flv_file.h"
#include "kettle/coded/samples.h"
#include "kettle/device/audio.h"
#include "kettle/device/display.h"
#include "kettle/device/graphics.h"
#include "kettle/device/nvidia.h"
#include "kettle/diagnosis/diagnosis.h"
#include "kettle/footage/y4m.h"
#include "kettle/history/history.h"
#include "kettle/input/input.h"
#include "kettle/line/line.h"
#include "kettle/load/capture.h"
#include "kettle/load/profile.h"
#include "kettle/machine/cgroup.h"
#include "kettle/machine/conditions.h"
#include "kettle/machine/disk.h"
#include "kettle/plan/plan_file.h"
#include "kettle/rehearsal/rehearsal.h"
#include "kettle/rtmp/amf.h"
#include "kettle/rtmp/control.h"
#include "kettle/rtmp/flv_body.h"
#include "kettle/rtmp/server_session.h"
#include "kettle/rtmp/url.h"
#include "kettle/show/destination.h"
#include "kettle/show/show.h"
#include "kettle/store/file.h"
#include "kettle/store/json_text.h"
#include "kettle/task/tasks.h"
#include "kettle/trial/trial.h"
#include "kettle/units/error.h"
#include "kettle/watching/program.h"
#include "kettle/watching/sockets.h"
#include "kettle/worker/worker_answer.h"
#include "link.h"
#include "page/report_page.h"
#include "profile.h"
#include "timeline/rehearsal_figures.h"
#include "timeline/watch_figure.h"
#include "transport_packets.h"

namespace kettle::fuzz {

namespace {

namespace fs = std::filesystem;
using nlohmann::json;

void Check(bool holds) {
  if (!holds) std::abort();
}

// A file in memory, kept for the process's life.
const fs::path& Scratch() {
  static const TemporaryFolder folder(fs::exists("/dev/shm") ? "/dev/shm" : fs::temp_directory_path());
  return folder.path();
}
fs::path AsFile(std::string_view bytes, const char* name) {
  const fs::path path = Scratch() / name;
  std::ofstream(path, std::ios::binary | std::ios::trunc)
      .write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
  return path;
}

// In pieces of a length that the first byte chooses: a connection cuts anywhere.
template <typename Feed>
void InPieces(std::string_view bytes, const Feed& feed) {
  if (bytes.empty()) return;
  const std::size_t piece = 1 + static_cast<unsigned char>(bytes[0]);
  for (bytes.remove_prefix(1); !bytes.empty(); bytes.remove_prefix(std::min(piece, bytes.size())))
    feed(bytes.substr(0, piece));
}

void RtmpClient(std::string_view bytes) {  // what a publisher reads of a server
  ChunkReader reader;
  RtmpControl control;
  InPieces(bytes, [&](std::string_view piece) {
    control.Received(piece.size());
    reader.Feed(piece);
    while (const auto message = reader.Next()) {
      control.Answer(*message);
      if (message->type == RtmpType::kCommand) ReadAmf(message->body);
    }
    control.Acknowledgement();
  });
}

void RtmpServer(std::string_view bytes) {  // what an ingest reads of a client, to its file and its report
  standin::Arrivals arrivals("");
  standin::FlvFile file((Scratch() / "fuzzed.flv").string());
  RtmpServerSession session({[](const std::string&, const std::string&) { return true; },
                             [&](const RtmpMessage& message) {
                               arrivals.Add("1", message, std::chrono::steady_clock::now());
                               file.Write(message);
                             }});
  session.Feed("\x03" + std::string(2 * 1536, '\0'));
  InPieces(bytes, [&](std::string_view piece) { session.Feed(piece); });
}

void Chunks(std::string_view bytes) {  // what was read is read again when it is written
  ChunkReader reader;
  std::vector<RtmpMessage> messages;
  reader.Feed(bytes);
  while (auto message = reader.Next()) messages.push_back(std::move(*message));
  ChunkWriter writer;
  ChunkReader again;
  for (const RtmpMessage& message : messages) {
    if (message.type == RtmpType::kSetChunkSize || message.type == RtmpType::kAbort) continue;
    again.Feed(writer.Write(message, 3));
    const auto read = again.Next();
    Check(read && read->body == message.body && read->timestamp_ms == message.timestamp_ms);
  }
}

// What a publish brings as a video message, and what an encoder's packet may look like.
void FlvBodies(std::string_view bytes) {
  ReadVideoBody(bytes);
  for (const AVCodecID codec : {AV_CODEC_ID_H264, AV_CODEC_ID_HEVC, AV_CODEC_ID_AV1}) SampleOf(codec, bytes);
}

void TransportPackets(std::string_view bytes) {
  Check(standin::PicturesIn(bytes) <= static_cast<int>(bytes.size() / 188));
}

void Amf(std::string_view bytes) {
  const std::string written = WriteAmf(ReadAmf(bytes));
  Check(WriteAmf(ReadAmf(written)) == written);
}

void Address(std::string_view bytes) {
  const IngestUrl url = IngestUrl::Parse(std::string(bytes));
  Check(IngestUrl::Parse(url.str()).str() == url.str());
}

void Show(std::string_view bytes) { ReadShow(AsFile(bytes, "show.toml"), {}, {Scratch(), Scratch()}); }
void DestinationFile(std::string_view bytes) { ReadDestination(AsFile(bytes, "destination.toml")); }
void LinkFile(std::string_view bytes) { standin::LinkShape::Read(AsFile(bytes, "link.toml")); }
void Trace(std::string_view bytes) { LineTrace::Read(AsFile(bytes, "trace.csv")).PerSecond(); }
void Load(std::string_view bytes) { OntoCores(ReadLoadProfile(AsFile(bytes, "load.json")), 2).peak_second_cores(); }
void PlanJson(std::string_view bytes) { ReadPlanFile(AsFile(bytes, "plan.json")); }

void GpuProfile(std::string_view bytes) {
  try {
    standin::ReadProfile(AsFile(bytes, "gpu.toml"));
  } catch (const std::runtime_error&) {  // the stand-in's own refusal
  }
}

// Results of an earlier run: whatever is wrong with them shows as the JSON library's exception or ours.
template <typename Result>
void Parsed(std::string_view bytes) {
  const json file = json::parse(bytes, nullptr, false);
  if (file.is_discarded()) return;
  try {
    const Result result = file.get<Result>();
    JsonText(json(result));
  } catch (const json::exception&) {
  }
}
void Bench(std::string_view bytes) { Parsed<std::vector<Trial>>(bytes); }
void Survey(std::string_view bytes) { Parsed<std::vector<NvidiaDevice>>(bytes); }

void Rehearsal(std::string_view bytes) {
  const json file = json::parse(bytes, nullptr, false);
  if (!file.is_object()) return;
  try {
    const auto outcome = file.at("outcome").get<RehearsalOutcome>();
    const auto facts = file.at("facts").get<DiagnosisFacts>();
    JsonText(json(Diagnose(outcome, facts, PlanFile{})));
  } catch (const json::exception&) {
  }
}

void Answer(std::string_view bytes) {
  WorkerAnswer answer({});
  InPieces(bytes, [&](std::string_view piece) { answer.Read(piece); });
  if (answer.malformed()) return;
  WorkerReport report{.status = WorkerStatus::kDone};
  report.result = answer.result();
  for (int task = 0; task < 4; ++task) {
    WorkerReport copy = report;
    if (task == 0) AnswerOf<EncodeOutcome>(copy);
    if (task == 1) AnswerOf<PaceOutcome>(copy);
    if (task == 2) AnswerOf<ProbeOutcome>(copy);
    if (task == 3) AnswerOf<QualityOutcome>(copy);
  }
}

void Y4m(std::string_view bytes) {
  const Y4mFile file(AsFile(bytes, "pictures.y4m"));
  file.Frame(0);
  file.Frame(file.frames() - 1);
}

void EdidBlock(std::string_view bytes) { ParseEdid(std::string(bytes)); }

// figures.json, as redraw and report read it; of every figure, drawn or not.
template <class... Charts>
void ParseAs(const json& chart) {
  const auto one = [&]<class Chart>(const Chart*) {
    try {
      JsonText(json(chart.get<Chart>()));
    } catch (const json::exception&) {
    } catch (const std::out_of_range&) {
    }
  };
  (one(static_cast<const Charts*>(nullptr)), ...);
}
void Figures(std::string_view bytes) {
  json chart = json::parse(bytes, nullptr, false);
  if (chart.is_discarded()) return;
  MakePlain(chart);
  ParseAs<CapacityChart, GameFrames, LineChart, PicturesChart, ProofTimesChart, QueueDelayChart, RateQualityChart,
          RehearsalChart, SoakChart, SpeedQualityChart, TradeChart, WatchChart>(chart);
  for (const auto& text : {chart.is_string() ? chart.get<std::string>() : std::string(bytes)}) {
    const std::string quoted = Quoted(text);  // nothing in it ends it
    std::size_t quotes = 0;
    for (const char c : quoted) quotes += c == '\'';
    Check(quoted.front() == '\'' && quoted.back() == '\'' && quotes % 2 == 0);
    Check(quoted.find_first_of("\n\r") == quoted.npos);
  }
}

// A folder's results, as the report page reads them.
void Results(std::string_view bytes) {
  const auto half = bytes.find('\0');
  AsFile(bytes.substr(0, half), "plan.json");
  AsFile(half == bytes.npos ? "" : bytes.substr(half + 1), "rehearsal.json");
  ReportPage({Scratch()}, "1");
}

void GameLogFile(std::string_view bytes) { CountGameFrames(ReadGameFrames(AsFile(bytes, "game.csv")), 60, 5, 6, 9); }

void HistoryFile(std::string_view bytes) {
  for (const auto& entry : fs::directory_iterator(Scratch()))
    if (entry.path().filename().string().starts_with("history")) fs::remove(entry.path());
  History history(AsFile(bytes, "history.sqlite"));
  for (const KeptRun& run : history.Runs()) history.File(run.number, "plan.json");
}

void AnyJson(std::string_view bytes) { ReadJsonInput(AsFile(bytes, "any.json")); }

// The input is files, each "path\n", its content, and a zero byte.
void Machine(std::string_view bytes) {
  const fs::path root = Scratch() / "root";
  fs::remove_all(root);
  fs::create_directories(root);
  for (int files = 0; files < 8 && !bytes.empty(); ++files) {
    const std::string_view file = bytes.substr(0, bytes.find('\0'));
    bytes.remove_prefix(std::min(bytes.size(), file.size() + 1));
    const std::string_view name = file.substr(0, file.find('\n'));
    if (name.empty() || name.size() > 100 || name.front() == '/' || name.find("..") != name.npos) continue;
    std::error_code error;
    const fs::path path = root / name;
    fs::create_directories(path.parent_path(), error);
    std::ofstream(path, std::ios::binary) << file.substr(std::min(file.size(), name.size() + 1));
  }
  const ConditionSample sample = SampleConditions(root);
  JsonText(json(ReadConditions(sample, SampleConditions(root), 1, {}, root)));
  ReadCoreRest(root);
  ReadCgroupLimits(root);
  JsonText(json(ReadGraphics(root)));
  JsonText(json(ReadDisplays(root)));
  JsonText(json(ReadAudio(root)));
  ReadUdpSockets(root);
  UdpDatagramsSent(root);
  PowerWords(root);
  ReadDisk(root, root);
  try {
    ReadProgram(7, root);
  } catch (const Error&) {
  }
}

}  // namespace

const std::map<std::string, Target>& Targets() {
  static const std::map<std::string, Target> targets{{"address", Address},
                                                     {"amf", Amf},
                                                     {"bench", Bench},
                                                     {"chunks", Chunks},
                                                     {"destination", DestinationFile},
                                                     {"edid", EdidBlock},
                                                     {"figures", Figures},
                                                     {"flv-body", FlvBodies},
                                                     {"game-log", GameLogFile},
                                                     {"gpu-profile", GpuProfile},
                                                     {"history", HistoryFile},
                                                     {"json", AnyJson},
                                                     {"link", LinkFile},
                                                     {"load", Load},
                                                     {"machine", Machine},
                                                     {"plan", PlanJson},
                                                     {"rehearsal", Rehearsal},
                                                     {"results", Results},
                                                     {"rtmp-client", RtmpClient},
                                                     {"rtmp-server", RtmpServer},
                                                     {"show", Show},
                                                     {"srt", Srt},
                                                     {"survey", Survey},
                                                     {"trace", Trace},
                                                     {"transport-packets", TransportPackets},
                                                     {"worker-answer", Answer},
                                                     {"y4m", Y4m}};
  return targets;
}

}  // namespace kettle::fuzz
