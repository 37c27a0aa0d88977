#!/usr/bin/env python3
"""Rehearsals with one injected cause each, or two: is the right one named?

Needs root for the small disk (tmpfs).
usage: bench/diagnose_injected.py [REHEARSALS]
"""
import json
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

BUILD = Path(__file__).resolve().parent.parent / "build"
PROGRAM = BUILD / "bin/fast-kettle"
COUNT = int(sys.argv[1]) if len(sys.argv) > 1 else 60
SECONDS = 14
NAMES = {"hog": "another program", "dip": "the uplink", "engine": "the recording's encoder", "full": "the disk is full", "ingest": "the ingest was lost"}


def plan(folder):
    subprocess.run([PROGRAM, "plan", "--show", BUILD / "share/fast-kettle/demo/saltmarsh.toml", "--footage", "start-line", "--footage-seconds", "1",
                    "--source-size", "480x270", "--stream-size", "480x270", "--frame-rate", "30", "--stream-frame-rate", "30", "--headroom", "0.5",
                    "--recording-bit-rate", "10 Mbit/s", "--proof-seconds", "3", "--stand-in-gpu", "modest", "--quiet", "--out", folder], check=True, capture_output=True)
    return folder / "plan.json"


def hog(start):
    time.sleep(start)
    for busy in [subprocess.Popen(["timeout", "5", "yes"], stdout=subprocess.DEVNULL) for _ in range(10)]:
        busy.wait()


def rehearse(causes, chance, folder, plan_file):
    profile = (BUILD / "share/fast-kettle/gpu/modest.toml").read_text()
    options, helpers, disk = [], [], None
    if "engine" in causes:
        profile += f'\n[[fault]]\nkind = "slow"\nsession = 1\nframe = {chance.randint(90, 240)}\nfactor = {chance.randint(30, 60)}\n'
    (folder / "gpu.toml").write_text(profile)
    if "dip" in causes:
        at = chance.uniform(3, 6)
        (folder / "dip.csv").write_text(f"0,9000\n{at:.1f},{chance.randint(300, 1200)}\n{at + 4:.1f},9000\n60,9000\n")
        (folder / "link.toml").write_text('trace = "dip.csv"\n')
        options += ["--link", folder / "link.toml"]
    if "ingest" in causes:
        listen = f"127.0.0.1:{chance.randint(20000, 30000)}"
        dies = round(chance.uniform(5, 8), 1)
        ingest = subprocess.Popen([BUILD / "bin/kettle-ingest", "--listen", listen, "--seconds", str(dies)], stdout=subprocess.DEVNULL)
        helpers.append(ingest)
        time.sleep(0.5)
        options += ["--to", f"rtmp://{listen}/live"]
    if "full" in causes:
        disk = folder / "disk"
        disk.mkdir(exist_ok=True)
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=19m", "tmpfs", disk], check=True)
        options += ["--recording-folder", disk]
    time.sleep(2.2)  # the stand-in's device goes: its sessions are counted anew
    run = subprocess.Popen([PROGRAM, "rehearse", plan_file, "--stand-in-gpu", folder / "gpu.toml", "--seconds", str(SECONDS), "--quiet", "--out",
                            folder / "out", *options], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
    if "hog" in causes:
        hog(chance.uniform(3, 6))
    words = run.communicate()[1]
    if disk:
        subprocess.run(["umount", disk], check=True)
    if run.returncode not in (0, 1):
        return [f"failed: {words.strip()}"]
    return [cure["cause"] for cure in json.loads((folder / "out/rehearsal.json").read_text())["diagnosis"]["cures"]]


with tempfile.TemporaryDirectory() as folder:
    folder = Path(folder)
    chance = random.Random(7)
    plan_file = plan(folder / "plan")
    kinds = [["hog"], ["dip"], ["engine"], ["full"], ["ingest"], ["hog", "dip"], ["dip", "engine"], ["dip", "full"], ["engine", "full"]]
    right = 0
    for number in range(COUNT):
        causes = kinds[number % len(kinds)]
        named = rehearse(causes, chance, folder, plan_file)
        good = set(NAMES[cause] for cause in causes) <= set(named[:len(causes) + 1]) and named[0] in [NAMES[cause] for cause in causes]
        right += good
        print(f'{number + 1:>3} {"+".join(causes):<12} {"right" if good else "WRONG":<6} {"; ".join(named) or "nothing lost"}', flush=True)
    print(f"right: {right} of {COUNT} (all injected causes named, the costliest first)")
