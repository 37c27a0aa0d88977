#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Broadcasts by an independent program (FFmpeg's own command line with -re), to a real RTMP server and an SRT listener,
each with one injected cause or none; does `fast-kettle watch` name the right one?

  bench/watch_injected.py [BROADCASTS [SEED]]     needs ffmpeg, nginx with its RTMP module, cc

Causes: a core hog, a greedy game (the stand-in game, named by --game), an encoder preset that is too slow, a line that
carries a third of the stream for a while (a forwarder in between; RTMP only: of SRT's losses nothing is seen from
outside), a disk that takes nothing for a while (a library that holds the program's own write() up), or none.
"""
import json, os, random, signal, socket, subprocess, sys, tempfile, threading, time
from pathlib import Path

BUILD = Path(__file__).resolve().parent.parent / "build"
WATCH_SECONDS, CALM_SECONDS, INJECTED_SECONDS = 22, 7, 9
EXPECTED = {"hog": "another program", "game": "the game", "encoder": "the stream's encoder", "line": "the uplink",
            "disk": "the disk", "none": None}

NGINX = """
daemon off; master_process off; worker_processes 1; error_log {folder}/nginx.log; pid {folder}/nginx.pid;
load_module /usr/lib/nginx/modules/ngx_rtmp_module.so;
events {{ worker_connections 64; }}
rtmp {{ server {{ listen 127.0.0.1:{port}; application live {{ live on; record off; }} }} }}
"""

SLOW_WRITE = r"""
#define _GNU_SOURCE
#include <dlfcn.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <unistd.h>
ssize_t write(int fd, const void* data, size_t size) {
  static ssize_t (*real)(int, const void*, size_t);
  if (!real) real = (ssize_t(*)(int, const void*, size_t))dlsym(RTLD_NEXT, "write");
  struct stat file;
  while (fstat(fd, &file) == 0 && S_ISREG(file.st_mode) && access(getenv("SLOW_DISK_FLAG"), F_OK) == 0) usleep(50000);
  return real(fd, data, size);
}
"""


def free_port():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


class Forwarder:
    """A router: takes a connection and passes it on, at most at `kbps` while that is set. A small receive window, so
    that what it does not carry waits with the sender, as on a real line."""

    def __init__(self, to_port):
        self.kbps, self.to_port, self.port = None, to_port, free_port()
        self.listener = socket.socket()
        self.listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        self.listener.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 64 * 1024)
        self.listener.bind(("127.0.0.1", self.port))
        self.listener.listen(1)
        threading.Thread(target=self.run, daemon=True).start()

    def run(self):
        here, _ = self.listener.accept()
        there = socket.create_connection(("127.0.0.1", self.to_port))
        threading.Thread(target=self.back, args=(there, here), daemon=True).start()
        while data := here.recv(8192):
            if self.kbps:
                time.sleep(len(data) * 8 / 1000 / self.kbps)
            there.sendall(data)

    @staticmethod
    def back(there, here):
        try:
            while data := there.recv(65536):
                here.sendall(data)
        except OSError:
            pass


def ffmpeg(cause, protocol, port, folder, library):
    target = f"rtmp://127.0.0.1:{port}/live/a" if protocol == "rtmp" else f"srt://127.0.0.1:{port}?mode=caller&latency=200000"
    container = "flv" if protocol == "rtmp" else "mpegts"
    size, preset = ("1280x720", "slower") if cause == "encoder" else ("640x360", "ultrafast")
    command = ["ffmpeg", "-hide_banner", "-loglevel", "error", "-re", "-f", "lavfi", "-i", f"testsrc2=size={size}:rate=30",
               "-f", "lavfi", "-i", "sine=frequency=330", "-c:v", "libx264", "-preset", preset, "-b:v", "3000k",
               "-minrate", "3000k", "-maxrate", "3000k", "-bufsize", "3000k", "-g", "60", "-x264-params", "nal-hrd=cbr",
               "-pix_fmt", "yuv420p", "-c:a", "aac", "-map", "0:v", "-map", "1:a", "-flags", "+global_header",
               "-f", "tee", f"[f={container}]{target}|[f=matroska]{folder}/recording.mkv"]
    environment = dict(os.environ, SLOW_DISK_FLAG=str(folder / "slow"))
    if cause == "disk":
        environment["LD_PRELOAD"] = str(library)
    return subprocess.Popen(command, env=environment, stdin=subprocess.DEVNULL, stderr=open(folder / "ffmpeg.txt", "w"))


def inject(cause, forwarder, folder, stop):
    """Begins after a while, ends after a while; gives what it started."""
    time.sleep(CALM_SECONDS)
    started = []
    if cause == "hog":
        started = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(os.cpu_count())]
    if cause == "game":
        started = [subprocess.Popen([BUILD / "bin/kettle-game", "--cores", str(os.cpu_count()), "--seconds", "60"],
                                    stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)]
    if cause == "line":
        forwarder.kbps = 1000
    if cause == "disk":
        (folder / "slow").touch()
    stop.wait(INJECTED_SECONDS)
    forwarder.kbps = None
    (folder / "slow").unlink(missing_ok=True)
    for process in started:
        process.kill()
        process.wait()


def broadcast(cause, protocol, library):
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        server_port = free_port()
        if protocol == "rtmp":
            (folder / "nginx.conf").write_text(NGINX.format(folder=folder, port=server_port))
            server = subprocess.Popen(["nginx", "-c", folder / "nginx.conf"], stderr=subprocess.DEVNULL)
        else:
            server = subprocess.Popen(["ffmpeg", "-loglevel", "quiet", "-i", f"srt://127.0.0.1:{server_port}?mode=listener",
                                       "-c", "copy", "-f", "null", "-"], stdin=subprocess.DEVNULL)
        time.sleep(1)
        forwarder = Forwarder(server_port)
        streamer = ffmpeg(cause, protocol, forwarder.port if protocol == "rtmp" else server_port, folder, library)
        time.sleep(4)
        stop = threading.Event()
        injector = threading.Thread(target=inject, args=(cause, forwarder, folder, stop))
        injector.start()
        options = ["--game", "kettle-game"] if cause == "game" or random.random() < 0.5 else []
        watch = subprocess.run([BUILD / "bin/fast-kettle", "watch", "--pid", str(streamer.pid), "--seconds", str(WATCH_SECONDS),
                                "--no-history", "--quiet", "--out", folder / "out", *options], capture_output=True, text=True)
        stop.set()
        injector.join()
        for process in (streamer, server):
            process.kill()
            process.wait()
        file = folder / "out/watch.json"
        if not file.exists():
            return None, [watch.stderr.strip()], 0
        watched = json.loads(file.read_text())
        cures = watched["verdict"]["cures"]
        return (cures[0]["cause"] if cures else None), [f"{t['cause']} {t['from_seconds']:.0f}-{t['to_seconds']:.0f}" for t in
                                                        watched["verdict"]["troubles"]], watched["watching_cores"]


def main():
    count, seed = int(sys.argv[1]) if len(sys.argv) > 1 else 40, int(sys.argv[2]) if len(sys.argv) > 2 else 1
    random.seed(seed)
    with tempfile.TemporaryDirectory() as name:
        source, library = Path(name) / "slow.c", Path(name) / "slow.so"
        source.write_text(SLOW_WRITE)
        subprocess.run(["cc", "-shared", "-fPIC", "-o", library, source, "-ldl"], check=True)
        causes = [list(EXPECTED)[i % len(EXPECTED)] for i in range(count)]
        random.shuffle(causes)
        right = false_alarms = calm = 0
        cores = []
        for number, cause in enumerate(causes, 1):
            protocol = "rtmp" if cause == "line" else random.choice(["rtmp", "rtmp", "srt"])
            said, troubles, watching = broadcast(cause, protocol, library)
            good = said == EXPECTED[cause]
            right += good
            calm += cause == "none"
            false_alarms += cause == "none" and said is not None
            cores.append(watching)
            print(f"{number:3} {protocol} {cause:8} {'right' if good else 'WRONG'}  {said}  {troubles}", flush=True)
        cores.sort()
        print(f"{right} of {count} right; {false_alarms} false alarms in {calm} without a cause; "
              f"watching took {cores[len(cores) // 2] * 100:.2f} % of a core (median), {cores[-1] * 100:.2f} % at most")


main()
