#!/usr/bin/env bash
# Fails on an include that points upwards, on interface code in the core, and on an unregistered test.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
bad=0
complain() { echo "layers: $*"; bad=1; }

# What each folder of the core may include besides itself.
declare -A may=(
  [units]="" [message]="" [input]="units" [device]="units" [machine]="units device message" [load]="units input machine" [store]="units input" [process]="units"
  [history]="units message store" [screen]="units machine media"
  [media]="units input store" [coded]="units input media" [footage]="units input message store media" [encoders]="units device media" [quality]="units media"
  [belief]="" [evidence]="units belief media encoders" [model]="units belief encoders" [decision]="belief"
  [curve]="units" [realtime]="units store machine media footage encoders" [worker]="units device store process media"
  [task]="units device machine store media footage encoders evidence quality realtime worker"
  [trial]="units message machine store footage encoders realtime worker task" [rtmp]="units input" [srt]="units" [publish]="units rtmp srt" [line]="units input message"
  [uplink]="units message media coded encoders rtmp publish line"
  [rehearsal]="units device machine store media coded footage encoders realtime task trial rtmp publish line"
  [show]="units input machine footage encoders realtime rtmp uplink" [option]="units message encoders belief evidence trial"
  [placement]="units message encoders uplink rehearsal option" [search]="units message encoders quality belief model decision option placement"
  [comparison]="units encoders trial"
  [question]="units message encoders quality curve trial search"
  [plan]="units input message device machine media footage encoders quality realtime uplink show option placement search"
  [draft]="units message encoders option plan"
  [planner]="units message encoders footage rehearsal show option placement search plan draft"
  [diagnosis]="units input message rehearsal plan" [watching]="units message device machine diagnosis")

for folder in src/kettle/*/; do
  name=$(basename "$folder")
  [ -n "${may[$name]+known}" ] || { complain "folder $name is not in the list"; continue; }
  while read -r file included; do
    [ "$included" = "$name" ] && continue
    case " ${may[$name]} " in *" $included "*) ;; *) complain "$file includes kettle/$included/" ;; esac
  done < <(grep -rHo '#include "kettle/[a-z]*/' "$folder" | sed -E 's|:#include "kettle/([a-z]*)/| \1|' || true)
done

grep -rnE '#include "(report|page|figure|timeline|apps|command_line|terminal|session|surroundings|commands|past_runs|tables)' src/kettle && complain "the core includes interface code"
grep -rnE 'std::(cout|cerr)|[^a-z_n]printf\(|program_options|[^_a-z]exit\(' src/kettle | grep -v '_exit(127)' && complain "the core prints, parses options or exits"
for folder in $(git ls-files | xargs -n1 dirname | sort -u | grep -E "^(src|apps|tests|standin|bench)/"); do
  count=$(git ls-files "$folder" | grep -cE "^$folder/[^/]*\.(cc|h)$" || true)
  [ "$count" -le 20 ] || complain "$folder has $count files: more than 20"
done
for test in $(git ls-files 'tests/*_test.cc'); do
  grep -q "${test#tests/}" tests/CMakeLists.txt || complain "$test is not registered"
done
[ "$bad" -eq 0 ] && echo "layers: fine"
exit "$bad"
