#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Makes ssimulacra2_answers.csv: what the reference program says of the test's pairs of pictures.
#   tests/quality/ssimulacra2_answers.sh [REFERENCE...]     default: ssimulacra2, of Debian 13's libjxl-devtools 0.11
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/../.."
reference=("${@:-ssimulacra2}")
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
KETTLE_PICTURES_TO=$folder build/bin/quality_test --gtest_filter=Ssimulacra2.WritesItsPicturesWhereAsked >/dev/null
number=0
while read -r name; do
  printf '%s;%s\n' "$name" "$("${reference[@]}" "$folder/${number}a.ppm" "$folder/${number}b.ppm")"
  number=$((number + 1))
done <"$folder/names.txt" >tests/quality/ssimulacra2_answers.csv
