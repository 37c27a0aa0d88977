#!/usr/bin/env python3
"""What a recording in each codec takes of the disk at the same score, whatever it takes of the machine.

For each clip or scene and each encoder with one preset, the quality level that comes nearest to the goal is searched on the
encoder's own scale; pace is no condition. Told: level, score, GB an hour, and the share of x264's at the same preset class.
usage: bench/quality/recording_codecs.py GOAL FOOTAGE...      FOOTAGE: NAME or FILE, with ,WIDTHxHEIGHT,RATE for scenes
"""
import json
import subprocess
import sys
import tempfile
from pathlib import Path

PROGRAM = Path(__file__).resolve().parent.parent.parent / "build/bin/fast-kettle"
ENCODERS = [("x264", "superfast", 0, 51), ("x265", "ultrafast", 0, 51), ("svt-av1", "12", 1, 63), ("vp9", "8", 0, 63)]


def measure(footage, encoder, preset, level, folder):
    name, *picture = footage.split(",")
    options = ["--footage", name, "--encoder", encoder, "--preset", preset, "--rate-control", "constant-quality",
               "--quality-level", str(level), "--repeats", "1", "--footage-seconds", "2", "--quiet", "--out", folder]
    if picture:
        options += ["--source-size", picture[0], "--size", picture[0], "--frame-rate", picture[1]]
    run = subprocess.run([PROGRAM, "bench", *options], capture_output=True, text=True)
    if run.returncode not in (0, 1):
        raise RuntimeError(run.stderr)
    trial = json.loads((Path(folder) / "bench.json").read_text())["trials"][-1]
    return trial["quality"]["picture_score"], trial["mean_kbps"], trial["throughput_fps"]


def search(goal, footage, encoder, preset, best, worst):
    """Levels get worse as they grow: halves what is left between one that reaches the goal and one that does not."""
    known = {}
    with tempfile.TemporaryDirectory() as folder:
        while worst - best > 1:
            level = (best + worst) // 2
            known[level] = measure(footage, encoder, preset, level, folder)
            if abs(known[level][0] - goal) < 0.3:
                break
            best, worst = (level, worst) if known[level][0] >= goal else (best, level)
    level = min(known, key=lambda tried: abs(known[tried][0] - goal))
    return level, *known[level]


def main():
    goal = float(sys.argv[1])
    print(f'{"footage":<28} {"encoder":<18} {"level":>5} {"score":>6} {"GB/hour":>8} {"of x264":>8} {"frames/s":>8}', flush=True)
    for footage in sys.argv[2:]:
        plain = None
        for encoder, preset, best, worst in ENCODERS:
            level, score, kbps, fps = search(goal, footage, encoder, preset, best, worst)
            plain = plain or kbps
            print(f'{Path(footage.split(",")[0]).name:<28} {encoder + " " + preset:<18} {level:>5} {score:>6.1f} '
                  f'{kbps * 1000 / 8 * 3600 / 1e9:>8.2f} {100 * kbps / plain:>7.0f}% {fps:>8.0f}', flush=True)


if __name__ == "__main__":
    main()
