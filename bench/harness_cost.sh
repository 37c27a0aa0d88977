#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# What measuring costs: a trial's throughput against the x264 package's own command line, on the same
# Y4M file with the same preset and settings. Pairs in alternating order; the median of their ratios is
# printed last. Also the discarding encoder: the harness's own limit.
#   bench/harness_cost.sh [PRESET] [PAIRS]        needs: ./dev build, package x264
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
preset=${1:-veryfast}
pairs=${2:-7}
kbps=3000
command -v x264 >/dev/null || { echo "install the package x264" >&2; exit 2; }

scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
export XDG_CACHE_HOME=$scratch
# A bench of one quick trial leaves the footage in the cache.
build/bin/fast-kettle bench --quiet --repeats 1 --show demo/saltmarsh.toml --footage start-line --footage-seconds 5 \
  --encoder x264 --preset ultrafast --out "$scratch/out" >/dev/null
y4m=$(ls "$scratch"/fast-kettle/start-line-*.y4m)

# The throughput of one trial, in frames a second, from the worker that runs it.
trial() {
  python3 - "$1" "$2" "$y4m" "$kbps" "$scratch/out/bench.json" <<'PY' | build/libexec/fast-kettle/kettle-engine worker | tail -n 1 |
import json, sys
encoder, preset, y4m, kbps, bench = sys.argv[1:]
# What a trial is asked for grows with the program: as it was just asked, but for these.
settings = json.load(open(bench))["trials"][0]["settings"]
settings.update(encoder=encoder, preset=preset, size="960x540", frame_rate="60", rate_control="constant bit rate",
                bit_rate_kbps=int(kbps), maximum_bit_rate_kbps=int(kbps), buffer_seconds=1, keyframe_seconds=2)
print(json.dumps(dict(task="encode", stand_in_gpu=None,
                      arguments=dict(settings=settings, footage=y4m, longest_seconds=600, output="", least_fps=0,
                                     look_at_speed=False, usual_reference_seconds=0))))
PY
    python3 -c 'import json,sys; a=json.load(sys.stdin); r=a.get("result") or sys.exit(f"the worker answers: {a}"); print(r["frames"] / r["seconds"])'
}
command_line() {
  x264 --preset "$preset" --profile high --fps 60 --bitrate $kbps --vbv-maxrate $kbps --vbv-bufsize $kbps --nal-hrd vbr \
    --keyint 120 --scenecut 0 --colorprim bt709 --transfer bt709 --colormatrix bt709 -o "$scratch/x.mkv" "$y4m" 2>&1 |
    sed -n 's/^encoded .* frames, \([0-9.]*\) fps.*/\1/p'
}

echo "x264 $preset, 960x540 at 60, $kbps kbit/s, 300 frames; frames a second"
printf '%6s %12s %12s %8s\n' pair trial x264 ratio
for i in $(seq "$pairs"); do
  if [ $((i % 2)) -eq 1 ]; then ours=$(trial x264 "$preset"); theirs=$(command_line); else theirs=$(command_line); ours=$(trial x264 "$preset"); fi
  awk -v i="$i" -v a="$ours" -v b="$theirs" 'BEGIN { printf "%6d %12.2f %12.2f %8.4f\n", i, a, b, a / b }' | tee -a "$scratch/ratios"
done
for _ in 1 2 3; do trial discard none; done | sort -n | sed -n 2p | awk '{ printf "the discarding encoder: %.0f frames a second\n", $1 }'
awk '{ print $4 }' "$scratch/ratios" | sort -n | awk '{ r[NR] = $1 } END { m = NR % 2 ? r[(NR + 1) / 2] : (r[NR / 2] + r[NR / 2 + 1]) / 2; printf "median ratio, trial over x264: %.4f\n", m }'
