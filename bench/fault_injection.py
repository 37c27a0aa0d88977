#!/usr/bin/python3
# SPDX-License-Identifier: Apache-2.0
"""Injects faults into the stand-in driver and counts what came of them.

usage: bench/fault_injection.py [COUNT] [SEED] [nvenc|vaapi]

Each run is a bench of four trials on the stand-in GPU with one fault of a random kind, at a random frame of a random
trial. It must end with exit code 0; the struck trial must say what happened; the others must be done; and nothing may be
left: no worker, no device, no shared memory, no temporary file. Exit code 1 if anything is not so.
"""
import json
import os
import random
import subprocess
import sys
import tempfile
import time

from processes import running

ROOT = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
PROGRAM = os.path.join(ROOT, "build/bin/fast-kettle")
INTERFACE = sys.argv[3] if len(sys.argv) > 3 else "nvenc"
PROFILE = open(os.path.join(ROOT, "standin/gpu/profiles", {"nvenc": "modest", "vaapi": "integrated"}[INTERFACE] + ".toml")).read()
# kind: the status of the struck trial, and words of its detail or marks
EXPECTED = {"refuse": ("failed", "refused"), "crash": ("crashed", "signal 11"), "hang": ("timed out", "no answer"),
            "slow": ("done", "times slower"), "wrong": ("wrong output", "does not match"), "lost": ("failed", "GPU was lost")}
FRAMES = 48  # of a trial: 4 s at 12 frames a second
PRESETS = {"nvenc": ["p1", "p2", "p3", "p4"], "vaapi": ["7", "6", "5", "4"]}[INTERFACE]


def shared_memory():
    return sorted(os.listdir("/dev/shm"))


def run(kind, trial, frame, folder):
    # The first session opens what was asked; then each trial has a warm-up and the measured one.
    profile = os.path.join(folder, "faulty.toml")
    with open(profile, "w") as file:
        # On a machine that stalls for seconds the devices must not leave and count sessions anew.
        file.write("linger_seconds = 10\n" + PROFILE + f'[[fault]]\nkind = "{kind}"\nsession = {3 + 2 * trial}\nframe = {frame}\nfactor = 30\n')
    out = os.path.join(folder, "out")
    command = [PROGRAM, "bench", "--footage", "open-water", "--footage-seconds", "4", "--encoder", INTERFACE + "-h264"]
    for preset in PRESETS:
        command += ["--preset", preset]
    command += ["--size", "320x180", "--frame-rate", "12", "--bit-rate", "600 kbit/s", "--repeats", "1", "--patience",
                "4", "--stand-in-gpu", profile, "--quiet", "--out", out]
    ran = subprocess.run(command, capture_output=True, text=True, timeout=300)
    problems = []
    if ran.returncode != 0:
        problems.append(f"exit code {ran.returncode}: {ran.stderr.strip()}")
        return problems
    result = json.load(open(os.path.join(out, "bench.json")))
    if not result["complete"] or len(result["trials"]) != len(PRESETS):
        problems.append("trials are missing")
    for index, one in enumerate(result["trials"]):
        status, words = EXPECTED[kind] if index == trial else ("done", "")
        said = one["detail"] + " " + "; ".join(mark["text"] for mark in one.get("marks", []))
        if one["status"] != status or words not in said:
            problems.append(f"trial {index} is \"{one['status']}\": {said}")
    left = [name for name in os.listdir(out) if name.startswith(".kettle") or name.endswith(".part")]
    if left:
        problems.append(f"left behind: {left}")
    return problems


def main():
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    rng = random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 20261123)
    memory, bad, named = shared_memory(), 0, dict.fromkeys(EXPECTED, 0)
    start = time.time()
    for number in range(count):
        kind = list(EXPECTED)[number % len(EXPECTED)]
        trial = rng.randrange(len(PRESETS))
        # A slow-down in the last frames is over before it shows, and one from the start is a slow encoder.
        frame = rng.randrange(6, FRAMES * 2 // 3) if kind == "slow" else rng.randrange(FRAMES)
        with tempfile.TemporaryDirectory() as folder:
            problems = run(kind, trial, frame, folder)
        named[kind] += not problems
        bad += bool(problems)
        for problem in problems:
            print(f"{number}: {kind} in trial {trial} at frame {frame}: {problem}", flush=True)
    time.sleep(13)  # devices go ten seconds after their last client
    left = running("kettle-engine") + running("kettle-gpu")
    if left or shared_memory() != memory:
        bad += 1
        print(f"left behind: processes {left}, shared memory {shared_memory()}")
    print(f"{count} faults in {time.time() - start:.0f} s: {count - bad} named right with every other trial whole; "
          + ", ".join(f"{kind} {n}" for kind, n in named.items()))
    return 1 if bad else 0


sys.exit(main())
