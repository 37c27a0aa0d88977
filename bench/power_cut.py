#!/usr/bin/env python3
"""Kills rehearsals with SIGKILL at random moments and tells how far each recording can be played.

usage: bench/power_cut.py [KILLS [SIZE [FRAME_RATE]]]
"""
import json
import random
import subprocess
import sys
import tempfile
from pathlib import Path

PROGRAM = Path(__file__).resolve().parent.parent / "build/bin/fast-kettle"
KILLS = int(sys.argv[1]) if len(sys.argv) > 1 else 50
SIZE = sys.argv[2] if len(sys.argv) > 2 else "640x360"
RATE = sys.argv[3] if len(sys.argv) > 3 else "30"

with tempfile.TemporaryDirectory() as folder:
    folder = Path(folder)
    subprocess.run([PROGRAM, "plan", "--show", PROGRAM.parent.parent / "share/fast-kettle/demo/saltmarsh.toml", "--footage", "start-line",
                    "--footage-seconds", "1", "--source-size", SIZE, "--stream-size", SIZE, "--frame-rate", RATE,
                    "--stream-frame-rate", RATE, "--proof-seconds", "3", "--quiet", "--out", folder / "plan"], check=False, capture_output=True)  # a tight plan will do
    lost, none = {}, {}
    chance = random.Random(1)
    for _ in range(KILLS):
        moment = round(chance.uniform(3, 12), 2)
        subprocess.run([PROGRAM, "rehearse", folder / "plan/plan.json", "--seconds", "30", "--power-cut", str(moment), "--quiet",
                        "--out", folder / "out"], check=False, capture_output=True)
        for file in json.loads((folder / "out/power-cut.json").read_text())["files"]:
            playable = file["playable_seconds"]
            lost.setdefault(file["container"], []).append(moment - playable)
            none[file["container"]] = none.get(file["container"], 0) + (playable == 0)
    for container, seconds in lost.items():
        within = sum(s <= 2 for s in seconds)
        print(f"{container:<15} playable to within 2 s of the kill: {within} of {KILLS}; most lost {max(seconds):.2f} s, "
              f"median {sorted(seconds)[len(seconds) // 2]:.2f} s; nothing left of {none[container]}")
