// SPDX-License-Identifier: Apache-2.0
#include "command_table.h"

namespace kettle::app {

const std::vector<Command>& Commands() {
  static const std::vector<Command> commands = {
      {"survey", "what this machine has, and which encoders really open",
       "Reads processors, GPUs, displays, sound and disk, measures how fast the disk takes a recording, opens\n"
       "every encoder that the program knows, and gives a line of advice for what matters. Writes survey.json.",
       "fast-kettle survey --recording-folder ~/recordings --out kettle-out", "[OPTIONS]", false},
      {"uplink", "what the line carries, and what of it the stream may have",
       "Takes upload readings, a trace over time, or measures: --to publishes a real stream. Gives the budget as a\n"
       "sum, what each destination gets, and whether a constant or a variable rate loses fewer frames on this\n"
       "line. Writes uplink.json and figures. Exit code 1: nothing is left for pictures.",
       "fast-kettle uplink --reading \"11.8 Mbit/s\" --reading \"9.9 Mbit/s\" --link wireless\n"
       "    --reserve \"voice call 0.2 Mbit/s\" --destination quayside --out kettle-out\n"
       "  fast-kettle uplink --to rtmp://127.0.0.1:19350/live --key-file key.txt --seconds 20",
       "[OPTIONS]", true},
      {"footage",
       "test pictures: the scenes that come with it, what a clip of yours is",
       "list      names the built-in scenes, with detail (SI) and motion (TI) of ITU-T P.910\n"
       "inspect   tells of a clip what it is, how it moves, and what would be done to its pictures\n"
       "render    writes a scene as Y4M",
       "fast-kettle footage inspect my-clip.mkv\n"
       "  fast-kettle footage render start-line --size 1280x720 --frame-rate 60 --seconds 10 --out start-line.y4m",
       "list | inspect CLIP | render SCENE [OPTIONS]",
       false,
       "",
       {"list", "inspect", "render"}},
      {"load",
       "what the game takes from the machine: captured once, replayed beside every measurement",
       "capture   watches processors, memory and GPUs while you play, and writes a load profile\n"
       "replay    takes the same from the machine again; bench, plan and rehearse do so with --load PROFILE",
       "fast-kettle load capture --seconds 60 --out race-night.load.json\n"
       "  fast-kettle load replay race-night.load.json --seconds 30",
       "capture | replay PROFILE [OPTIONS]",
       false,
       "",
       {"capture", "replay"}},
      {"bench", "how fast and how good each encoder and preset is on your picture",
       "Measures encodes, each alone, in rounds, until the figures are tight: of a show every preset of every\n"
       "H.264 encoder that works, or whatever the options combine. Writes bench.json, bench.csv and figures.",
       "fast-kettle bench --footage start-line --encoder x264 --preset veryfast --preset faster\n"
       "    --size 1280x720 --frame-rate 60 --bit-rate \"4500 kbit/s\" --out kettle-out",
       "[OPTIONS]", true},
      {"plan", "settings for the stream and the recording, proven in real time",
       "Measures what it still needs, chooses encoder and preset for both encodes, and ends with a proof\n"
       "run of both at once. Writes plan.json, card.txt, stream.flv, recording.mkv, bench.* and figures.\n"
       "Exit code 1: nothing that was tried keeps pace, or only with less headroom than the show asks for.",
       "fast-kettle plan --show my-show.toml --stream-bit-rate \"4500 kbit/s\" --out kettle-out",
       "--show FILE [OPTIONS]", true},
      {"rehearse", "a plan in real time, all of it, with every lost frame counted",
       "Runs what a plan chose: source clock, both encodes, sound, the stream to an ingest, the recording to\n"
       "disk. Counts each frame that was late, skipped, dropped or stalled, and says why. Without --to it\n"
       "streams to the simulated ingest that ships with it. Writes rehearsal.json, frames.csv, seconds.csv,\n"
       "the recording and a figure. Exit code 1: frames were lost.",
       "fast-kettle rehearse kettle-out/plan.json --seconds 60 --out rehearsal\n"
       "  fast-kettle rehearse kettle-out/plan.json --to rtmp://127.0.0.1:19350/live --key-file key.txt --out "
       "rehearsal",
       "PLAN [OPTIONS]", false, "PLAN"},
      {"diagnose", "why a rehearsal lost frames, and what to do about it",
       "Reads a rehearsal's folder: the cause of each stretch of loss from the counters, what cures it and what\n"
       "that costs, and whether a lower bit rate would help. Exit code 1: frames were lost.",
       "fast-kettle diagnose rehearsal", "FOLDER [OPTIONS]", false, "FOLDER"},
      {"demo", "the whole job on shipped data, in under two minutes",
       "Surveys, measures, plans and proves the shipped show. Without a GPU the encodes that want one run\n"
       "on a simulated one, and every output says so.",
       "fast-kettle demo --out kettle-out", "[OPTIONS]", false}};
  return commands;
}

}  // namespace kettle::app
