#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# What reads files and bytes of others, with all fuzzing corpora, under the address and undefined-behaviour sanitizers.
# A part of tests/sanitize.sh that is quick enough for every change.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
export ASAN_OPTIONS=detect_leaks=1 LSAN_OPTIONS=suppressions=$PWD/tests/leaks.txt:print_suppressions=0
export UBSAN_OPTIONS=print_stacktrace=1
tests=(units input store history line rtmp show diagnosis watching fuzz)
cmake --preset sanitize-core >/dev/null
cmake --build --preset sanitize-core --target "${tests[@]/%/_test}"
ctest --test-dir build-sanitize-core --output-on-failure --parallel "$(nproc)" -R "^($(IFS='|'; echo "${tests[*]}"))\$"
