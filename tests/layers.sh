#!/usr/bin/env bash
# Fails on an include that points upwards, on interface code in the core, and on an unregistered test.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
bad=0
complain() { echo "layers: $*"; bad=1; }

# What each folder of the core may include besides itself.
declare -A may=(
  [units]="" [store]="units" [process]="units" [media]="units store" [footage]="units store media"
  [encoders]="units media machine" [machine]="units" [load]="units machine" [quality]="units media"
  [trial]="units process store media footage encoders machine quality"
  [rehearsal]="units store media footage encoders machine trial rtmp uplink"
  [rtmp]="units" [srt]="units" [uplink]="units media encoders rtmp srt"
  [planning]="units media footage encoders machine quality trial rehearsal uplink rtmp"
  [diagnosis]="units planning rehearsal")

for folder in src/kettle/*/; do
  name=$(basename "$folder")
  [ -n "${may[$name]+known}" ] || { complain "folder $name is not in the list"; continue; }
  while read -r file included; do
    [ "$included" = "$name" ] && continue
    case " ${may[$name]} " in *" $included "*) ;; *) complain "$file includes kettle/$included/" ;; esac
  done < <(grep -rHo '#include "kettle/[a-z]*/' "$folder" | sed -E 's|:#include "kettle/([a-z]*)/| \1|' || true)
done

grep -rnE '#include "(report|apps|command_line|terminal|session)' src/kettle && complain "the core includes interface code"
grep -rnE 'std::(cout|cerr)|[^a-z_n]printf\(|program_options|[^_a-z]exit\(' src/kettle | grep -v '_exit(127)' && complain "the core prints, parses options or exits"
for test in $(git ls-files 'tests/*_test.cc'); do
  grep -q "${test#tests/}" tests/CMakeLists.txt || complain "$test is not registered"
done
[ "$bad" -eq 0 ] && echo "layers: fine"
exit "$bad"
