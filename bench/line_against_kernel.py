#!/usr/bin/env python3
"""The send-queue model and `uplink --to` against lines that the kernel shapes (tc tbf in network namespaces).

1. Twelve made-up traces: an encode is published in real time over each, three times, for a busy machine shifts a run by
   some frames; the model predicts what is dropped and how late it gets. It is told when the kernel took each rate.
   The transport's share (pipe) is measured once, on a line of its own.
2. `uplink --to` over RTMP and over SRT, and iperf3, one after the other on the same line, at three rates.
Needs root, tc, iperf3 and a build with -DKETTLE_BENCHMARKS=ON.
usage: bench/line_against_kernel.py [SECONDS_OF_EACH_TRACE [TRACES [RUNS]]]
"""
import json
import random
import socket
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent / "build/bin"
SECONDS = int(sys.argv[1]) if len(sys.argv) > 1 else 40
TRACES = int(sys.argv[2]) if len(sys.argv) > 2 else 12
RUNS = int(sys.argv[3]) if len(sys.argv) > 3 else 3
FPS, KBPS, LIMIT = 30, 2500, 250000
PAYLOAD = 1448 / 1514  # TCP's payload of an Ethernet frame, as tbf counts it
OUT = 8  # kbit/s: tbf knows no zero
BURST = 2900  # bytes: tbf lets a bundle of packets that fits pass with the headers of one; less is lost to late timers


def run(*command, **more):
    return subprocess.run([str(word) for word in command], check=True, capture_output=True, text=True, **more).stdout


class Line:
    """A veth pair into a namespace of its own; what goes in is shaped."""

    def __init__(self, number, kbps):
        self.space, self.here, self.there = f"kl{number}", f"kh{number}", f"kt{number}"
        self.address = f"10.77.{number}.2"
        self.close()
        run("ip", "netns", "add", self.space)
        run("ip", "link", "add", self.here, "type", "veth", "peer", "name", self.there, "netns", self.space)
        run("ip", "addr", "add", f"10.77.{number}.1/24", "dev", self.here)
        run("ip", "link", "set", self.here, "up")
        run("ip", "-n", self.space, "addr", "add", f"{self.address}/24", "dev", self.there)
        run("ip", "-n", self.space, "link", "set", self.there, "up")
        run("ip", "-n", self.space, "link", "set", "lo", "up")
        self.shape("add", kbps)
        self.poke = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)

    def shape(self, verb, kbps):
        run("tc", "qdisc", verb, "dev", self.here, "root", "tbf", "rate", f"{max(OUT, round(kbps))}kbit", "burst", BURST,
            "limit", LIMIT)

    def follow(self, rates):
        """Says when the kernel really took each rate."""
        start, taken = time.monotonic(), []
        for second, kbps in enumerate(rates):
            time.sleep(max(0, start + second - time.monotonic()))
            self.shape("change", kbps)
            # tbf goes by its old rate until something comes in.
            self.poke.sendto(b".", (self.address, 9))
            taken.append((time.monotonic(), kbps))
        return taken

    def ingest(self, seconds):
        server = subprocess.Popen(["ip", "netns", "exec", self.space, str(ROOT / "kettle-ingest"), "--listen", f"{self.address}:19350",
                                   "--srt", f"{self.address}:19351", "--seconds", str(seconds)], stdout=subprocess.PIPE, text=True)
        server.stdout.readline()
        return server

    def close(self):
        subprocess.run(["ip", "netns", "del", self.space], capture_output=True)
        subprocess.run(["ip", "link", "del", self.here], capture_output=True)


def trace(number):
    """Around the encode's rate, with dips and outages that grow with the number."""
    chance = random.Random(100 + number)
    level, rates, dip = KBPS * chance.uniform(1.15, 1.6), [], 0
    for second in range(SECONDS):
        if dip == 0 and second > 4 and chance.random() < 0.04 + 0.006 * number:
            dip, depth = chance.randint(1, 5), chance.choice([0, 0.2, 0.5, 0.7])
        rate = level * (1 + chance.gauss(0, 0.04))
        if dip > 0 and second < SECONDS - 6:
            rate, dip = rate * depth, dip - 1
        rates.append(max(OUT, round(rate)))
    return rates


def publish(line, clip, seconds, answers, number):
    answers.setdefault(number, []).append(json.loads(run(ROOT / "line_model_bench", "publish", f"rtmp://{line.address}:19350/live", clip, FPS, seconds)))


def both(number, rates, clip, answers):
    line = Line(number, rates[0])
    try:
        server = line.ingest(len(rates) + 20)
        # The publisher greets for half a second before its first picture.
        thread = threading.Thread(target=publish, args=(line, clip, len(rates), answers, number))
        thread.start()
        time.sleep(0.6)
        taken = line.follow(rates)
        thread.join()
        answers[number][-1]["line"] = taken
        server.terminate()
    finally:
        line.close()


def measure(line, address, folder):
    server = line.ingest(30)
    done = subprocess.run([ROOT / "fast-kettle", "uplink", "--to", address, "--most", "100 Mbit/s", "--seconds", str(min(15, max(5, SECONDS))), "--quiet", "--preset",
                           "ultrafast", "--footage-seconds", "1", "--out", folder / "out"], capture_output=True, text=True)
    server.terminate()
    server.wait()
    # 1 is an answer too: this line carries no stream.
    if done.returncode > 1:
        sys.exit(f"uplink ended with {done.returncode}: {done.stderr}")
    return json.loads((folder / "out/uplink.json").read_text())["ingests"][0]


with tempfile.TemporaryDirectory() as folder:
    folder = Path(folder)
    run(ROOT / "fast-kettle", "footage", "render", "start-line", "--size", "640x360", "--frame-rate", FPS, "--seconds", 10, "--out",
        folder / "s.y4m", "--quiet")
    clip = folder / "clip.mkv"
    run("x264", "--quiet", "--preset", "superfast", "--bitrate", KBPS, "--vbv-maxrate", KBPS, "--vbv-bufsize", KBPS, "--keyint", 2 * FPS,
        "--min-keyint", 2 * FPS, "--scenecut", 0, "-o", clip, folder / "s.y4m")

    # What the transport holds: on a line of half the encode's rate its queue is never empty.
    answers = {}
    both(40, [KBPS / 2] * 10, clip, answers)
    pipe, trip = answers[40][0]["pipe_bytes"], answers[40][0]["round_trip_ms"]
    print(f"the transport holds {pipe / 1000:.0f} kB of a full line; round trip {trip:.2f} ms")

    threads = []
    rates = {number: trace(number) for number in range(1, TRACES + 1)}
    for number in list(rates) * RUNS:
        threads.append(threading.Thread(target=both, args=(number, rates[number], clip, answers)))
        threads[-1].start()
        time.sleep(0.2)
        if number % 4 == 0:
            for thread in threads:
                thread.join()
    for thread in threads:
        thread.join()
    # Each run is held against the line as it was in that run; a trace counts by the median of its runs' errors.
    print("trace  frames   dropped, predicted   error   peak delay, predicted    error   within")
    good = 0
    for number in rates:
        runs = []
        for real in answers[number]:
            csv = folder / f"{number}.csv"
            points = [(max(0, at - real["start_seconds"]), rate) for at, rate in real["line"]]
            points[0] = (0, points[0][1])
            csv.write_text("".join(f"{at:.4f},{rate}\n" for at, rate in points if at < SECONDS))
            told = json.loads(run(ROOT / "line_model_bench", "predict", csv, clip, FPS, SECONDS, PAYLOAD, pipe, trip, BURST))
            runs.append((abs(real["dropped"] - told["dropped"]), abs(told["peak_delay_ms"] / real["peak_delay_ms"] - 1), real, told))
        drops, delay = (statistics.median(run_[column] for run_ in runs) for column in (0, 1))
        real, told = sorted(runs, key=lambda run_: run_[0])[RUNS // 2][2:]
        within = drops <= max(3, 0.05 * real["dropped"]) and delay <= 0.1
        good += within
        print(f'{number:>5} {real["frames"]:>7} {real["dropped"]:>9} {told["dropped"]:>10} {drops:>7.0f}'
              f' {real["peak_delay_ms"]:>10.0f} ms {told["peak_delay_ms"]:>7.0f} ms {delay * 100:>7.1f} %   {"yes" if within else "NO"}')
    print(f"within 5 % or 3 frames, and 10 % of the delay: {good} of {TRACES}")
    print(run(ROOT / "line_model_bench", "speed", ROOT.parent.parent / "demo/lines/evening.csv", clip, FPS).strip())

    print("\nline      uplink --to   with headers   of the line   over SRT, with headers   of the line   iperf3   RTMP over iperf3")
    for number, kbps in enumerate([3000, 8000, 20000][:TRACES], 50):
        line = Line(number, kbps)
        try:
            ratios = []
            for _ in range(RUNS):
                report = measure(line, f"rtmp://{line.address}:19350/live", folder)
                srt = measure(line, f"srt://{line.address}:19351", folder)
                server = subprocess.Popen(["ip", "netns", "exec", line.space, "iperf3", "-s", "-1"], stdout=subprocess.DEVNULL)
                time.sleep(0.5)
                end = json.loads(run("iperf3", "-c", line.address, "-t", min(12, SECONDS), "-O", 2, "-J"))["end"]["sum_received"]
                server.wait()
                ratios.append((report["sustained_kbps"], report["line_kbps"], srt["line_kbps"], end["bits_per_second"] / 1000))
            own, whole, srt, theirs = (statistics.median(column) for column in zip(*ratios))
            print(f"{kbps:>5} k {own:>13.0f} {whole:>14.0f} {whole / kbps * 100:>11.1f} % {srt:>23.0f} {srt / kbps * 100:>11.1f} %"
                  f" {theirs:>8.0f} {own / theirs:>12.3f}", flush=True)
        finally:
            line.close()
