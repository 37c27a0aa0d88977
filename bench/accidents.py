#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Every long command, and every accident, at a random moment.

  bench/accidents.py [--runs 300] [--seed 1] [--begin 0] [--bin build/bin] [--table FILE] [--only COMMAND] [--only-accident NAME]

After each run: nothing of the user's is changed; no result is half written; no process is left after five seconds; the
program said one clear line at most, in its own words; the next run clears whatever was left behind, and finds what was
finished. Prints a table of command by accident, and each miss; exit code 1 if there is one. Needs root for two of them
(a disk that fills up, a folder that cannot be written): without, they are left out and said.
"""
import argparse
import collections
import hashlib
import json
import os
import pathlib
import random
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time

SHOW = """title = "Small"
[picture]
source_size = "320x180"
frame_rate = "12"
footage = ["open-water"]
[stream]
bit_rate = "600 kbit/s"
[recording]
size = "source"
frame_rate = "source"
[require]
headroom = 0.8
"""
ACCIDENTS = ["SIGKILL", "SIGTERM", "SIGHUP", "closed pipe", "stopped for 10 s", "full disk", "read-only folder", "no HOME",
             "second program"]
GOOD_ENDS = {0, 1, 2, 3, 130}


class Bench:
    """What all runs share: the binaries, a plan to rehearse, a program that streams, a display."""

    def __init__(self, binary, folder, only):
        self.program, self.ingest = str(binary / "fast-kettle"), str(binary / "kettle-ingest")
        self.cache = folder / "cache"
        self.show = folder / "show.toml"
        self.show.write_text(SHOW)
        self.helpers = []
        self.plan = self.address = self.streamer = self.display = None
        if only not in ("plan", "bench", "prepare", "load capture", "footage capture"):
            self.start_streaming(folder)
        if shutil.which("Xvfb") and only in (None, "footage capture"):
            screen = subprocess.Popen(["Xvfb", "-displayfd", "1", "-screen", "0", "320x240x24"], stdout=subprocess.PIPE,
                                      stderr=subprocess.DEVNULL, text=True)
            self.display = ":" + screen.stdout.readline().strip()
            self.helpers.append(screen)

    def start_streaming(self, folder):
        env = dict(os.environ, XDG_CACHE_HOME=str(self.cache), XDG_DATA_HOME=str(folder / "data"))
        subprocess.run([self.program, "plan", "--quiet", "--no-history", "--show", str(self.show), "--footage-seconds", "1",
                        "--proof-seconds", "2", "--out", str(folder / "planned")], env=env, stdout=subprocess.DEVNULL,
                       stderr=subprocess.DEVNULL, check=False)
        self.plan = folder / "planned" / "plan.json"
        if json.loads(self.plan.read_text())["stream"] is None:
            sys.exit("no plan was made: this machine is too busy")
        ingest = subprocess.Popen([self.ingest, "--listen", "127.0.0.1:0"], stdout=subprocess.PIPE, text=True)
        line = ingest.stdout.readline()
        self.address = line[line.index("rtmp://"):].strip()
        self.helpers.append(ingest)
        # What watch watches: a rehearsal that streams, in a cache of its own.
        streaming = subprocess.Popen([self.program, "rehearse", "--quiet", "--no-history", str(self.plan), "--seconds",
                                      "21000", "--to", self.address, "--out", str(folder / "streaming")],
                                     env=dict(env, XDG_CACHE_HOME=str(folder / "cache-2")), stdout=subprocess.DEVNULL,
                                     stderr=subprocess.DEVNULL)
        self.helpers.append(streaming)
        for _ in range(100):
            found = subprocess.run(["pgrep", "-P", str(streaming.pid)], capture_output=True, text=True).stdout.split()
            if found:
                self.streamer = found[-1]
                break
            time.sleep(0.1)

    def end(self):
        for helper in self.helpers:
            helper.terminate()
            helper.wait()

    def commands(self):
        p, show = self.program, str(self.show)
        small = ["--footage-seconds", "1", "--proof-seconds", "2"]
        commands = {
            "plan": ([p, "plan", "--show", show, *small, "--out", "out"], 14),
            "bench": ([p, "bench", "--show", show, "--footage-seconds", "4", "--out", "out"], 6),
            "rehearse": ([p, "rehearse", str(self.plan), "--seconds", "6", "--out", "out"], 6),
            "watch": ([p, "watch", "--pid", str(self.streamer), "--seconds", "6", "--out", "out"], 5),
            "uplink": ([p, "uplink", "--to", self.address, "--most", "5 Mbit/s", "--seconds", "6", "--out", "out"], 6),
            "prepare": ([p, "prepare", "--out", "out/show.toml"], 1),
            "load capture": ([p, "load", "capture", "--seconds", "5", "--out", "out/game.load.json"], 5),
        }
        if self.display:
            commands["footage capture"] = ([p, "footage", "capture", "--seconds", "5", "--out", "out/clip.mkv"], 5)
        return commands


class Run:
    """One command and one accident, in a folder of its own."""

    def __init__(self, bench, name, accident, folder, moment):
        self.bench, self.name, self.accident, self.folder, self.moment = bench, name, accident, folder, moment
        self.mark = f"KETTLE_ACCIDENT={folder}"
        self.out = folder / "out"
        self.misses = []
        self.mounted = False

    def environment(self):
        env = dict(os.environ, XDG_CACHE_HOME=str(self.bench.cache), XDG_DATA_HOME=str(self.folder / "data"),
                   HOME=str(self.folder), KETTLE_ACCIDENT=str(self.folder))
        if self.bench.display:
            env["DISPLAY"] = self.bench.display
        if self.accident == "no HOME":
            for name in ("HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
                env.pop(name)
            env["XDG_CACHE_HOME"] = str(self.bench.cache)  # not measured anew each time
        return env

    def prepare(self):
        self.out.mkdir(parents=True)
        if self.accident in ("full disk", "read-only folder"):
            subprocess.run(["mount", "-t", "tmpfs", "-o", "size=48m", "tmpfs", str(self.out)], check=True)
            self.mounted = True
        # The user's own things, also beside the results.
        (self.folder / "mine").mkdir()
        for file in ("mine/clip.mkv", "mine/.kettle-notes.part", "out/holiday.mkv", "out/plan.txt", "out/.kettle-abcdef"):
            path = self.folder / file
            path.write_bytes(os.urandom(2000))
        if self.accident == "read-only folder":
            subprocess.run(["mount", "-o", "remount,ro", str(self.out)], check=True)
        self.users = self.digests()

    def digests(self):
        files = [*sorted((self.folder / "mine").iterdir()),
                 *(self.out / name for name in ("holiday.mkv", "plan.txt", ".kettle-abcdef"))]
        return {str(file): hashlib.sha256(file.read_bytes()).hexdigest() if file.exists() else "gone" for file in files}

    def alive(self):
        found = []
        for entry in pathlib.Path("/proc").glob("[0-9]*"):
            try:
                if self.mark.encode() in (entry / "environ").read_bytes().split(b"\0") and int(entry.name) != os.getpid():
                    if (entry / "stat").read_text().rsplit(")", 1)[1].split()[0] != "Z":
                        found.append(int(entry.name))
            except OSError:
                continue
        return found

    def start(self, words):
        pipe = self.accident == "closed pipe"
        self.process = subprocess.Popen(words, cwd=self.folder, env=self.environment(), stdin=subprocess.DEVNULL,
                                        stdout=subprocess.PIPE if pipe else open(self.folder / "stdout.txt", "w"),
                                        stderr=open(self.folder / "stderr.txt", "w"))

    def strike(self):
        time.sleep(self.moment)
        running = self.process.poll() is None
        if self.accident == "closed pipe":
            self.process.stdout.close()
        elif self.accident == "full disk":
            with open(self.out / "filler", "wb", buffering=0) as filler:
                try:
                    while True:
                        filler.write(b"x" * 65536)
                except OSError:
                    pass
        elif self.accident == "stopped for 10 s" and running:
            os.kill(self.process.pid, signal.SIGSTOP)
            time.sleep(10)
            os.kill(self.process.pid, signal.SIGCONT)
        elif self.accident == "second program":
            second = subprocess.run([self.bench.program, "survey", "--quiet", "--out", "out"], cwd=self.folder,
                                    env=self.environment(), capture_output=True, text=True, timeout=120)
            if running and second.returncode not in (0, 2, 3):
                self.misses.append(f"the second program ended with {second.returncode}: {second.stderr.strip()}")
        elif self.accident.startswith("SIG") and running:
            os.kill(self.process.pid, getattr(signal, self.accident))

    def wait(self):
        try:
            self.process.wait(timeout=180)
        except subprocess.TimeoutExpired:
            self.misses.append("still running after 180 s")
            self.process.kill()
            self.process.wait()

    def check(self):
        code = self.process.returncode
        if code not in GOOD_ENDS and not (self.accident == "SIGKILL" and code == -9):
            self.misses.append(f"ended with {code}")
        deadline = time.time() + 5
        while self.alive() and time.time() < deadline:
            time.sleep(0.1)
        if left := self.alive():
            self.misses.append(f"{len(left)} processes left")
            for process in left:
                os.kill(process, signal.SIGKILL)
        if self.digests() != self.users:
            self.misses.append("something of the user's was changed")
        said = (self.folder / "stderr.txt").read_text(errors="replace")
        lines = [line for line in said.splitlines() if line.startswith("fast-kettle: ")]
        if bad := re.search(r"terminate called|std::|json\.exception|basic_|filesystem error|what\(\)|Assert", said):
            self.misses.append(f"a library's words: {bad.group(0)}")
        if code in (2, 3, 130) and not lines:
            self.misses.append(f"ended with {code} and said nothing")
        if len([line for line in lines if "warning" not in line]) > (6 if self.accident == "full disk" else 1):
            self.misses.append("more than one line: " + " | ".join(lines)[:300])
        for file in self.out.glob("*.json"):
            try:
                json.loads(file.read_text())
            except ValueError:
                self.misses.append(f"{file.name} is half written")
        self.check_leftovers(code)

    def leftovers(self):
        return [file.name for file in self.out.iterdir()
                if (file.name.startswith(".kettle-") and file.name not in (".kettle-abcdef",)) or file.name.endswith(".part")]

    def check_leftovers(self, code):
        if self.accident == "read-only folder":
            return
        if self.accident == "full disk":
            (self.out / "filler").unlink()
        if self.leftovers() and code != -9:
            self.misses.append(f"left behind: {self.leftovers()}")
        trials = self.out / "bench.json"
        finished = len(json.loads(trials.read_text())["trials"]) if trials.exists() and not self.misses else 0
        words, _ = self.bench.commands()[self.name]
        if self.name == "bench" and finished:
            again = [*words, "--resume", "--dry-run", "--quiet"]
        elif self.name in ("footage capture", "load capture"):
            again = [*words, "--quiet"]
            again[again.index("--seconds") + 1] = "1"
        elif self.name == "prepare":
            (self.out / "show.toml").unlink(missing_ok=True)
            again = words
        else:
            again = [self.bench.program, "survey", "--quiet", "--out", "out"]
        self.accident = ""
        ran = subprocess.run(again, cwd=self.folder, env=self.environment(), stdin=subprocess.DEVNULL, capture_output=True,
                             text=True, timeout=180)
        if ran.returncode not in (0, 1):
            self.misses.append(f"the next run ended with {ran.returncode}: {ran.stderr.strip()[:200]}")
        if self.leftovers():
            self.misses.append(f"the next run left {self.leftovers()}")
        if finished and trials.exists() and len(json.loads(trials.read_text())["trials"]) < finished:
            self.misses.append("a finished trial is gone")

    def end(self):
        if self.mounted:
            subprocess.run(["umount", str(self.out)], check=False)
        shutil.rmtree(self.folder, ignore_errors=True)


def main():
    options = argparse.ArgumentParser()
    options.add_argument("--runs", type=int, default=300)
    options.add_argument("--seed", type=int, default=1)
    options.add_argument("--begin", type=int, default=0, help="with that run of the seed's list: the rest of an earlier sitting")
    options.add_argument("--bin", default="build/bin")
    options.add_argument("--table", help="write the table there, in Markdown")
    options.add_argument("--only")
    options.add_argument("--only-accident")
    options = options.parse_args()
    chance = random.Random(options.seed)
    base = pathlib.Path(tempfile.mkdtemp(prefix="kettle-accidents-"))
    bench = Bench(pathlib.Path(options.bin).resolve(), base, options.only)
    accidents = [a for a in ACCIDENTS if os.geteuid() == 0 or a not in ("full disk", "read-only folder")]
    if len(accidents) < len(ACCIDENTS):
        print("not root: no full disk, no read-only folder")
    pairs = [(c, a) for c in bench.commands() for a in accidents
             if options.only in (None, c) and options.only_accident in (None, a)]
    ran, good = collections.Counter(), collections.Counter()
    try:
        for number in range(options.runs):
            name, accident = pairs[number % len(pairs)]
            words, longest = bench.commands()[name]
            moment = chance.uniform(0.05, longest)
            if number < options.begin:
                continue
            run = Run(bench, name, accident, base / f"run-{number}", moment)
            try:
                run.prepare()
                run.start(words)
                run.strike()
                run.wait()
                run.check()
            except (OSError, subprocess.SubprocessError, ValueError) as error:
                run.misses.append(f"the check failed: {error}")
            finally:
                run.end()
            ran[name, accident] += 1
            good[name, accident] += not run.misses
            for miss in run.misses:
                print(f"run {number}: {name}, {accident} after {run.moment:.1f} s: {miss}", flush=True)
    finally:
        bench.end()
        shutil.rmtree(base, ignore_errors=True)
    rows = ["| command | " + " | ".join(accidents) + " |", "|---" * (len(accidents) + 1) + "|"]
    for name in dict.fromkeys(c for c, _ in pairs):
        rows.append(f"| {name} | " + " | ".join(f"{good[name, a]} of {ran[name, a]}" for a in accidents) + " |")
    print("\n".join(rows))
    total = f"{sum(good.values())} of {sum(ran.values())} runs without a miss"
    print(total)
    if options.table:
        pathlib.Path(options.table).write_text("\n".join(rows) + f"\n\n{total}.\n")
    return 0 if sum(good.values()) == sum(ran.values()) else 1


if __name__ == "__main__":
    sys.exit(main())
