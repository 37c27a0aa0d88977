#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# All tests with the address and undefined-behaviour sanitizers, then those of what has threads with the thread
# sanitizer. A finding ends the test that it is in with a failure.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
# Leaks in libraries that keep what they allocate once are not ours.
# A stand-in that crashes on purpose must die of its signal, as it does elsewhere.
export ASAN_OPTIONS=detect_leaks=1:handle_segv=0 LSAN_OPTIONS=suppressions=$PWD/tests/leaks.txt:print_suppressions=0
export UBSAN_OPTIONS=print_stacktrace=1 TSAN_OPTIONS=halt_on_error=1:suppressions=$PWD/tests/races.txt
KETTLE_PRESET=sanitize ./dev test
KETTLE_PRESET=thread ./dev setup
cmake --preset thread >/dev/null
programs=(realtime_test worker_test rehearsal_test rtmp_test uplink_test load_test watching_test standin_test)
cmake --build --preset thread --target product "${programs[@]}"
for test in "${programs[@]}"; do
  setarch -R build-thread/bin/"$test" --gtest_brief=1
done
