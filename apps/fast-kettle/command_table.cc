// SPDX-License-Identifier: Apache-2.0
#include "command_table.h"

namespace kettle::app {

namespace {

const std::vector<Command> kCommands = {
    {.name = "survey",
     .summary = "what this machine has, and which encoders work on it",
     .detail = "Reads processors, GPUs, displays, sound and disk, measures how fast the disk takes a recording,\n"
               "opens every encoder, and advises what to change. Writes survey.json.",
     .example = "fast-kettle survey --recording-folder ~/recordings --out kettle-out",
     .synopsis = "[OPTIONS]",
     .keeps = true,
     .main_options = {"recording-folder", "out", "json"}},
    {.name = "prepare",
     .summary = "a show file for your game, in a minute",
     .detail = "Looks at the machine, asks six questions (Enter takes what stands in brackets) and writes a show file "
               "with a\n"
               "comment on each line, ready for plan. What an option says is not asked; without a terminal nothing is.",
     .example = "fast-kettle prepare --out my-show.toml",
     .synopsis = "[OPTIONS]",
     .main_options = {"footage", "reading", "destination", "recording-folder", "out"}},
    {.name = "uplink",
     .summary = "what your uplink carries, and how much of it the stream may use",
     .detail = "Takes upload readings or a trace, or measures: --to publishes a real stream. Tells what the stream\n"
               "may send, what each destination gets, and whether constant or variable bit rate drops fewer frames.\n"
               "Writes uplink.json and figures. Exit code 1: too little is left for video.",
     .example = "fast-kettle uplink --reading \"11.8 Mbit/s\" --reading \"9.9 Mbit/s\" --link wireless\n"
                "    --reserve \"voice call 0.2 Mbit/s\" --destination quayside --out kettle-out\n"
                "  fast-kettle uplink --to rtmp://127.0.0.1:19350/live --key-file key.txt --seconds 20",
     .synopsis = "[OPTIONS]",
     .takes_show = true,
     .keeps = true,
     .main_options = {"reading", "link", "reserve", "destination", "to", "key-file"}},
    {.name = "footage",
     .summary = "test pictures: the built-in scenes, or a clip of your game",
     .detail = "list      names the built-in scenes, with detail (SI) and motion (TI) of ITU-T P.910\n"
               "inspect   tells what a clip is, how much it moves, and how its pictures would be converted\n"
               "render    writes a scene as Y4M\n"
               "capture   records your screen (X11) while you play, next to lossless: footage of your own",
     .example = "fast-kettle footage inspect my-clip.mkv\n"
                "  fast-kettle footage render start-line --size 1280x720 --frame-rate 60 --seconds 10 --out "
                "start-line.y4m\n"
                "  fast-kettle footage capture --seconds 20 --out my-clip.mkv",
     .synopsis = "list | inspect CLIP | render SCENE | capture [OPTIONS]",
     .verbs = {"list", "inspect", "render", "capture"},
     .main_options = {"size", "frame-rate", "seconds", "out"}},
    {.name = "load",
     .summary = "what your game takes from the machine: captured once, replayed with every measurement",
     .detail = "capture   watches processors, memory and GPUs while you play, and writes a load profile\n"
               "replay    puts the same load on the machine; bench, plan and rehearse do so with --load PROFILE",
     .example = "fast-kettle load capture --seconds 60 --out race-night.load.json\n"
                "  fast-kettle load replay race-night.load.json --seconds 30",
     .synopsis = "capture | replay PROFILE [OPTIONS]",
     .verbs = {"capture", "replay"},
     .main_options = {"seconds", "out"}},
    {.name = "bench",
     .summary = "speed and quality of encoders and presets on your footage",
     .detail = "Measures encodes, each alone, until the figures are tight: every preset of every H.264 encoder that\n"
               "works, or what the options combine. Writes bench.json, bench.csv and figures.",
     .example = "fast-kettle bench --footage start-line --encoder x264 --preset veryfast --preset faster\n"
                "    --size 1280x720 --frame-rate 60 --bit-rate \"4500 kbit/s\" --out kettle-out",
     .synopsis = "[OPTIONS]",
     .takes_show = true,
     .keeps = true,
     .main_options = {"show", "footage", "encoder", "size", "bit-rate", "question"}},
    {.name = "plan",
     .summary = "settings for stream and recording, proven in real time",
     .detail =
         "Measures what it needs, chooses encoder, preset and rate control for both encodes, and ends with a\n"
         "proof run of both at once. Writes card.txt, report.html, plan.json, stream.flv, recording.mkv, figures.\n"
         "Needs a show or a clip of your game; what you leave out has a usual value, which it tells.\n"
         "Exit code 1: nothing keeps pace, or only with less headroom than the show asks for.",
     .example = "fast-kettle plan --footage my-clip.mkv --reading \"11.8 Mbit/s\"\n"
                "  fast-kettle plan --show my-show.toml --load race-night.load.json --out kettle-out",
     .synopsis = "--show FILE | --footage CLIP [OPTIONS]",
     .takes_show = true,
     .keeps = true,
     .main_options = {"show", "footage", "reading", "stream-bit-rate", "load", "fresh", "out"}},
    {.name = "rehearse",
     .summary = "the whole plan in real time, with every lost frame counted",
     .detail = "Runs what the plan chose: source, both encodes, sound, the stream to its ingests, the recording to\n"
               "disk. Counts each frame that was late, skipped, dropped or stalled, and says why. Without --to each\n"
               "destination has a simulated ingest. Writes rehearsal.json, frames.csv, seconds.csv, the recording\n"
               "and a figure. Exit code 1: frames were lost.",
     .example = "fast-kettle rehearse kettle-out/plan.json --seconds 60 --out rehearsal\n"
                "  fast-kettle rehearse kettle-out/plan.json --to rtmp://127.0.0.1:19350/live --key-file key.txt "
                "--out rehearsal",
     .synopsis = "PLAN [OPTIONS]",
     .keeps = true,
     .subject = "PLAN",
     .main_options = {"seconds", "to", "key-file", "load", "out"}},
    {.name = "diagnose",
     .summary = "why a rehearsal lost frames, and what to do about it",
     .detail = "Reads a rehearsal's folder. Tells the cause of each loss from the counters, the cure and its price,\n"
               "and whether a lower bit rate would help. Exit code 1: frames were lost.",
     .example = "fast-kettle diagnose rehearsal",
     .synopsis = "FOLDER [OPTIONS]",
     .subject = "FOLDER",
     .main_options = {"json"}},
    {.name = "redraw",
     .summary = "prints and draws a folder of results again",
     .detail =
         "Prints the tables of what plan, bench, uplink or rehearse left in a folder, and writes its settings card\n"
         "and figures again: to look at them later, after gnuplot was missing, or after an update that tells\n"
         "them better. Nothing is measured. worst-second.png, which shows pictures, stays as it is.",
     .example = "fast-kettle redraw kettle-out",
     .synopsis = "FOLDER [OPTIONS]",
     .subject = "FOLDER",
     .main_options = {"json"}},
    {.name = "watch",
     .summary = "your real stream, from outside, while whatever program streams it",
     .detail =
         "Finds the program that streams and watches it by what the operating system tells any user: its threads,\n"
         "the processors, GPUs, its connection, its recording. Tells each second what is nearest to its limit, and\n"
         "in the end what starved it, and what to do. Writes watch.json, seconds.csv and a figure.\n"
         "Exit code 1: something starved it.",
     .example = "fast-kettle watch --plan kettle-out/plan.json --out watched",
     .synopsis = "[OPTIONS]",
     .keeps = true,
     .main_options = {"pid", "program", "plan", "game", "seconds", "out"}},
    {.name = "report",
     .summary = "all results of a folder on one page",
     .detail =
         "Writes report.html: settings, what they look like, ways to record, line, proof, rehearsal, diagnosis and\n"
         "all that was measured. Self-contained: it needs no network, and no script to be read. Of several folders\n"
         "(a plan's and its rehearsal's) one page is made, in the first. plan, rehearse and demo write it too.",
     .example = "fast-kettle report kettle-out rehearsal",
     .synopsis = "[FOLDER ...] [OPTIONS]",
     .subject = "FOLDER",
     .most_subjects = 8,
     .needs_subject = false,
     .main_options = {"json"}},
    {.name = "history",
     .summary = "earlier runs: what came out, and what changed on the machine since",
     .detail =
         "Lists what was kept of survey, uplink, bench, plan, rehearse and watch; RUN tells one of them. RUN is a\n"
         "number, a name, last or before-last. Kept in $XDG_DATA_HOME/fast-kettle, never with a stream key.",
     .example = "fast-kettle history\n"
                "  fast-kettle history 12 --name before-update",
     .synopsis = "[RUN] [OPTIONS]",
     .subject = "RUN",
     .needs_subject = false,
     .main_options = {"kind", "last", "name", "json"}},
    {.name = "compare",
     .summary = "two earlier runs: what is faster, slower or better, beyond the noise",
     .detail =
         "Compares two runs of the history (without RUN the last two of a kind, with one RUN that and the last of\n"
         "its kind): speeds, what an encode costs the processors, scores, settings, verdicts, and what changed on\n"
         "the machine between them. A difference is only told as one if both runs' noise does not explain it.\n"
         "Benches of four encodes or more tell an encoder's change from the machine's own.",
     .example = "fast-kettle compare before-update last\n"
                "  fast-kettle compare --kind plan",
     .synopsis = "[RUN [RUN]] [OPTIONS]",
     .subject = "RUN",
     .most_subjects = 2,
     .needs_subject = false,
     .main_options = {"kind", "json"}},
    {.name = "restore",
     .summary = "an earlier plan and its settings card, back in the output folder",
     .detail =
         "Writes plan.json and card.txt of an earlier plan (without RUN: the one before the last). A plan that is\n"
         "in the folder now goes into the history first, if it is not there already.",
     .example = "fast-kettle restore 12 --out kettle-out",
     .synopsis = "[RUN] [OPTIONS]",
     .subject = "RUN",
     .needs_subject = false,
     .main_options = {"out", "json"}},
    {.name = "forget",
     .summary = "takes a run, or all, out of the history",
     .detail = "RUN is a number or a name; all forgets every run. The files in output folders stay.",
     .example = "fast-kettle forget 12",
     .synopsis = "RUN | all [OPTIONS]",
     .subject = "RUN",
     .main_options = {"json"}},
    {.name = "demo",
     .summary = "the whole job on shipped data, in a minute and a half",
     .detail = "Surveys, measures, plans and proves the shipped show. Without a GPU it uses a simulated one, and\n"
               "every output says so.",
     .example = "fast-kettle demo --out kettle-out",
     .synopsis = "[OPTIONS]",
     .keeps = true,
     .main_options = {"without-stand-in", "proof-seconds", "out"}}};

}  // namespace

const std::vector<Command>& Commands() { return kCommands; }

}  // namespace kettle::app
