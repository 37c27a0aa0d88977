#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Does one show on one machine get the same answer, whatever the minute is like?

One clip at one bit rate is planned several times, one plan after the other; each second one is disturbed for 20 s from
a random moment on: a program that takes all of one processor, or the plan's own workers paused half of the time in
turns of 10 ms, which nothing shows. With --grid, a bench.json of `plan --exhaustive` of the same clip and bit rate, each
answer is held against the best of the grid's x264 that fits at the speed that the plan's reference encodes showed.
"""
import argparse
import json
import os
import random
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

from processes import running

PROGRAM = Path(__file__).resolve().parent.parent / "build/bin/fast-kettle"
DISTURBED_SECONDS = 20


def hog(until, _):
    """Another program takes one processor."""
    burner = subprocess.Popen([sys.executable, "-c", "while True: pass"])
    while time.monotonic() < until:
        time.sleep(0.1)
    burner.kill()
    burner.wait()


def pause(until, plan):
    """The plan's workers stand still half of the time."""
    workers, looked = [], 0
    while time.monotonic() < until:
        if time.monotonic() - looked > 0.3:
            workers, looked = running("kettle-engine", plan), time.monotonic()
        for what in (signal.SIGSTOP, signal.SIGCONT):
            for worker in workers:
                try:
                    os.kill(int(worker), what)
                except ProcessLookupError:
                    pass
            time.sleep(0.01)


def walls(bench):
    """Wall seconds of all reference encodes of a folder's trials."""
    return [repeat[look]["wall_seconds"] for trial in bench["trials"] for repeat in trial["repeats"]
            for look in ("before", "after") if repeat.get(look)]


def plan_once(asked, folder, disturb, start):
    """The plan as JSON, its bench and how long it took; None if there is none."""
    (folder / "show.toml").write_text(f'title = "Steady"\n[picture]\nfootage = {json.dumps([asked.footage])}\n'
                                      f'[stream]\nbit_rate = "{asked.kbps} kbit/s"\n')
    began = time.monotonic()
    plan = subprocess.Popen([PROGRAM, "plan", "--show", folder / "show.toml", "--quiet", "--no-history", "--out", folder / "out"],
                            stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
    disturbing = None
    if disturb:
        disturbing = threading.Timer(start, lambda: disturb(time.monotonic() + DISTURBED_SECONDS, plan.pid))
        disturbing.start()
    said = plan.communicate(timeout=1200)[1]
    seconds = time.monotonic() - began
    if disturbing:
        disturbing.cancel()
        disturbing.join()
    if not (folder / "out/plan.json").exists():
        print(f"no plan: {said.strip()}")
        return None
    return (json.loads((folder / "out/plan.json").read_text()), json.loads((folder / "out/bench.json").read_text()),
            seconds)


class Grid:
    def __init__(self, path, kbps):
        bench = json.loads(Path(path).read_text())
        self.wall = statistics.median(walls(bench))
        self.trials = [t for t in bench["trials"]
                       if t["status"] == "done" and not t["truncated"] and t["settings"]["encoder"] == "x264" and
                       t["settings"].get("bit_rate_kbps") == kbps and t.get("quality")]

    def best(self, wall, headroom):
        """The best score that fits where a reference encode takes so long."""
        slower = wall / self.wall
        fits = [t for t in self.trials
                if 1 - t["settings_fps"] * slower / t["throughput_fps"] >= headroom and
                t["cpu_cores"] * slower <= os.cpu_count() * (1 - headroom)]
        return max(score(t["quality"]) for t in fits) if fits else None


def score(quality):
    return quality["picture_score"] * quality.get("frame_rate_share", 1)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("footage")
    parser.add_argument("kbps", type=int)
    parser.add_argument("--plans", type=int, default=20)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--grid", help="bench.json of plan --exhaustive")
    parser.add_argument("--within", type=float, default=60, help="seconds in which a disturbance begins")
    asked = parser.parse_args()
    chance = random.Random(asked.seed)
    grid = None
    if asked.grid:
        grid = Grid(asked.grid, asked.kbps)
        for trial in grid.trials:
            rate = trial["settings"]["frame_rate"].split("/")
            trial["settings_fps"] = float(rate[0]) / (float(rate[1]) if len(rate) > 1 else 1)
    print(f"{'plan':>4} {'disturbed':<16} {'stream':<38} {'score':>6} {'headroom':>8} {'reference':>9} {'best':>6} "
          f"{'lost':>6} {'runs':>4} {'trials':>6} {'seconds':>7}")
    rows = []
    with tempfile.TemporaryDirectory() as scratch:
        os.environ["XDG_CACHE_HOME"] = f"{scratch}/cache"  # the footage is prepared once
        for number in range(1, asked.plans + 1):
            disturb, start = (chance.choice([hog, pause]), chance.uniform(0, asked.within)) if number % 2 == 0 else (None, 0)
            folder = Path(scratch) / str(number)
            folder.mkdir()
            planned = plan_once(asked, folder, disturb, start)
            if not planned:
                rows.append(None)
                continue
            plan, bench, seconds = planned
            stream, looks = plan["stream"], walls(bench)
            wall = statistics.median(looks) if looks else 0
            best = grid.best(wall, plan["required_headroom"]) if grid else None
            row = {"score": score(stream["quality"]), "rate": stream["frame_rate"], "seconds": seconds,
                   "lost": best - score(stream["quality"]) if best is not None else None}
            rows.append(row)
            last = plan["attempts"][-1]["proof"]
            what = f"{disturb.__name__} at {start:.0f} s" if disturb else "-"
            told = f'{stream["encoder"]} {stream["preset"]}, {stream["size"]} at {stream["frame_rate"]}'
            against = "     -      -" if best is None else f'{best:>6.1f} {row["lost"]:>6.1f}'
            print(f'{number:>4} {what:<16} {told:<38} {row["score"]:>6.1f} {headroom(plan, last):>8} {wall * 1000:>6.0f} ms '
                  f'{against} {len(plan["attempts"]):>4} {plan["trials"]["measured"]:>6} {seconds:>7.0f}', flush=True)
    tell(rows)


def headroom(plan, proof):
    cores = plan["capacity"]["cpu_cores"]
    return f'{100 * (1 - proof["cpu_cores"] / cores):.0f} %' if cores else "-"


def tell(rows):
    planned = [row for row in rows if row]
    print(f"{len(planned)} of {len(rows)} planned")
    if not planned:
        return
    scores, rates = [row["score"] for row in planned], [row["rate"] for row in planned]
    usual = statistics.mode(rates)
    print(f"scores {min(scores):.1f} to {max(scores):.1f}, median {statistics.median(scores):.1f}; "
          f"{rates.count(usual)} at {usual}; median {statistics.median(row['seconds'] for row in planned):.0f} s")
    lost = [row["lost"] for row in planned if row["lost"] is not None]
    if lost:
        print(f"behind the best that fits: {sum(x <= 2 for x in lost)} within 2 points, at most {max(lost):.1f}, "
              f"median {statistics.median(lost):.1f}")


if __name__ == "__main__":
    main()
