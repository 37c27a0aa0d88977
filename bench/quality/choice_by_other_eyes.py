#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Is the picture that a plan would choose the one that other eyes would choose?

For each case (footage, bit rate, preset) everything that a plan could try is encoded, all sizes and frame rates. The
program's choice by its own score of the pictures that it samples is compared with the best by the reference program of
SSIMULACRA 2, on pictures that were not sampled; the sizes' order at the full frame rate with PSNR, SSIM and VIF (of
libavfilter) and Butteraugli (of libjxl). A lower frame rate takes the same share of every picture's score, by the
program's model: none of the others sees motion.

Needs ssimulacra2 and butteraugli_main of Debian 13's libjxl-devtools, and ffmpeg. REFERENCE is the command before both
programs' names; "" if they are on the PATH.
usage: bench/quality/choice_by_other_eyes.py FOLDER REFERENCE CASE...     CASE: FOOTAGE,WIDTHxHEIGHT,RATE,KBPS,PRESET[,SECONDS]
"""
import json
import random
import re
import statistics
import subprocess
import sys
from collections import defaultdict
from itertools import combinations
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
PICTURES, MORE = 4, 16  # of each stretch: of all encodes, and of those that may be the best
NEAR = 6  # points below the best by those: may be the best by more of them
# How far short of its own best a metric must find the chosen size to prefer another one strongly.
STRONGLY = {"psnr": 0.5, "ssim": 0.005, "vif": 0.02, "butteraugli": 0.2}


def output_of(command):
    return subprocess.run(command, check=True, capture_output=True, text=True)


def extract(file, pictures, size, pattern):
    """Pictures as RGB, scaled to the viewing size as a player would, into files numbered from 1."""
    width, height = size.split("x")
    chosen = "+".join(f"eq(n\\,{n})" for n in pictures)
    output_of(["ffmpeg", "-v", "error", "-y", "-i", file, "-vf",
               f"select={chosen},scale={width}:{height}:flags=bicubic:in_color_matrix=bt709,format=rgb24",
               "-fps_mode", "passthrough", pattern])
    return [str(pattern) % (i + 1) for i in range(len(pictures))]


def filters(encode, size):
    """Means of PSNR, SSIM and VIF, on luma, of every tenth picture."""
    width, height = size.split("x")
    every = "select=not(mod(n\\,10)),setpts=N/TB/10"
    graph = (f"[0:v]{every},scale={width}:{height}:flags=bicubic,split=3[a][b][c];[1:v]{every},split=3[d][e][f];"
             "[a][d]psnr[x];[b][e]ssim[y];[c][f]vif[z];[x]nullsink;[y]nullsink;[z]null")
    said = output_of(["ffmpeg", "-v", "info", "-i", encode["encode"], "-i", encode["footage"], "-filter_complex", graph,
                      "-f", "null", "-"]).stderr
    number = r"([\d.]+)"
    return {"psnr": float(re.search(r"PSNR y:" + number, said)[1]),
            "ssim": float(re.search(r"SSIM Y:" + number, said)[1]),
            "vif": float(re.search(r"VIF scale=0 average:" + number, said)[1])}


def fps(text):
    top, _, bottom = text.partition("/")
    return float(top) / float(bottom or 1)


def fresh_pictures(encodes):
    """Numbers of pictures of encodes of one frame rate that no score used: a few for all, more for the best, the rest.

    One by chance from each part of the stretch: encoders repeat themselves from group to group.
    """
    count = encodes[0]["quality"]["frames"]
    used = set().union(*(e["quality"]["scored_pictures"] for e in encodes))
    chance = random.Random(count)

    def spread(parts, taken):
        chosen = []
        for part in range(parts):
            fresh = [n for n in range(part * count // parts, (part + 1) * count // parts) if n not in taken]
            if fresh:
                chosen.append(chance.choice(fresh))
        return chosen

    few = spread(PICTURES, used)
    more = spread(MORE, used | set(few))
    return few, more, sorted(set(range(count)) - used - set(few) - set(more))


def ask_reference(case_folder, encodes, pictures, size, rate, reference):
    """Adds the reference program's scores of those pictures of encodes of one stretch and frame rate."""
    divisor = round(rate / fps(encodes[0]["frame_rate"]))
    sources = extract(encodes[0]["footage"], [n * divisor for n in pictures], size, case_folder / "source-%d.ppm")
    for e in encodes:
        coded = extract(e["encode"], pictures, size, case_folder / "coded-%d.ppm")
        e["reference_pictures"] = e.get("reference_pictures", []) + [
            float(output_of([*reference("ssimulacra2"), *pair]).stdout.split()[-1]) for pair in zip(sources, coded)]
        mean = statistics.mean(e["reference_pictures"])
        e["reference"] = mean * e["quality"]["frame_rate_share"] if mean > 0 else mean
        if divisor == 1 and "butteraugli" not in e:
            said = output_of([*reference("butteraugli_main"), sources[-1], coded[-1]]).stdout
            e["butteraugli"] = -float(re.search(r"3-norm: ([\d.]+)", said)[1])
            e.update(filters(e, size))


def judge(case_folder, encodes, size, rate, reference):
    """Adds what the others say to each encode, more thoroughly of those that may be the best."""
    groups = defaultdict(list)
    for e in encodes:
        groups[e["stretch"], e["frame_rate"]].append(e)
    for group in groups.values():
        ask_reference(case_folder, group, fresh_pictures(group)[0], size, rate, reference)
    means = joined(encodes, "reference")
    near = {picture for picture, mean in means.items() if mean > max(means.values()) - NEAR}
    near.add(best(joined(encodes, "score")))
    for group in groups.values():
        some = [e for e in group if (e["size"], e["frame_rate"]) in near]
        if some:
            ask_reference(case_folder, some, fresh_pictures(group)[1], size, rate, reference)
    # Where the program chose another one: those two by every picture that was not sampled.
    rivals = {best(joined(encodes, "score")), best(joined(encodes, "reference"))}
    for group in groups.values():
        some = [e for e in group if (e["size"], e["frame_rate"]) in rivals]
        if len(rivals) > 1 and some:
            ask_reference(case_folder, some, fresh_pictures(group)[2], size, rate, reference)


def measured(folder, case, reference):
    """All encodes of a case, judged; kept in the folder."""
    source, size, rate, kbps, preset, *seconds = case.split(",")
    case_folder = folder / f"{Path(source).stem}-{kbps}-{preset}"
    result = case_folder / "encodes.json"
    if not result.exists():
        case_folder.mkdir(parents=True, exist_ok=True)
        lines = output_of([ROOT / "build/bin/encode_pictures", source, size, rate, kbps, preset, case_folder, *seconds]).stdout
        encodes = [json.loads(line) for line in lines.splitlines()]
        judge(case_folder, encodes, size, float(rate), reference)
        result.write_text(json.dumps(encodes))
    return json.loads(result.read_text())


def joined(encodes, key):
    """By size and frame rate: the mean over the stretches."""
    values = defaultdict(list)
    for e in encodes:
        if key in e:
            values[e["size"], e["frame_rate"]].append(e[key])
    return {picture: statistics.mean(v) for picture, v in values.items()}


def kendall(a, b):
    pairs = list(combinations(a, 2))
    agree = sum(1 if (a[x] - a[y]) * (b[x] - b[y]) > 0 else -1 for x, y in pairs)
    return agree / len(pairs)


def best(values):
    return max(values, key=values.get)


def main():
    if len(sys.argv) < 4:
        sys.exit(__doc__)
    folder, before = Path(sys.argv[1]), sys.argv[2].split()
    prefix, where = before[:-1], before[-1] if before else ""
    reference = lambda name: [*prefix, where + name]
    print(f"{'case':<44}{'chosen':>14}{'best':>14}{'short by':>9}   "
          f"tau: reference psnr ssim vif butteraugli   prefer another size strongly")
    worst = 0.0
    for case in sys.argv[3:]:
        encodes = measured(folder, case, reference)
        own, other = joined(encodes, "score"), joined(encodes, "reference")
        chosen, top = best(own), best(other)
        short = other[top] - other[chosen]
        worst = max(worst, short)
        full = [p for p in own if p[1] == encodes[0]["frame_rate"]]
        sizes = {p: own[p] for p in full}
        taus, strongly = [kendall(sizes, {p: other[p] for p in full})], []
        for metric, much in STRONGLY.items():
            values = joined(encodes, metric)
            taus.append(kendall(sizes, values))
            if values[best(values)] - values[best(sizes)] > much:
                strongly.append(f"{metric} {best(values)[0]} not {best(sizes)[0]}")
        for stretch in ("busiest", "calmest"):
            of_one = [e for e in encodes if e["stretch"] == stretch]
            if of_one and len(of_one) < len(encodes):
                alone = best(joined(of_one, "score"))
                if alone != chosen:
                    strongly.append(f"[by the {stretch} alone: {' at '.join(alone)}]")
        source, _, _, kbps, preset, *_ = case.split(",")
        print(f"{Path(source).stem + ', ' + kbps + ' kbit/s, ' + preset:<44}{' at '.join(chosen):>14}"
              f"{' at '.join(top):>14}{short:>9.2f}   " + " ".join(f"{t:>6.2f}" for t in taus) + "   "
              + "; ".join(strongly), flush=True)
    print(f"worst: {worst:.2f} points short of the best")


main()
