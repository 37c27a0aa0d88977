#!/usr/bin/env python3
"""The plan's pair of stream and recording against the best of all pairs, on shows at random.

Each show leaves open how to stream and how to record; `plan --all-pairs` measures every preset at every picture for
both, weighs all pairs, and then plans on the same trials. Told: what the plan's pair, before it is proven, looks worse.
usage: bench/pairs_against_all.py [SHOWS [SEED [LEAST_LINES MOST_LINES]]]
"""
import json
import random
import subprocess
import sys
import tempfile
from pathlib import Path

PROGRAM = Path(__file__).resolve().parent.parent / "build/bin/fast-kettle"
SHOWS = int(sys.argv[1]) if len(sys.argv) > 1 else 6
SEED = int(sys.argv[2]) if len(sys.argv) > 2 else 1
LEAST, MOST = (int(sys.argv[3]), int(sys.argv[4])) if len(sys.argv) > 4 else (270, 432)


def draw(chance):
    height = chance.randrange(LEAST, MOST + 1, 18)
    rate = chance.choice([30, 60])
    pixels = height * (height * 16 // 9) * rate
    return {"size": f"{height * 16 // 9 // 2 * 2}x{height}", "rate": rate, "scene": chance.choice(["start-line", "open-water", "harbour"]),
            "kbps": int(pixels * chance.choice([0.05, 0.1, 0.2]) / 1000), "headroom": chance.choice([0.2, 0.4, 0.6])}


def named(pair):
    if not pair:
        return "none"
    told = lambda option: f'{option["settings"]["preset"]} {option["settings"]["size"]}@{option["settings"]["frame_rate"]} {option["score"]:.1f}'
    return told(pair["stream"]) + (", recorded as it is" if pair["one_encode"] else " + " + told(pair["recording"]))


def main():
    chance = random.Random(SEED)
    print(f'{"show":<36} {"kbit/s":>6} {"trials":>6} {"pairs":>6} {"stream":>6} {"recording":>9}   best of all; the plan\'s', flush=True)
    worst = [0.0, 0.0]
    for _ in range(SHOWS):
        show = draw(chance)
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "show.toml").write_text('title = "A show at random"\n')
            run = subprocess.run(
                [PROGRAM, "plan", "--show", Path(folder) / "show.toml", "--all-pairs", "--source-size", show["size"], "--frame-rate", str(show["rate"]), "--footage", show["scene"],
                 "--footage-seconds", "1", "--stream-bit-rate", f'{show["kbps"]} kbit/s', "--recording-bit-rate", f'{show["kbps"] * 3} kbit/s',
                 "--headroom", str(show["headroom"]), "--proof-seconds", "3", "--quiet", "--out", Path(folder) / "plan"], capture_output=True, text=True)
            if run.returncode not in (0, 1):
                sys.exit(run.stderr)
            check = json.loads((Path(folder) / "plan/plan.json").read_text())["all_pairs"]
        name = f'{show["size"]} at {show["rate"]}, {show["scene"]}, {show["headroom"]:.0%} free'
        print(f'{name:<36} {show["kbps"]:>6} {check["trials"]:>6} {check["pairs"]:>6} {check["stream_loss"]:>6.1f} {check["recording_loss"]:>9.1f}   '
              f'{named(check["best"])}; {named(check["plans"])}', flush=True)
        worst = [max(worst[0], check["stream_loss"]), max(worst[1], check["recording_loss"])]
    print(f"worst: the stream {worst[0]:.1f} points, the recording {worst[1]:.1f}")


if __name__ == "__main__":
    main()
