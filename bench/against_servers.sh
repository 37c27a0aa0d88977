#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# uplink --to and rehearse --to against real servers on loopback, 30 s each: nginx with its RTMP module,
# srt-live-transmit, and libavformat's own RTMP and SRT listeners. Every picture that was sent must be in what they
# wrote. Exit code 1 if one is missing.
#   bench/against_servers.sh [SECONDS]     needs: ./dev build, packages libnginx-mod-rtmp nginx srt-tools ffmpeg; root
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
seconds=${1:-30} kettle=$PWD/build/bin/fast-kettle
folder=$(mktemp -d)
chmod 777 "$folder"
servers=()
stop_servers() { for server in "${servers[@]}"; do kill "$server" 2>/dev/null || true; wait "$server" 2>/dev/null || true; done; servers=(); }
trap 'stop_servers; rm -rf "$folder"' EXIT
failed=0
pictures() { ffprobe -v error -count_packets -select_streams v -show_entries stream=nb_read_packets -of csv=p=0 "$1" | tr -d , | awk 'NR == 1 { count = $0 } END { print count + 0 }'; }
await_port() { for _ in $(seq 100); do (exec 3<>"/dev/tcp/127.0.0.1/$1") 2>/dev/null && return 0; sleep 0.1; done; return 1; }

# What was sent: by the test stream's clock, or by the rehearsal's own count.
report() { # NAME SENT FILE
  local arrived
  arrived=$(pictures "$3" 2>/dev/null) || arrived=0
  if [ "$arrived" -ge "$2" ]; then echo "$1: $arrived of $2 pictures"; else failed=1; echo "$1: MISSING, $arrived of $2 pictures"; fi
}
measure() { # URL OUT: how many pictures were sent
  "$kettle" uplink --to "$1" --most "20 Mbit/s" --seconds "$seconds" --footage-seconds 1 --preset ultrafast --quiet \
    --key-file "$folder/key" --out "$2" >"$2.txt"
  python3 -c 'import json,sys; i=json.load(open(sys.argv[1]))["ingests"][0]; assert not i.get("trouble"), i; print(i["pictures"])' "$2/uplink.json"
}
rehearse() { # URL OUT
  "$kettle" rehearse "$folder/plan/plan.json" --to "$1" --seconds "$seconds" --key-file "$folder/key" --quiet --out "$2" >"$2.txt" || [ $? -eq 1 ]
  python3 -c 'import json,sys; s=json.load(open(sys.argv[1]))["stream"]; print(s["packets"] - s["dropped"])' "$2/rehearsal.json"
}

echo test >"$folder/key"
cat >"$folder/show.toml" <<'T'
[picture]
source_size = "640x360"
frame_rate = "30"
footage = ["open-water"]
[stream]
bit_rate = "1500 kbit/s"
size = "640x360"
frame_rate = "30"
[require]
headroom = 0.1
T
"$kettle" plan --show "$folder/show.toml" --footage-seconds 1 --proof-seconds 3 --quiet --out "$folder/plan" >/dev/null || [ $? -eq 1 ]

cat >"$folder/nginx.conf" <<N
load_module /usr/lib/nginx/modules/ngx_rtmp_module.so;
daemon off; pid $folder/nginx.pid; error_log $folder/nginx.log; worker_processes 1; user root;
events { worker_connections 64; }
rtmp { server { listen 127.0.0.1:19371; application live { live on; record all; record_path $folder; record_suffix -%s.flv; } } }
N
nginx -c "$folder/nginx.conf" &
servers+=($!)
await_port 19371
sent=$(measure rtmp://127.0.0.1:19371/live "$folder/a")
sleep 1
report "uplink --to nginx" "$sent" "$(ls -t "$folder"/test-*.flv | head -n 1)"
sent=$(rehearse rtmp://127.0.0.1:19371/live "$folder/b")
sleep 1
report "rehearse --to nginx" "$sent" "$(ls -t "$folder"/test-*.flv | head -n 1)"
stop_servers

called() { [ "$1" = measure ] && echo "uplink --to" || echo "rehearse --to"; }
for what in measure rehearse; do # a listener takes one publish
  ffmpeg -v error -listen 1 -i rtmp://127.0.0.1:19372/live/test -c copy -y "$folder/$what.flv" &
  servers+=($!)
  sleep 1
  sent=$("$what" rtmp://127.0.0.1:19372/live "$folder/$what")
  wait "${servers[0]}" || true
  report "$(called "$what") libavformat, RTMP" "$sent" "$folder/$what.flv"
  servers=()

  srt-live-transmit -q "srt://127.0.0.1:19373?mode=listener" file://con >"$folder/slt-$what.ts" 2>/dev/null &
  servers+=($!)
  sleep 1
  sent=$("$what" srt://127.0.0.1:19373 "$folder/slt-$what")
  sleep 2
  stop_servers
  report "$(called "$what") srt-live-transmit" "$sent" "$folder/slt-$what.ts"

  ffmpeg -v error -i "srt://127.0.0.1:19374?mode=listener" -c copy -f mpegts -y "$folder/av-$what.ts" &
  servers+=($!)
  sleep 1
  sent=$("$what" srt://127.0.0.1:19374 "$folder/av-$what")
  wait "${servers[0]}" || true
  report "$(called "$what") libavformat, SRT" "$sent" "$folder/av-$what.ts"
  servers=()
done
exit "$failed"
