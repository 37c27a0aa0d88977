#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Runs every script and program here for some seconds, as small as it goes: it must run to its end and print a result.
# What it prints is no measurement. Fails if one does, or if one is not in the list below.
#   bench/smoke.sh        needs: a build with -DKETTLE_BENCHMARKS=ON, and what ./dev bench installs
set -uo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
failed=0
tried=" smoke.sh processes.py against_servers.sh watch_injected.py " # itself; what others import; their servers are not installed here

# Two at a time: what they measure does not count here.
smoke() { # FILE COMMAND...
  local file=$1 start=$SECONDS log
  shift
  tried+="$file "
  log=$scratch/log.${file//\//_}
  while (($(jobs -rp | wc -l) >= 2)); do wait -n; done
  if timeout 1200 "$@" >"$log" 2>&1 && [ -s "$log" ]; then
    echo "bench: $file ran, $((SECONDS - start)) s"
  else
    touch "$scratch/failed"
    echo "bench: $file FAILED:"
    tail -n 15 "$log"
  fi &
}

# Of those that rehearse one after the other: two rehearsals at once would measure each other, and are refused.
smoke_rehearsing() { # FILE COMMAND...
  local file=$1
  shift
  smoke "$file" flock "$scratch/rehearsing" timeout 300 "$@"
}

smoke kernels_bench.cc build/bin/kettle_benchmarks --benchmark_min_time=0.01
smoke start_up.sh bench/start_up.sh
smoke harness_cost.sh bench/harness_cost.sh ultrafast 1
smoke quality/cost.sh bench/quality/cost.sh 1 1
tried+="quality/against_filters.cc " # which that one runs
smoke quality/encode_pictures.cc build/bin/encode_pictures open-water 160x96 30 300 ultrafast "$scratch"
tried+="quality/choice_by_other_eyes.py " # which runs that one; its reference program is Debian 13's
build/bin/fast-kettle footage render open-water --size 160x96 --frame-rate 30 --seconds 1 --out "$scratch/one.y4m" >/dev/null
smoke quality/score_sampling.cc build/bin/score_sampling "$scratch/one.y4m"
smoke quality/recording_codecs.py python3 bench/quality/recording_codecs.py 80 open-water,160x96,30
smoke survey_against_tools.sh bench/survey_against_tools.sh /var/tmp 1
smoke rtmp_against_libavformat.sh bench/rtmp_against_libavformat.sh
wait # these two look for what is left behind: nothing else may run beside them
smoke fault_injection.py python3 bench/fault_injection.py 1
wait
smoke kill_and_resume.py python3 bench/kill_and_resume.py 1
wait
smoke compare_benches.py python3 bench/compare_benches.py 2 2
smoke_rehearsing power_cut.py python3 bench/power_cut.py 1 160x96 12
smoke pairs_against_all.py python3 bench/pairs_against_all.py 1 3 144 144
smoke_rehearsing diagnose_injected.py python3 bench/diagnose_injected.py 1
smoke_rehearsing evening.py python3 bench/evening.py --minutes 0.5 --away 0.3 --try
smoke_rehearsing accidents.py python3 bench/accidents.py --runs 2 --only prepare
smoke steady.py python3 bench/steady.py "$scratch/one.y4m" 300 --plans 2 --within 5
smoke history_limit.py python3 bench/history_limit.py --megabytes 1 --runs 1
smoke odd_machines.py python3 bench/odd_machines.py --only "umask 0" --first 4
smoke_rehearsing random_shows.py python3 bench/random_shows.py 1 5
smoke search_against_grid.py python3 bench/search_against_grid.py "$scratch/grid" open-water 300 160x96 \
  --stream-size 160x96 --stream-frame-rate 30 --frame-rate 30
smoke_rehearsing laptop_shows.py python3 bench/laptop_shows.py 1 3 1 0
if ip netns add kettle-smoke 2>/dev/null; then
  ip netns del kettle-smoke
  smoke line_against_kernel.py python3 bench/line_against_kernel.py 4 1 1
  smoke_rehearsing cut_line.py python3 bench/cut_line.py --try
else
  tried+="line_against_kernel.py cut_line.py "
  echo "bench: line_against_kernel.py and cut_line.py not run: no network namespaces here"
fi
tried+="line_model_bench.cc CMakeLists.txt " # the former is what line_against_kernel.py runs

wait
smoke choice/foretell.cc build/bin/foretell $(find "$scratch/grid" -name bench.json)
smoke choice/on_grid.cc build/bin/on_grid $(find "$scratch/grid" -name bench.json)

wait
[ ! -e "$scratch/failed" ] || failed=1
for file in $(cd bench && find . -type f -printf '%P\n'); do
  case "$tried" in *" $file "*) ;; *) failed=1; echo "bench: $file has no smoke run" ;; esac
done
exit "$failed"
