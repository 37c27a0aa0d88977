#!/usr/bin/env python3
"""The search against the whole grid: encode time and loss of quality, on each scene at three bit rates.

Runs `plan --exhaustive` on the demo's show at 640x360 (the whole grid of nine such runs takes over an hour). The trials
are kept in FOLDER: run again with it, only the search is made anew.
usage: bench/search_against_grid.py FOLDER [SCENE [KBPS [SIZE [OPTION_OF_PLAN ...]]]]
"""
import json
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PROGRAM = ROOT / "build/bin/fast-kettle"
if len(sys.argv) < 2:
    sys.exit(__doc__)
keep = Path(sys.argv[1])
scenes = sys.argv[2:3] or ["start-line", "open-water", "harbour"]
rates = [int(rate) for rate in sys.argv[3:4]] or [900, 450, 1600]
size = sys.argv[4] if len(sys.argv) > 4 else "640x360"
more = sys.argv[5:]


def named(best):
    if not best:
        return "none"
    return f'{best["encoder"]} {best["preset"]} {best["size"]} {best["frame_rate"]} {best["score"]:.1f}'


print("scene        kbit/s   grid trials   search trials   encode time   loss    grid's best, search's best", flush=True)
worst_share = worst_loss = 0.0
for rate in rates:
    for scene in scenes:
        folder = keep / f"{scene}-{rate}"
        folder.mkdir(parents=True, exist_ok=True)
        run = subprocess.run(
            [PROGRAM, "plan", "--show", ROOT / "demo/saltmarsh.toml", "--stand-in-gpu", "modest", "--exhaustive",
             "--source-size", size, "--footage", scene, "--footage-seconds", "1",
             "--stream-bit-rate", f"{rate} kbit/s", *([] if "--stream-frame-rate" in more else ["--stream-frame-rate", "auto"]), "--proof-seconds", "2", "--quiet", "--out", folder, *more],
            stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
        if run.returncode not in (0, 1):
            sys.exit(f"{scene} at {rate} kbit/s: {run.stderr}")
        check = json.loads((folder / "plan.json").read_text())["exhaustive"]
        print(f'{scene:<12} {rate:>6} {check["grid_trials"]:>13} {check["search_trials"]:>15} '
              f'{check["encode_share"] * 100:>11.1f} % {check["loss"]:>6.3f}   '
              f'{named(check["grid_best"])}; {named(check["search_best"])}', flush=True)
        worst_share = max(worst_share, check["encode_share"])
        worst_loss = max(worst_loss, check["loss"])
print(f"worst: {worst_share * 100:.1f} % of the grid's encode time, {worst_loss:.2f} points lost")
