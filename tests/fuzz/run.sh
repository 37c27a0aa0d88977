#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Fuzzes one target, or each in turn, from the corpus in the repository on. What libFuzzer adds goes to
# build-fuzz/corpus/; what it finds stays there too and is named. Exit code 1: something was found.
#   tests/fuzz/run.sh [TARGET|all] [SECONDS]          KETTLE_FUZZ_JOBS=N: so many targets at once (default: 1)
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
wanted=${1:-all} seconds=${2:-60} jobs=${KETTLE_FUZZ_JOBS:-1}
cmake --preset fuzz >/dev/null
cmake --build --preset fuzz --target kettle_fuzz >/dev/null
if [ "$wanted" = all ]; then targets=$(ls tests/fuzz/corpus); else targets=$wanted; fi

fuzz() { # TARGET SECONDS: a line of what was done
  local work=build-fuzz/corpus/$1 log=build-fuzz/$1.log
  mkdir -p "$work"
  local code=0
  KETTLE_FUZZ_TARGET=$1 build-fuzz/bin/kettle_fuzz -max_total_time="$2" -max_len=8192 -timeout=10 -rss_limit_mb=2048 \
    -print_final_stats=1 -artifact_prefix="build-fuzz/$1-" "$work" "tests/fuzz/corpus/$1" >"$log" 2>&1 || code=$?
  local runs
  runs=$(sed -n 's/^stat::number_of_executed_units: //p' "$log")
  if [ "$code" -eq 0 ]; then
    printf '%-14s %12s runs in %s s, nothing found\n' "$1" "${runs:-?}" "$2"
  else
    printf '%-14s FOUND: %s\n' "$1" "$(grep -m1 -E 'ERROR|runtime error|terminate|SUMMARY' "$log" || tail -n 1 "$log")"
    return 1
  fi
}
export -f fuzz
printf '%s\n' $targets | xargs -P "$jobs" -I{} bash -c "fuzz {} $seconds"
