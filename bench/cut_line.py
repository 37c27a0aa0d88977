#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""A rehearsal over a line that the kernel cuts: a pair of network interfaces, of which one goes down.

  bench/cut_line.py [--seconds 40] [--bin build/bin] [--try]

For RTMP and SRT: cut for 15 s in the middle, cut in the last second, cut from the middle to the end. Each time the rehearsal
must end with its result, tell the loss, connect again where the line comes back, and account for every picture: it arrived,
or it is told as dropped. Exit code 1 if it does not. Needs root and iproute2.
"""
import argparse
import csv
import json
import pathlib
import subprocess
import sys
import tempfile
import time

SHOW = """title = "Small"
[picture]
source_size = "320x180"
frame_rate = "30"
footage = ["open-water"]
[stream]
bit_rate = "600 kbit/s"
[require]
headroom = 0.05
"""
SPACE, HERE, THERE, ADDRESS = "kettle-cut", "kcut-here", "kcut-there", "10.78.0.2"


def ip(*words, check=True):
    subprocess.run(["ip", *words], check=check, capture_output=True)


def make_line():
    end_line()
    ip("netns", "add", SPACE)
    ip("link", "add", HERE, "type", "veth", "peer", "name", THERE, "netns", SPACE)
    ip("addr", "add", "10.78.0.1/24", "dev", HERE)
    ip("link", "set", HERE, "up")
    ip("-n", SPACE, "addr", "add", f"{ADDRESS}/24", "dev", THERE)
    ip("-n", SPACE, "link", "set", THERE, "up")
    ip("-n", SPACE, "link", "set", "lo", "up")


def end_line():
    ip("netns", "del", SPACE, check=False)
    ip("link", "del", HERE, check=False)


def cut(down):
    ip("-n", SPACE, "link", "set", THERE, "down" if down else "up")


def arrived(report):
    with open(report) as file:
        return sum(int(row["pictures"]) for row in csv.DictReader(file))


def rehearse(binary, plan, folder, protocol, seconds, cut_from, cut_seconds):
    """What the rehearsal told, its exit code, and how many pictures the ingest counted."""
    folder.mkdir()
    make_line()
    ingest = subprocess.Popen(["ip", "netns", "exec", SPACE, str(binary / "kettle-ingest"), "--listen", f"{ADDRESS}:19350",
                               "--srt", f"{ADDRESS}:19351", "--report", str(folder / "arrived.csv")],
                              stdout=subprocess.PIPE, text=True)
    ingest.stdout.readline(), ingest.stdout.readline()
    url = f"rtmp://{ADDRESS}:19350/live" if protocol == "rtmp" else f"srt://{ADDRESS}:19351"
    program = subprocess.Popen([str(binary / "fast-kettle"), "rehearse", str(plan), "--to", url, "--seconds", str(seconds),
                                "--quiet", "--no-history", "--out", str(folder / "out")],
                               stdout=open(folder / "said.txt", "w"), stderr=subprocess.STDOUT)
    while not (folder / "arrived.csv").exists() or arrived(folder / "arrived.csv") == 0:  # it streams
        if program.poll() is not None:
            break
        time.sleep(0.1)
    time.sleep(cut_from)
    cut(True)
    time.sleep(cut_seconds)
    cut(False)
    program.wait()
    time.sleep(2)  # what the kernel still had on its way
    ingest.terminate()
    ingest.wait()
    end_line()
    result = folder / "out" / "rehearsal.json"
    return json.loads(result.read_text())["outcome"] if result.exists() else None, program.returncode, arrived(folder / "arrived.csv")


def main():
    options = argparse.ArgumentParser()
    options.add_argument("--seconds", type=float, default=40)
    options.add_argument("--bin", default="build/bin")
    options.add_argument("--try", dest="trial", action="store_true", help="one short cut, only to see that this runs")
    options = options.parse_args()
    binary = pathlib.Path(options.bin).resolve()
    folder = pathlib.Path(tempfile.mkdtemp(prefix="kettle-cut-"))
    (folder / "show.toml").write_text(SHOW)
    subprocess.run([str(binary / "fast-kettle"), "plan", "--show", str(folder / "show.toml"), "--footage-seconds", "1",
                    "--proof-seconds", "2", "--quiet", "--no-history", "--out", str(folder / "plan")], stdout=subprocess.DEVNULL)
    plan = folder / "plan" / "plan.json"
    if not plan.exists() or json.loads(plan.read_text())["stream"] is None:
        print("no plan was made: this machine is too busy now")
        return 0 if options.trial else 1
    seconds, middle = options.seconds, options.seconds / 4
    cuts = {"15 s in the middle": (middle, 15), "the last second": (seconds - 2, 14), "for good": (middle, seconds)}
    protocols = ("rtmp", "srt")
    if options.trial:
        seconds, cuts, protocols = 6, {"try": (2, 1)}, ("rtmp",)
    failed = False
    for protocol in protocols:
        for name, (start, length) in cuts.items():
            told, code, there = rehearse(binary, plan, folder / f"{protocol}-{start:.0f}-{length:.0f}", protocol, seconds, start, length)
            if told is None:
                print(f"{protocol}, {name}: NO RESULT, exit code {code}")
                failed = True
                continue
            ingest, sent = told["ingests"][0], told["stream"]["packets"]
            unknown = sent - len(ingest["dropped"]) - there
            right = code in (0, 1) and unknown <= 0 and (name != "15 s in the middle" or ingest["connection_losses"] >= 1)
            failed |= not right
            print(f"{protocol}, {name}: {'' if right else 'WRONG, '}exit code {code}, connection lost {ingest['connection_losses']} times, "
                  f"of {sent} pictures {len(ingest['dropped'])} told as dropped, {there} arrived, {max(0, unknown)} unaccounted for, "
                  f"{max(0, -unknown)} told though they arrived", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    try:
        sys.exit(main())
    finally:
        end_line()
