#!/usr/bin/env python3
"""Rehearsals with one injected cause each, or two: is the right one named?

A core hog, a slow engine (of the simulated GPU), a dip of the line, a slow disk (ext4 on a loop device that the kernel
throttles in a control group; mounted so that writes wait for it), a full disk, an ingest that goes away, a source that
is late (the process is stopped for a while), and a game that takes the processors. Needs root, and the kernel's blkio throttling (control groups, version 1).
usage: bench/diagnose_injected.py [REHEARSALS]
"""
import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from contextlib import contextmanager
from pathlib import Path

from processes import running

BUILD = Path(__file__).resolve().parent.parent / "build"
PROGRAM = BUILD / "bin/fast-kettle"
COUNT = int(sys.argv[1]) if len(sys.argv) > 1 else 60
SECONDS = 11
CGROUP = Path("/sys/fs/cgroup/blkio/fast-kettle-bench")
# What may be named for each.
NAMES = {"hog": ["another program"], "dip": ["the uplink"], "engine": ["the recording's encoder"], "slow disk": ["the disk"],
         "full": ["the disk is full"], "ingest": ["the ingest was lost"], "late": ["the source was held up"], "game": ["the game", "the source is starved"]}


def plan(folder):
    subprocess.run([PROGRAM, "plan", "--show", BUILD / "share/fast-kettle/demo/saltmarsh.toml", "--footage", "start-line", "--footage-seconds", "1",
                    "--source-size", "480x270", "--stream-size", "480x270", "--frame-rate", "30", "--stream-frame-rate", "30", "--headroom", "0.5",
                    "--recording-bit-rate", "10 Mbit/s", "--proof-seconds", "3", "--stand-in-gpu", "modest", "--quiet", "--out", folder], check=True, capture_output=True)
    return folder / "plan.json"


@contextmanager
def slow_disk(folder, chance):
    """A folder on a disk that takes less than the recording needs, and a control group in which that is so."""
    image, disk = folder / "disk.img", folder / "slow"
    subprocess.run(["truncate", "-s", "128M", image], check=True)
    subprocess.run(["mkfs.ext4", "-q", "-F", image], check=True)
    disk.mkdir(exist_ok=True)
    loop = subprocess.run(["losetup", "--find", "--show", image], check=True, capture_output=True, text=True).stdout.strip()
    subprocess.run(["mount", "-o", "sync", loop, disk], check=True)
    CGROUP.mkdir(exist_ok=True)
    major, minor = (Path("/sys/class/block") / Path(loop).name / "dev").read_text().strip().split(":")
    (CGROUP / "blkio.throttle.write_bps_device").write_text(f"{major}:{minor} {chance.randint(150, 400) * 1000}")
    try:
        yield disk
    finally:
        (CGROUP / "blkio.throttle.write_bps_device").write_text(f"{major}:{minor} 0")
        subprocess.run(["umount", disk], check=True)
        subprocess.run(["losetup", "--detach", loop], check=True)
        image.unlink()


def enter_group():
    (CGROUP / "cgroup.procs").write_text("0")


def hog(start):
    time.sleep(start)
    # A session each: the kernel divides processors among sessions first, and the rehearsal needs less than one's share.
    return [subprocess.Popen(["timeout", "5", "yes"], stdout=subprocess.DEVNULL, start_new_session=True) for _ in range(10)]


def greedy_game(start):
    """Takes what the source needs, and then some: many threads, as heavy as the machine can bear."""
    time.sleep(start)
    return [subprocess.Popen([BUILD / "bin/kettle-game", "--frame-rate", "60", "--cores", "48", "--seconds", "4"], stdout=subprocess.DEVNULL)]


def hold_up(chance, rehearsal):
    """Stops the rehearsal's worker for a while, as a machine does that sleeps."""
    time.sleep(chance.uniform(3, 6))
    worker = running("kettle-engine", rehearsal)
    for process in worker:
        os.kill(int(process), signal.SIGSTOP)
    time.sleep(chance.uniform(0.4, 0.8))
    for process in worker:
        os.kill(int(process), signal.SIGCONT)


def rehearse(causes, chance, folder, plan_file):
    profile = "linger_seconds = 0.3\n" + (BUILD / "share/fast-kettle/gpu/modest.toml").read_text()
    options, full_disk, run_options, slow = [], None, {}, None
    if "engine" in causes:
        profile += f'\n[[fault]]\nkind = "slow"\nsession = 1\nframe = {chance.randint(90, 200)}\nfactor = {chance.randint(30, 60)}\n'
    (folder / "gpu.toml").write_text(profile)
    if "dip" in causes:
        at = chance.uniform(3, 6)
        (folder / "dip.csv").write_text(f"0,9000\n{at:.1f},{chance.randint(300, 1200)}\n{at + 4:.1f},9000\n60,9000\n")
        (folder / "link.toml").write_text('trace = "dip.csv"\n')
        options += ["--link", folder / "link.toml"]
    if "ingest" in causes:
        listen = f"127.0.0.1:{chance.randint(20000, 30000)}"
        subprocess.Popen([BUILD / "bin/kettle-ingest", "--listen", listen, "--seconds", str(round(chance.uniform(5, 8), 1))], stdout=subprocess.DEVNULL)
        time.sleep(0.5)
        options += ["--to", f"rtmp://{listen}/live"]
    if "full" in causes:
        full_disk = folder / "disk"
        full_disk.mkdir(exist_ok=True)
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=19m", "tmpfs", full_disk], check=True)
        options += ["--recording-folder", full_disk]
    if "slow disk" in causes:
        slow = slow_disk(folder, chance)
        options += ["--recording-folder", slow.__enter__()]
        run_options["preexec_fn"] = enter_group
    time.sleep(0.8)  # the stand-in's device goes: its sessions are counted anew
    run = subprocess.Popen([PROGRAM, "rehearse", plan_file, "--stand-in-gpu", folder / "gpu.toml", "--seconds", str(SECONDS), "--quiet", "--out",
                            folder / "out", *options], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, **run_options)
    helpers = []
    if "hog" in causes:
        helpers = hog(chance.uniform(3, 5))
    if "game" in causes:
        helpers = greedy_game(chance.uniform(3, 5))
    if "late" in causes:
        hold_up(chance, run.pid)
    words = run.communicate()[1]
    for helper in helpers:
        helper.wait()
    if full_disk:
        subprocess.run(["umount", full_disk], check=True)
    if slow:
        slow.__exit__(None, None, None)
    if run.returncode not in (0, 1):
        return [f"failed: {words.strip()}"]
    return [cure["cause"] for cure in json.loads((folder / "out/rehearsal.json").read_text())["diagnosis"]["cures"]]


with tempfile.TemporaryDirectory() as folder:
    folder = Path(folder)
    chance = random.Random(7)
    plan_file = plan(folder / "plan")
    kinds = [["hog"], ["dip"], ["engine"], ["slow disk"], ["late"], ["game"], ["ingest"], ["full"], ["hog", "dip"], ["dip", "engine"],
             ["dip", "slow disk"], ["engine", "slow disk"], ["late", "dip"], ["late", "slow disk"], ["hog", "slow disk"]]
    if json.loads(plan_file.read_text())["recording"]["device"] != "gpu":
        print("the plan records on the CPU here: no slow engine is injected", flush=True)
        kinds = [causes for causes in kinds if "engine" not in causes]
    right = 0
    for number in range(COUNT):
        causes = kinds[number % len(kinds)]
        named = rehearse(causes, chance, folder, plan_file)
        injected = [name for cause in causes for name in NAMES[cause]]
        first = named[:len(causes) + 1]
        good = bool(named) and all(any(name in first for name in NAMES[cause]) for cause in causes) and named[0] in injected
        right += good
        print(f'{number + 1:>3} {"+".join(causes):<16} {"right" if good else "WRONG":<6} {"; ".join(named) or "nothing lost"}', flush=True)
    print(f"right: {right} of {COUNT} (all injected causes named, the costliest first)")
