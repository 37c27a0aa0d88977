// SPDX-License-Identifier: Apache-2.0
// kettle-ingest: a simulated destination on loopback that takes real RTMP and SRT publishes.
#include <fmt/format.h>

#include <boost/program_options.hpp>
#include <csignal>
#include <cstdlib>
#include <filesystem>

#include "common/program.h"
#include "kettle/rtmp/url.h"
#include "kettle/units/error.h"
#include "server.h"

namespace po = boost::program_options;

namespace {

std::atomic<bool> stop = false;

// The port of "127.0.0.1:19350".
int ParsePort(const std::string& option, const std::string& text) {
  const auto colon = text.rfind(':');
  const std::string port = colon == text.npos ? "" : text.substr(colon + 1);
  char* end = nullptr;
  const long number = std::strtol(port.c_str(), &end, 10);
  if (port.empty() || *end != 0 || number < 0 || number > 65535)
    kettle::FailInput("{} \"{}\": write an address and a port: 127.0.0.1:19350", option, text);
  return static_cast<int>(number);
}

int Run(int argc, char** argv) {
  standin::IngestOptions options;
  std::string listen = "127.0.0.1:19350", srt, link, key_file;
  double seconds = 0;
  po::options_description all(
      "kettle-ingest: a SIMULATED ingest. Takes RTMP and SRT publishes behind a shaped link.\n\nOptions");
  all.add_options()("help,h", "this text")("listen", po::value(&listen)->value_name("HOST:PORT"),
                                           "default: 127.0.0.1:19350; port 0: any that is free")(
      "srt", po::value(&srt)->value_name("HOST:PORT"), "take SRT too, there (UDP; the same host)")(
      "link", po::value(&link)->value_name("FILE"), "TOML: rate or trace, delay_ms, jitter_ms, outages")(
      "report", po::value(&options.report)->value_name("FILE"), "CSV of what arrived, second by second")(
      "save", po::value(&options.save_folder)->value_name("DIR"), "keep each publish, as FLV or (SRT) as MPEG-TS")(
      "key-file", po::value(&key_file)->value_name("FILE"),
      "accept only the stream key in its first line; SRT: passphrase in its second")(
      "certificate", po::value(&options.certificate)->value_name("FILE"), "PEM: speak TLS (rtmps)")(
      "private-key", po::value(&options.private_key)->value_name("FILE"), "PEM: of the certificate")(
      "seconds", po::value(&seconds)->value_name("S"), "end by itself after so long");
  if (!standin::ReadOptions(argc, argv, all,
                            "kettle-ingest --listen 127.0.0.1:19350 --link link.toml --report arrived.csv"))
    return 0;
  options.port = ParsePort("--listen", listen);
  options.host = listen.substr(0, listen.rfind(':'));
  if (!srt.empty()) {
    options.srt_port = ParsePort("--srt", srt);
    if (srt.substr(0, srt.rfind(':')) != options.host)
      kettle::FailInput("--srt \"{}\": the host must be that of --listen, {}", srt, options.host);
  }
  if (!link.empty()) options.link = standin::LinkShape::Read(link);
  if (!key_file.empty()) {
    kettle::StreamKey key = kettle::ReadKeyFile(key_file);
    options.key = std::move(key.key);
    options.passphrase = std::move(key.passphrase);
  }
  if (options.certificate.empty() != options.private_key.empty())
    kettle::FailInput("--certificate and --private-key belong together");
  if (!options.save_folder.empty()) std::filesystem::create_directories(options.save_folder);
  const bool secure = !options.certificate.empty();
  const std::string host = options.host;
  standin::IngestServer server(std::move(options));
  for (const int signal : {SIGINT, SIGTERM}) std::signal(signal, [](int) { stop = true; });
  fmt::print("kettle-ingest: a SIMULATED ingest, at {}://{}:{}/live\n", secure ? "rtmps" : "rtmp", host, server.port());
  if (!srt.empty()) fmt::print("kettle-ingest: simulated, at srt://{}:{}\n", host, server.srt_port());
  std::fflush(stdout);
  std::thread timer;
  if (seconds > 0)
    timer = std::thread([&] {
      for (double waited = 0; waited < seconds && !stop; waited += 0.05)
        std::this_thread::sleep_for(std::chrono::milliseconds(50));
      stop = true;
    });
  server.Serve(stop);
  if (timer.joinable()) timer.join();
  fmt::print("kettle-ingest: simulated: {} publishes taken, {} refused\n", server.accepted(), server.refused());
  return 0;
}

}  // namespace

int main(int argc, char** argv) { return standin::RunProgram("kettle-ingest", Run, argc, argv); }
