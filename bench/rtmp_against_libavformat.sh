#!/usr/bin/env bash
# Both sides of our RTMP against libavformat's: its command-line client into the stand-in ingest, our client into its
# server. Both files must play. Needs ffmpeg.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
folder=$(mktemp -d)
trap 'kill $(jobs -p) 2>/dev/null || true; rm -rf "$folder"' EXIT
count() { ffprobe -v error -count_frames -select_streams "$2" -show_entries stream=nb_read_frames -of csv=p=0 "$1"; }

build/bin/kettle-ingest --listen 127.0.0.1:19360 --save "$folder" --seconds 15 >/dev/null &
sleep 0.5
ffmpeg -v error -re -f lavfi -i testsrc2=size=640x360:rate=30 -f lavfi -i sine=frequency=440 -t 5 -c:v libx264 -preset veryfast -b:v 1500k -g 60 \
  -c:a aac -f flv rtmp://127.0.0.1:19360/live/key
sleep 0.5
ffmpeg -v error -i "$folder/1.flv" -f null -
echo "its client, our ingest: plays, $(count "$folder/1.flv" v) pictures of 150, $(count "$folder/1.flv" a) packets of sound"

ffmpeg -v error -listen 1 -i rtmp://127.0.0.1:19361/live/test -c copy -y "$folder/theirs.flv" &
server=$!
sleep 1
build/bin/fast-kettle uplink --to rtmp://127.0.0.1:19361/live --most "20 Mbit/s" --seconds 8 --footage-seconds 1 --preset ultrafast --quiet --out "$folder/out" \
  >/dev/null
wait $server || true
ffmpeg -v error -i "$folder/theirs.flv" -f null -
echo "our client, its server: plays, $(count "$folder/theirs.flv" v) pictures of 240"
