#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# How long --help takes: the median of 51 runs, in milliseconds.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
python3 - <<'PY'
import statistics, subprocess, time
def run():
    start = time.perf_counter()
    subprocess.run(["build/bin/fast-kettle", "plan", "--help"], stdout=subprocess.DEVNULL, check=True)
    return 1000 * (time.perf_counter() - start)
run()
print(f"fast-kettle plan --help: median {statistics.median(run() for _ in range(51)):.1f} ms of 51 runs")
PY
