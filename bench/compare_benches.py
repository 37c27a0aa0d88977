#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Does `fast-kettle compare` say "no difference" of benches alike, and see one encode that takes 10 % more?

  bench/compare_benches.py [BENCHES [REPEATS]]     default 21: 20 pairs of neighbours; 60 repeats at most

The same bench is run again and again, each until its figures are within 3 % (60 repeats at most), and each run is compared
with the one before. For the second question a copy of the
later run goes into the history in which every repeat of the first encode takes 10 % more processor time and 10 % more time.
"""
import json, os, sqlite3, subprocess, sys, tempfile, zlib
from pathlib import Path

BUILD = Path(__file__).resolve().parent.parent / "build"
PRESETS = ["ultrafast", "superfast", "veryfast", "faster"]  # four: what all have in common is told apart
COMMAND = ["bench", "--footage", "start-line", "--encoder", "x264", *(word for p in PRESETS for word in ("--preset", p)),
           "--size", "640x360", "--source-size", "640x360", "--frame-rate", "30", "--bit-rate", "1500 kbit/s",
           "--footage-seconds", "4", "--quiet"]


def program(data, *arguments):
    return subprocess.run([BUILD / "bin/fast-kettle", *arguments], env=dict(os.environ, XDG_DATA_HOME=str(data)),
                          capture_output=True, text=True)


def slow_copy(data, number):
    """A run like `number` whose first encode is slower; its number."""
    with sqlite3.connect(data / "fast-kettle/history.sqlite") as history:
        bytes_, content = history.execute("SELECT bytes, content FROM files WHERE run = ? AND name = 'bench.json'", (number,)).fetchone()
        bench = json.loads(zlib.decompress(content))
        for repeat in bench["trials"][0]["repeats"]:
            repeat["throughput_fps"] /= 1.1
            repeat["cpu_cores"] *= 1.1
        text = json.dumps(bench).encode()
        columns = "utc, kind, title, verdict, version, machine, folder, circumstances, simulated"
        history.execute(f"INSERT INTO runs ({columns}) SELECT {columns} FROM runs WHERE number = ?", (number,))
        copy = history.execute("SELECT last_insert_rowid()").fetchone()[0]
        history.execute("INSERT INTO files VALUES (?, 'bench.json', ?, ?)", (copy, len(text), zlib.compress(text)))
        return copy


def verdicts(data, before, now):
    compared = json.loads(program(data, "compare", str(before), str(now), "--json").stdout)
    return compared["answer"], [encode["verdict"] for encode in compared["encodes"]["encodes"]], [
        encode["cpu_ms_a_frame"]["noise"] for encode in compared["encodes"]["encodes"]]


def main():
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 21
    repeats = sys.argv[2] if len(sys.argv) > 2 else "60"
    with tempfile.TemporaryDirectory() as name:
        data = Path(name)
        numbers = []
        same = slower = 0
        widths = []
        for index in range(count):
            program(data, *COMMAND, "--repeats", repeats, "--out", str(data / "out"))
            numbers.append(max(run["number"] for run in json.loads(program(data, "history", "--json").stdout)["runs"]))
            if index == 0:
                continue
            answer, _, noise = verdicts(data, numbers[-2], numbers[-1])
            widths.append(noise[0])
            same += answer.startswith("No difference")
            _, slowed, _ = verdicts(data, numbers[-2], slow_copy(data, numbers[-1]))
            slower += slowed[0] == "slower"
            print(f"{index:3} {answer}  slowed: {slowed}", flush=True)
        widths.sort()
        print(f"no difference in {same} of {count - 1}; 10 % more seen in {slower} of {count - 1}; "
              f"noise of one encode {widths[len(widths) // 2] * 100:.1f} % (median)")


main()
