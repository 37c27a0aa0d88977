#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""A long evening at a small size: a rehearsal to two ingests, RTMP and SRT, of which the SRT one is killed in the middle
and comes back after a while, watched from outside by `watch`.

  bench/evening.py [--minutes 90] [--away 10] [--bin build/bin] [--folder FOLDER]

Prints what the issue of a long evening asks for: how far the memory of the rehearsal and of watch grew in the last two
thirds, what the waiting sender took, how far sound and picture are apart where each file ends, and whether every frame
is accounted for. Exit code 1 if one of them is missed.
"""
import argparse
import json
import os
import pathlib
import signal
import subprocess
import sys
import tempfile
import time

TICKS = os.sysconf("SC_CLK_TCK")


def resident_mb(pid):
    for line in open(f"/proc/{pid}/status"):
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) / 1024
    return 0


class Waiting:
    """What the threads that send take while an ingest is away; libsrt's come and go with each connection."""

    def __init__(self, pid):
        self.pid, self.start, self.before, self.seconds = pid, time.time(), thread_seconds(pid), 0

    def look(self):
        now = thread_seconds(self.pid)
        self.seconds += sum(max(0, spent - self.before.get(thread, 0)) for thread, spent in now.items())
        self.before = now

    def cores(self):
        return self.seconds / (time.time() - self.start)


def thread_seconds(pid, wanted=("sender srt", "SRT:")):
    """Processor seconds of each thread whose name begins with one of `wanted`."""
    spent = {}
    for task in pathlib.Path(f"/proc/{pid}/task").iterdir():
        try:
            stat = (task / "stat").read_text()
        except OSError:
            continue
        name, rest = stat[stat.index("(") + 1:stat.rindex(")")], stat[stat.rindex(")") + 2:].split()
        if name.startswith(wanted):
            spent[task.name] = (int(rest[11]) + int(rest[12])) / TICKS
    return spent


def worker_of(pid):
    """The worker that the program started, once it has its sender threads."""
    for _ in range(200):
        for entry in pathlib.Path("/proc").glob("[0-9]*"):
            try:
                stat = (entry / "stat").read_text()
                if int(stat[stat.rindex(")") + 2:].split()[1]) != pid:
                    continue
                if any((task / "comm").read_text().startswith("sender") for task in (entry / "task").iterdir()):
                    return int(entry.name)
            except (OSError, ValueError):
                continue
        time.sleep(0.1)
    sys.exit("no worker was seen")


class Ingest:
    def __init__(self, program, folder, protocol, port=0):
        folder.mkdir(parents=True, exist_ok=True)
        listen = ["--listen", "127.0.0.1:0", "--save", str(folder)]
        if protocol == "srt":
            listen += ["--srt", f"127.0.0.1:{port}"]
        self.process = subprocess.Popen([program, *listen], stdout=subprocess.PIPE, text=True)
        line = self.process.stdout.readline()
        if protocol == "srt":
            line = self.process.stdout.readline()
        self.address = line.split(" at ")[-1].strip()
        if protocol == "rtmp":
            self.address = self.address[self.address.index("rtmp://"):]

    def end(self, how=signal.SIGTERM):
        self.process.send_signal(how)
        self.process.wait()


def apart_ms(file):
    """By how much the end of the sound and that of the pictures differ, by the last packets' times."""
    ends = {}
    for kind in ("v", "a"):
        rows = subprocess.run(["ffprobe", "-v", "error", "-select_streams", f"{kind}:0", "-show_entries",
                               "packet=pts_time,duration_time", "-of", "csv=p=0", str(file)],
                              capture_output=True, text=True).stdout.split()
        times = []
        for row in rows:
            cells = row.split(",")
            if cells[0] not in ("", "N/A"):
                times.append(float(cells[0]) + (float(cells[1]) if len(cells) > 1 and cells[1] not in ("", "N/A") else 0))
        ends[kind] = max(times, default=0)
    return (ends["v"] - ends["a"]) * 1000


def pictures(file):
    out = subprocess.run(["ffprobe", "-v", "error", "-select_streams", "v:0", "-count_packets", "-show_entries",
                          "stream=nb_read_packets", "-of", "csv=p=0", str(file)], capture_output=True, text=True).stdout
    return int(out.split()[0].strip(",")) if out.split() else 0


def main():
    options = argparse.ArgumentParser()
    options.add_argument("--minutes", type=float, default=90)
    options.add_argument("--away", type=float, default=10, help="minutes")
    options.add_argument("--bin", default="build/bin")
    options.add_argument("--folder", default=None)
    options.add_argument("--try", dest="trial", action="store_true", help="only see that it runs to its end")
    options.add_argument("--plan", help="a folder with a plan, instead of making one")
    options = options.parse_args()
    folder = pathlib.Path(options.folder or tempfile.mkdtemp(prefix="kettle-evening-")).resolve()
    folder.mkdir(parents=True, exist_ok=True)
    binary = pathlib.Path(options.bin).resolve()
    program, ingest = str(binary / "fast-kettle"), str(binary / "kettle-ingest")
    seconds = options.minutes * 60
    plan = pathlib.Path(options.plan) if options.plan else folder / "plan"
    if not options.plan:
        subprocess.run([program, "plan", "--quiet", "--no-history", "--footage", "start-line", "--source-size",
                        "320x180", "--frame-rate", "60", "--stream-bit-rate", "400 kbit/s", "--recording-size", "source",
                        "--time-budget", "60s", "--out", str(plan)], stdout=subprocess.DEVNULL)
    made = plan / "plan.json"
    if not made.exists() or json.loads(made.read_text())["stream"] is None:
        print("no plan was made: this machine is too busy now")
        return 0 if options.trial else 1
    first = Ingest(ingest, folder / "rtmp", "rtmp")
    second = Ingest(ingest, folder / "srt-before", "srt")
    port = second.address.rsplit(":", 1)[1]
    rehearsal = subprocess.Popen([program, "rehearse", "--quiet", "--no-history", str(plan / "plan.json"),
                                  "--seconds", f"{seconds:g}", "--to", first.address, "--to", second.address, "--out",
                                  str(folder / "rehearsal")], stdout=open(folder / "said.txt", "w"))
    worker = worker_of(rehearsal.pid)
    watch = subprocess.Popen([program, "watch", "--quiet", "--no-history", "--pid", str(worker), "--out",
                              str(folder / "watch")], stdout=open(folder / "watched.txt", "w"))
    start, away_from, away_to = time.time(), seconds / 2 - options.away * 30, seconds / 2 + options.away * 30
    memory, watching, waiting, away_cores = [], [], None, 0
    while rehearsal.poll() is None:
        time.sleep(min(10, seconds / 60))
        now = time.time() - start
        try:
            memory.append((now, resident_mb(worker)))
            watching.append((now, resident_mb(watch.pid)))
            if second and away_from <= now < away_to:
                second.end(signal.SIGKILL)
                second, waiting = None, Waiting(worker)
            if second is None:
                waiting.look()
            if second is None and now >= away_to:
                away_cores = waiting.cores()
                second = Ingest(ingest, folder / "srt-after", "srt", port)
        except (OSError, ValueError):
            break
    rehearsal.wait()
    watch.send_signal(signal.SIGINT)
    watch.wait()
    for server in (first, second):
        server.end()

    def growth(samples):
        late = [mb for at, mb in samples if seconds / 3 <= at < seconds - 5]
        return max(late) - late[0] if late else 0

    outcome = json.loads((folder / "rehearsal" / "rehearsal.json").read_text())["outcome"]
    misses = []

    def tell(what, value, wanted, right):
        print(f"  {what:58} {value:>14}   wanted: {wanted}", flush=True)
        if not right:
            misses.append(what)

    grew, watch_grew = growth(memory), growth(watching)
    tell("memory of the rehearsal, growth in its last two thirds", f"{grew:.1f} MB", "within 5 MB", grew <= 5)
    tell("memory of watch, the same", f"{watch_grew:.1f} MB", "within 5 MB", watch_grew <= 5)
    tell("the waiting sender, of both ingests", f"{away_cores:.3f} cores", "under 0.02", away_cores < 0.02)
    for name in ("rtmp/1.flv", "srt-after/srt-1.ts"):
        apart = apart_ms(folder / name)
        tell(f"sound and picture end apart, {name}", f"{apart:.0f} ms", "within 40 ms", abs(apart) <= 40)
    stream, ingests = outcome["stream"], outcome["ingests"]
    arrived = {"rtmp": pictures(folder / "rtmp" / "1.flv"),
               "srt": pictures(folder / "srt-before" / "srt-1.ts") + pictures(folder / "srt-after" / "srt-1.ts")}
    for told, kind in zip(ingests, ("rtmp", "srt")):
        # What the killed ingest had in its hands when it died was acknowledged, and is in no file.
        missing = stream["packets"] - len(told["dropped"]) - arrived[kind]
        tell(f"pictures of {stream['packets']} to {kind} that nobody accounts for", str(missing),
             "0" if kind == "rtmp" else "0 to 90", missing == 0 if kind == "rtmp" else 0 <= missing <= 90)
        print(f"    {kind}: {told['connection_losses']} connections lost, {len(told['dropped'])} pictures dropped, "
              f"{arrived[kind]} in its files")
    lost = stream["frames"] - stream["skipped"] - stream["packets"]
    tell("frames of the stream neither coded nor skipped", str(lost), "0", lost == 0)
    for name in ("frames.csv", "seconds.csv", "rehearsal.json"):
        print(f"  {name}: {(folder / 'rehearsal' / name).stat().st_size / 1e6:.1f} MB")
    print(f"  {'missed: ' + ', '.join(misses) if misses else 'all reached'}; files in {folder}")
    return 1 if misses and not options.trial else 0


if __name__ == "__main__":
    sys.exit(main())
