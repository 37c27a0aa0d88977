#!/usr/bin/env python3
"""Shows at random around the edge of what this machine can do: does a plan that says "holds" hold, and does what is
called overload overload?

Each show is planned under its load and the plan rehearsed under it. Of an overload, what came nearest is rehearsed.
Frames that an encoder skipped while the hypervisor or another program had taken the processors are told apart, as the
diagnosis tells them. How to record is left to the plan, half of them with HEVC, AV1 and VP9 allowed; what the stream gives for it is told. Up to three
destinations accept various codecs, and each has a simulated ingest in the rehearsal. A "holds" that lost none but such is rehearsed once more: both rows are printed, the second counts.
usage: bench/random_shows.py [SHOWS [SECONDS [SEED [FIRST]]]]
"""
import json
import math
import random
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

BUILD = Path(__file__).resolve().parent.parent / "build"
PROGRAM = BUILD / "bin/fast-kettle"
SHOWS = int(sys.argv[1]) if len(sys.argv) > 1 else 40
SECONDS = int(sys.argv[2]) if len(sys.argv) > 2 else 60
SEED = int(sys.argv[3]) if len(sys.argv) > 3 else 1
FIRST = int(sys.argv[4]) if len(sys.argv) > 4 else 1
CORES = len([line for line in open("/proc/stat") if line.startswith("cpu") and line[3] != " "])


def load_profile(chance, mean):
    """A game's minute: a steady part, and bursts of one to three seconds that take up to half as much again."""
    samples, until, factor = [], 0, 1.0
    for i in range(300):
        if i >= until:
            factor = chance.uniform(1.2, 1.5) if chance.random() < 0.15 else chance.uniform(0.8, 1.0)
            until = i + chance.randint(5, 15)
        samples.append([round(min(1.0, max(0.0, mean / CORES * factor * chance.uniform(0.9, 1.1))), 3) for _ in range(CORES)])
    return {"schema": "fast-kettle/load/1", "interval_seconds": 0.2, "memory_share": 0, "programs": [{"name": "game", "cores": mean}], "duty": samples}


def draw(chance):
    rate = chance.choice([30, 60])
    # Pixels a second of each encode, from well within what two of the fastest presets can do to well beyond.
    pixels = 1e6 * math.exp(chance.uniform(math.log(LEAST), math.log(MOST)))
    height = max(180, round(math.sqrt(pixels / rate * 9 / 16) / 18) * 18)
    width = height * 16 // 9
    gpu = "modest" if chance.random() < 0.25 else None
    return {"size": f"{width}x{height}", "rate": rate, "game": round(chance.uniform(0.1, 0.45) * CORES, 2), "gpu": gpu,
            "footage": chance.choice(["start-line", "open-water", "harbour"]), "kbps": int(width * height * rate * 0.08 / 1000),
            "modern": chance.random() < 0.5, "by_rate": chance.random() < 0.5,
            "places": [chance.choice(CODECS) for _ in range(chance.randint(0, 3))]}


CODECS = [["h264"], ["h264", "hevc"], ["h264", "hevc", "av1"]]  # that a destination may accept
LEAST, MOST = 25, 110  # megapixels a second


def plan(show, folder):
    (folder / "game.load.json").write_text(json.dumps(load_profile(random.Random(str(show)), show["game"])))
    for number, codecs in enumerate(show["places"]):
        (folder / f"place-{number}.toml").write_text(f'name = "Place {number}"\ncodecs = {json.dumps(codecs)}\n')
    places = [f"place-{number}.toml" for number in range(len(show["places"]))]
    device = lambda key: f'device = "{show[key]}"' if key in show else ""
    quality = f'bit_rate = "{show["kbps"] * 3} kbit/s"' if show["by_rate"] else 'quality = "archive"'
    (folder / "show.toml").write_text(f'''title = "A show at random"
[picture]
source_size = "{show["size"]}"
frame_rate = "{show["rate"]}"
footage = ["{show["footage"]}"]
[stream]
size = "{show["size"]}"
frame_rate = "{show["rate"]}"
bit_rate = "{show["kbps"]} kbit/s"
destinations = {json.dumps(places)}
{device("stream_device")}
[recording]
{device("recording_device")}
plays = "{"modern" if show["modern"] else "anywhere"}"
{quality}
[load]
profile = "game.load.json"
''')
    options = ["--show", folder / "show.toml", "--footage-seconds", "1", "--proof-seconds", "10"]
    gpu = ["--stand-in-gpu", show["gpu"]] if show["gpu"] else []
    run = subprocess.run([PROGRAM, "plan", *options, *gpu, "--quiet", "--out", folder / "plan"], capture_output=True, text=True)
    if run.returncode not in (0, 1):
        raise RuntimeError(run.stderr)
    return json.loads((folder / "plan/plan.json").read_text())


def fastest(show, made):
    """What is rehearsed of an overload: the last pair proven, or x264's fastest presets as the trials had them."""
    trial = {}
    for entry in json.loads((Path(made["folder"]) / "plan/bench.json").read_text())["trials"]:
        settings = entry["settings"]
        if settings["encoder"] == "x264" and settings["preset"] == "ultrafast" and settings["bit_rate_kbps"] > 0:
            trial["recording" if settings["bit_rate_kbps"] > show["kbps"] * 1.5 else "stream"] = settings
    stream = trial["stream"]
    recording = trial.get("recording", {**stream, "bit_rate_kbps": show["kbps"] * 3, "maximum_bit_rate_kbps": show["kbps"] * 4.5})
    return stream, recording


def rehearse(show, made, folder, simulated_game=False):
    if not made["stream"]:
        if made["attempts"]:
            stream, recording = (made["attempts"][-1]["pair"][role]["settings"] for role in ("stream", "recording"))
        else:
            stream, recording = fastest(show, {"folder": folder})
        placed = lambda settings: {**settings, "device": "gpu" if "nvenc" in settings["encoder"] else "cpu", "simulated": "nvenc" in settings["encoder"]}
        made = {**made, "stream": placed(stream), "recording": placed(recording)}
        (folder / "plan/plan.json").write_text(json.dumps(made))
    gpu = ["--stand-in-gpu", show["gpu"]] if show["gpu"] else []
    game = ["--stand-in-game", str(show["game"])] if simulated_game else ["--load", folder / "game.load.json"]
    run = subprocess.run([PROGRAM, "rehearse", folder / "plan/plan.json", "--seconds", str(SECONDS), *game, *gpu,
                          "--quiet", "--out", folder / "rehearsal"], capture_output=True, text=True)
    if run.returncode not in (0, 1):
        raise RuntimeError(run.stderr)
    return json.loads((folder / "rehearsal/rehearsal.json").read_text())


def recorded(made):
    """How the recording is made, and the points that the stream gave for it (of its score alone)."""
    taken = [point for point in made["trade"] if point["taken"]]
    if not taken or not made["stream"]:
        return "-", "-"
    way = "the stream's" if taken[0]["one_encode"] else f'{taken[0]["size"]}@{taken[0]["rate"]}'
    if taken[0]["codec"] != "h264":
        way += " " + taken[0]["codec"]
    alone = [point["stream_score"] for point in made["trade"] if point["one_encode"]]
    return way, f'{max(0, alone[0] - taken[0]["stream_score"]) if alone else 0:.1f}'


def lost(rehearsal):
    """Frames that the encoders skipped, and of them those that the diagnosis puts down to others on this host."""
    total = disturbed = 0
    for stretch in rehearsal["diagnosis"]["stretches"]:
        if not stretch["loss"].startswith("skipped"):
            continue
        total += stretch["frames"]
        if stretch["cause"] in ("the hypervisor", "another program"):
            disturbed += stretch["frames"]
    return total, disturbed


def main():
    chance = random.Random(SEED)
    shows = [draw(chance) for _ in range(SHOWS)]
    print(f'{"":>3} {"show":<45} {"predicted":>9} {"room":>5} {"verdict":<9} {"lost":>5} {"disturbed":>9} {"of":>5} {"stolen":>6}  {"plan":>5}  {"recording":<18} {"gives":>5}  causes', flush=True)
    rows = []
    for number, show in list(enumerate(shows, 1))[FIRST - 1:]:
        with tempfile.TemporaryDirectory() as folder:
            folder = Path(folder)
            start = time.time()
            made = plan(show, folder)
            planned = time.time() - start
            for _ in range(2):
                rehearsal = rehearse(show, made, folder)
                total, disturbed = lost(rehearsal)
                tell(number, show, made, planned, rehearsal)
                if made["verdict"] == "holds" and total:  # to be looked at
                    shutil.copytree(folder / "rehearsal", Path(tempfile.gettempdir()) / f"random-show-{number}-lost", dirs_exist_ok=True)
                if made["verdict"] != "holds" or total == 0 or total > disturbed:
                    break
        rows.append((made["verdict"], total, disturbed))
    for verdict in ("holds", "tight", "overload"):
        of = [row for row in rows if row[0] == verdict]
        kept = sum(row[1] == 0 for row in of)
        disturbed = sum(row[1] > 0 and row[1] == row[2] for row in of)
        print(f"{verdict}: {len(of)} plans, {kept} lost no frame to the encoders, {disturbed} only while others had taken the processors")


def tell(number, show, made, planned, rehearsal):
    total, disturbed = lost(rehearsal)
    timeline = rehearsal["outcome"]["timeline"]
    stolen = sum(second["stolen_cores"] for second in timeline) / len(timeline)
    last = made["attempts"][-1] if made["attempts"] else None
    name = f'{show["size"]} at {show["rate"]}, {show["footage"]}, game {show["game"]}{", GPU" if show["gpu"] else ""}'
    predicted = f'{last["pair"]["demand"]["cpu_cores"]:.2f}' if last else "-"
    room = f'{last["room"]:.2f}' if last else "-"
    way, gives = recorded(made)
    causes = "; ".join(f'{cure["cause"]} {cure["frames"]}' for cure in rehearsal["diagnosis"]["cures"])
    if made["verdict"] == "holds" and total:
        causes += "".join(f'\n    {stretch["from_seconds"]:.0f} s: {stretch["loss"]} {stretch["frames"]}, {stretch["why"]["text"]}'
                          for stretch in rehearsal["diagnosis"]["stretches"])
    print(f'{number:>3} {name:<45} {predicted:>9} {room:>5} {made["verdict"]:<9} {total:>5} {disturbed:>9} '
          f'{rehearsal["stream"]["frames"]:>5} {stolen:>6.2f}  {planned:>4.0f}s  {way:<18} {gives:>5}  {causes}', flush=True)


if __name__ == "__main__":
    main()
