#!/usr/bin/env bash
# What measuring quality costs: beside libavfilter's filters, and beside the encode that it judges.
#   bench/quality/cost.sh [REPEATS [SECONDS]]
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
repeats=${1:-7} seconds=${2:-6}
clip_seconds=$((seconds < 2 ? seconds : 2))
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
program=build/bin/fast-kettle
for scene in start-line open-water harbour; do
  $program footage render "$scene" --size 1280x720 --frame-rate 60 --seconds "$clip_seconds" --out "$folder/$scene.y4m" --quiet >/dev/null
  x264 --quiet --preset veryfast --bitrate 4500 --vbv-maxrate 4500 --vbv-bufsize 4500 --keyint 120 --dump-yuv "$folder/d.yuv" \
    -o "$folder/e.mkv" "$folder/$scene.y4m" 2>/dev/null
  python3 - "$folder" <<'P'
import sys
folder = sys.argv[1]
raw = open(f"{folder}/d.yuv", "rb").read()
size = 1280 * 720 * 3 // 2
with open(f"{folder}/d.y4m", "wb") as out:
    out.write(b"YUV4MPEG2 W1280 H720 F60:1 Ip A1:1 C420jpeg\n")
    for i in range(len(raw) // size):
        out.write(b"FRAME\n" + raw[i * size:(i + 1) * size])
P
  echo "== $scene"
  build/bin/quality_against_filters "$folder/$scene.y4m" "$folder/d.y4m" "$repeats" | tee "$folder/$scene.txt"
done
# Wall time on the same two processors for each: of the metrics of decoded pictures alone, and of the whole worker that
# decodes, scales and compares.
$program bench --footage start-line --footage open-water --footage harbour --encoder x264 --preset veryfast --size 1280x720 \
  --frame-rate 60 --bit-rate "4500 kbit/s" --footage-seconds "$seconds" --repeats 1 --quiet --out "$folder/out" >/dev/null
python3 - "$folder/out" <<'P'
import json
import re
import sys
for trial in json.load(open(sys.argv[1] + '/bench.json'))["trials"]:
    t, n = trial["timing"], trial["frames"]
    text = open(f'{sys.argv[1]}/../{trial["footage"]}.txt').read()
    metrics = float(re.search(r"fast; ([0-9.]+) ms a frame", text)[1]) / 1000
    print(f'{trial["footage"]:<12} over x264 veryfast\'s time: the metrics {metrics * trial["throughput_fps"]:.2f}, '
          f'with decoding and the worker\'s start {t["quality_seconds"] / n * trial["throughput_fps"]:.2f}')
P
