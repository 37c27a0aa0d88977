#!/usr/bin/env python3
"""The search against the whole grid: encode time and loss of quality, on each scene at three bit rates.

Runs `plan --exhaustive` on the demo's show. Takes about five minutes a run; one scene and one bit rate can be
named: bench/search_against_grid.py [SCENE [KBPS]]
"""
import json
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PROGRAM = ROOT / "build/bin/fast-kettle"
scenes = sys.argv[1:2] or ["start-line", "open-water", "harbour"]
rates = [int(rate) for rate in sys.argv[2:3]] or [1000, 2000, 3500]

print("scene        kbit/s   grid trials   search trials   encode time   loss    grid's best, search's best", flush=True)
worst_share = worst_loss = 0.0
for scene in scenes:
    for rate in rates:
        with tempfile.TemporaryDirectory() as folder:
            run = subprocess.run(
                [PROGRAM, "plan", "--show", ROOT / "demo/saltmarsh.toml", "--stand-in-gpu", "modest", "--exhaustive",
                 "--footage", scene, "--footage-seconds", "1", "--stream-bit-rate", f"{rate} kbit/s",
                 "--proof-seconds", "2", "--quiet", "--out", folder],
                stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
            plan = Path(folder) / "plan.json"
            if run.returncode not in (0, 1) or not plan.exists():
                sys.exit(f"{scene} at {rate} kbit/s: {run.stderr}")
            check = json.loads(plan.read_text())["exhaustive"]

        def named(best):
            return f'{best["encoder"]} {best["preset"]} {best["size"]} {best["frame_rate"]} {best["score_db"]:.2f}' if best else "none"

        print(f'{scene:<12} {rate:>6} {check["grid_trials"]:>13} {check["search_trials"]:>15} '
              f'{check["encode_share"] * 100:>11.1f} % {check["loss_db"]:>6.3f}   '
              f'{named(check["grid_best"])}; {named(check["search_best"])}', flush=True)
        worst_share = max(worst_share, check["encode_share"])
        worst_loss = max(worst_loss, check["loss_db"])
print(f"worst: {worst_share * 100:.1f} % of the grid's encode time, {worst_loss:.3f} dB MS-SSIM lost")
