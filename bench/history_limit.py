#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""The history at its limit of 100 MB: what keeping a run and listing them takes, and whether that grows.

  bench/history_limit.py [--megabytes 110] [--runs 40] [--bin build/bin]

Real runs of `survey`, their results made larger until the file is past its limit; then RUNS more. Prints the file's size,
the most memory and the time of a run that is kept and of `history`; exit code 1 if the file exceeds 100 MB, or the memory
of the last run that of the first by 5 MB.
"""
import argparse
import os
import pathlib
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time


def measure(command, env, folder):
    """Seconds and most memory (MB) of it and its children."""
    start = time.time()
    process = subprocess.Popen(command, env=env, cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    if status:
        sys.exit(f"{' '.join(command[1:])}: exit code {os.waitstatus_to_exitcode(status)}")
    return time.time() - start, usage.ru_maxrss / 1024


def fill(file, megabytes):
    """Copies of the last run, with contents that no compressor makes smaller."""
    base = sqlite3.connect(file)
    fields = "utc, kind, title, verdict, version, machine, folder, circumstances, simulated"
    run = base.execute("SELECT max(number) FROM runs").fetchone()[0]
    while file.stat().st_size < megabytes * 1e6:
        with base:
            for _ in range(20):
                copy = base.execute(f"INSERT INTO runs ({fields}) SELECT {fields} FROM runs WHERE number = ?", (run,)).lastrowid
                base.execute("INSERT INTO files SELECT ?, name, bytes, content FROM files WHERE run = ?", (copy, run))
                base.execute("INSERT INTO files VALUES (?, 'more.bin', 100000, randomblob(100000))", (copy,))
    base.close()


def main():
    options = argparse.ArgumentParser()
    options.add_argument("--megabytes", type=float, default=110)
    options.add_argument("--runs", type=int, default=40)
    options.add_argument("--bin", default="build/bin")
    options = options.parse_args()
    program = str(pathlib.Path(options.bin).resolve() / "fast-kettle")
    with tempfile.TemporaryDirectory(prefix="kettle-history-") as folder:
        env = dict(os.environ, XDG_DATA_HOME=folder, XDG_CACHE_HOME=folder + "/cache")
        keep = [program, "survey", "--quiet", "--out", "survey"]
        measure(keep, env, folder)
        file = pathlib.Path(folder) / "fast-kettle" / "history.sqlite"
        fill(file, options.megabytes)
        kept = [measure(keep, env, folder) for _ in range(options.runs)]
        listed = [measure([program, "history"], env, folder) for _ in range(5)]
        size = file.stat().st_size / 1e6
        grew = kept[-1][1] - kept[0][1]
        print(f"file: {size:.1f} MB (wanted: at most 100)")
        print(f"a run that is kept: {statistics.median(s for s, _ in kept):.2f} s (the first, which makes room: {kept[0][0]:.2f} s), "
              f"{max(mb for _, mb in kept):.0f} MB of memory at most, {grew:+.1f} MB from the first to the last (wanted: within 5)")
        print(f"history: {statistics.median(s for s, _ in listed):.2f} s, {max(mb for _, mb in listed):.0f} MB")
        return 0 if size <= 100 and grew <= 5 else 1


if __name__ == "__main__":
    sys.exit(main())
