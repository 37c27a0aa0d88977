#!/usr/bin/python3
# SPDX-License-Identifier: Apache-2.0
"""Kills a bench with SIGKILL at random moments, and resumes it.

usage: bench/kill_and_resume.py [KILLS] [SEED]

After every kill each result must be whole, nothing that was finished may be gone or changed, and no worker may live on.
`--resume` then goes on; when a bench ends by itself, it must hold every trial with its repeats, and another one begins.
Exit code 1 if anything is not so.
"""
import csv
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time

from processes import running

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
PROGRAM = os.path.join(ROOT, "build/bin/fast-kettle")
PRESETS = ["ultrafast", "superfast", "veryfast", "faster", "fast", "medium"]
REPEATS = 2
COMMAND = [PROGRAM, "bench", "--footage", "open-water", "--footage-seconds", "2", "--encoder", "x264", "--size",
           "320x180", "--frame-rate", "30", "--bit-rate", "800 kbit/s", "--repeats", str(REPEATS), "--quiet"]
for preset in PRESETS:
    COMMAND += ["--preset", preset]


def finished(out):
    """The repeats of each trial by preset. Raises if a file is not whole."""
    path = os.path.join(out, "bench.json")
    if not os.path.exists(path):
        return {}, False, set()
    result = json.load(open(path))
    assert result["schema"] == "fast-kettle/bench/1"
    table = os.path.join(out, "bench.csv")
    if os.path.exists(table):
        text = open(table).read()
        assert text.endswith("\n"), "bench.csv is not whole"
        rows = list(csv.reader(text.splitlines()))
        assert len({len(row) for row in rows}) == 1, "bench.csv is not whole"
    disturbed = {t["settings"]["preset"] for t in result["trials"] if any("disturbed" in mark["text"] for mark in t["marks"])}
    return {t["settings"]["preset"]: t["repeats"] for t in result["trials"]}, result["complete"], disturbed


def check_kept(before, now, disturbed):
    """What was measured while the machine was disturbed may be measured anew once it is quiet."""
    for preset, repeats in before.items():
        if preset in disturbed:
            continue
        assert now.get(preset, [])[:len(repeats)] == repeats, f"a finished run of {preset} is gone or was repeated"


def main():
    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    rng = random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 20261123)
    done, ended, bad = 0, 0, 0
    with tempfile.TemporaryDirectory() as folder:
        number = 0
        while done < kills:
            out, known, over, disturbed = os.path.join(folder, str(number)), {}, False, set()
            number += 1
            while not over:
                run = subprocess.Popen(COMMAND + ["--out", out] + (["--resume"] if known else []),
                                       stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
                workers = []
                try:
                    run.wait(rng.uniform(0.02, 4) if done < kills else 120)
                except subprocess.TimeoutExpired:
                    workers = running("kettle-engine", run.pid)
                    run.send_signal(signal.SIGKILL)
                    run.wait()
                    done += 1
                for _ in range(50):  # the kernel ends the workers of a killed program, at once but not instantly
                    if not set(workers) & set(running("kettle-engine")):
                        break
                    time.sleep(0.02)
                try:
                    assert run.returncode in (0, -9), f"code {run.returncode}: {run.stderr.read().decode()}"
                    before = disturbed
                    now, complete, disturbed = finished(out)
                    check_kept(known, now, before)
                    assert not set(workers) & set(running("kettle-engine")), "a worker lives on"
                    over = run.returncode == 0
                    if over:
                        assert complete and {p: len(r) for p, r in now.items()} == dict.fromkeys(PRESETS, REPEATS)
                        left = [f for f in os.listdir(out) if f.startswith(".kettle") or f.endswith(".part")]
                        assert not left, f"left behind: {left}"
                        ended += 1
                    known = now
                except (AssertionError, ValueError) as problem:
                    print(f"after {done} kills: {problem}", flush=True)
                    bad += 1
                    over = True
    print(f"{done} kills in {number} benches; {ended} of them ended whole after --resume, every finished run kept and none "
          f"repeated; problems: {bad}")
    return 1 if bad else 0


sys.exit(main())
