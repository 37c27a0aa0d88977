#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# What survey says against public tools on the same machine: the topology against hwloc's own, and the write rate of a
# folder against fio's with the same method (1 MiB of fresh data at a time, fdatasync after every 16), in pairs of
# alternating order.
#   bench/survey_against_tools.sh [FOLDER] [PAIRS]        needs: ./dev build, packages fio and hwloc-nox
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
folder=${1:-/var/tmp}
pairs=${2:-7}
for tool in fio hwloc-calc; do
  command -v $tool >/dev/null || { echo "install the packages fio and hwloc-nox" >&2; exit 2; }
done
scratch=$(mktemp -d)
trap 'rm -rf "$scratch" "$folder/fio-kettle"' EXIT

ours() {
  build/bin/fast-kettle survey --quiet --json --recording-folder "$folder" --out "$scratch/out" >"$scratch/survey.json"
  python3 -c 'import json; print(json.load(open("'"$scratch"'/survey.json"))["disk"]["write_rate"]["mean_bytes_per_second"] / 1e6)'
}
theirs() {
  fio --name=kettle --filename="$folder/fio-kettle" --rw=write --bs=1M --fdatasync=16 --refill_buffers --size=2G \
    --runtime=3 --ioengine=psync --output-format=json |
    python3 -c 'import json,sys; print(json.load(sys.stdin)["jobs"][0]["write"]["bw_bytes"] / 1e6)'
  rm -f "$folder/fio-kettle"
}

ours >/dev/null
echo "topology: survey, hwloc"
python3 - "$scratch/survey.json" <<'PY'
import json, subprocess, sys
processor = json.load(open(sys.argv[1]))["machine"]["processor"]
caches = {}
for group in processor["caches"]:
    if group["kind"] != "instruction":
        caches[group["level"]] = caches.get(group["level"], 0) + group["count"]
def count(kind):
    return int(subprocess.check_output(["hwloc-calc", "--number-of", kind, "all"]))
rows = [("packages", processor["packages"], count("package")), ("cores", processor["cores"], count("core")),
        ("threads", processor["threads"], count("pu"))]
rows += [(f"L{level} caches", n, count(f"l{level}cache")) for level, n in sorted(caches.items())]
for name, ours, hwloc in rows:
    print(f"  {name:<10} {ours:>4} {hwloc:>4} {'' if ours == hwloc else 'DIFFERENT'}")
PY

echo "write rate of $folder, MB/s"
printf '%6s %10s %10s %8s\n' pair survey fio ratio
for i in $(seq "$pairs"); do
  if [ $((i % 2)) -eq 1 ]; then a=$(ours); b=$(theirs); else b=$(theirs); a=$(ours); fi
  awk -v i="$i" -v a="$a" -v b="$b" 'BEGIN { printf "%6d %10.1f %10.1f %8.4f\n", i, a, b, a / b }' | tee -a "$scratch/ratios"
done
awk '{ print $4 }' "$scratch/ratios" | sort -n | awk '{ r[NR] = $1 } END { m = NR % 2 ? r[(NR + 1) / 2] : (r[NR / 2] + r[NR / 2 + 1]) / 2; printf "median ratio, survey over fio: %.4f\n", m }'
