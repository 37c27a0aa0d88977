#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""The whole command set, once each, on machines that are not like the developer's.

  bench/odd_machines.py [--bin build/bin] [--only MACHINE] [--first COMMANDS]

  plain        this one
  locale       decimal comma, ISO-8859-1 instead of UTF-8
  umask 0      whatever is made is for everybody, unless the program says otherwise
  half         a control group that allows half a processor
  64           a made-up tree of 64 processors, of which this process may use its own
Each command must end with 0 or 1, write whole files (JSON that parses, CSV with a point in its numbers), keep the history
to its user, and say nothing that is not ASCII or UTF-8. Prints a line for each miss; exit code 1 if there is one. Root.
"""
import argparse
import csv
import json
import os
import pathlib
import re
import subprocess
import sys
import tempfile

from accidents import SHOW

LOCALE = "de_DE.ISO-8859-1"
GROUP = pathlib.Path("/sys/fs/cgroup/cpu/kettle-half")
COMMANDS = """survey --out survey
footage list
footage render open-water --size 320x180 --frame-rate 12 --seconds 2 --out scene.y4m
load capture --seconds 3 --out game.load.json
load replay game.load.json --seconds 3
uplink --reading 9.9Mbit/s --reading 9.5Mbit/s --out uplink
bench --show show.toml --footage-seconds 1 --encoder x264 --preset ultrafast --preset superfast --repeats 1 --out bench
bench --show show.toml --footage-seconds 1 --encoder x264 --preset ultrafast --preset superfast --repeats 1 --out bench-2
compare
plan --show show.toml --footage-seconds 1 --proof-seconds 2 --out plan
rehearse plan --seconds 4 --out rehearsal
diagnose rehearsal
redraw plan
report plan rehearsal uplink bench
watch --pid SELF --seconds 4 --out watch
plan --show show.toml --footage-seconds 1 --proof-seconds 2 --out plan
history
history last --name good
restore before-last --out restored
forget last
demo --out demo""".splitlines()


def make_locale(folder):
    subprocess.run(["localedef", "-i", "de_DE", "-f", "ISO-8859-1", str(folder / LOCALE)], check=False)
    return dict(LOCPATH=str(folder), LC_ALL=LOCALE, LANG=LOCALE)


def make_processors(tree, number=64):
    """As /sys/devices/system/cpu shows them: one package, two threads a core."""
    for cpu in range(number):
        topology = tree / f"cpu{cpu}" / "topology"
        topology.mkdir(parents=True)
        core, pair = cpu // 2, 3 << (cpu // 2 * 2)
        words = [f"{pair >> (32 * i) & 0xffffffff:08x}" for i in reversed(range(number // 32))]
        for name, text in {"physical_package_id": "0", "core_id": str(core), "thread_siblings": ",".join(words),
                           "core_cpus": ",".join(words), "core_siblings": ",".join(["ffffffff"] * (number // 32)),
                           "package_cpus": ",".join(["ffffffff"] * (number // 32))}.items():
            (topology / name).write_text(text + "\n")
    for name in ("online", "possible", "present"):
        (tree / name).write_text(f"0-{number - 1}\n")


class Machine:
    def __init__(self, name, program, folder):
        self.name, self.program, self.folder, self.misses = name, program, folder, []
        self.env = dict(os.environ, HOME=str(folder), XDG_CACHE_HOME=str(folder / "cache"), XDG_DATA_HOME=str(folder / "data"))
        self.before = []
        if name == "locale":
            self.env.update(make_locale(folder))
        if name == "half":
            GROUP.mkdir(exist_ok=True)
            (GROUP / "cpu.cfs_period_us").write_text("100000")
            (GROUP / "cpu.cfs_quota_us").write_text("50000")
            self.before = ["sh", "-c", f'echo $$ >{GROUP}/cgroup.procs; exec "$@"', "sh"]
        if name == "64":
            make_processors(folder / "processors")
            self.before = ["unshare", "-m", "sh", "-c",
                           f'mount --bind {folder}/processors /sys/devices/system/cpu && exec "$@"', "sh"]

    def run(self, words):
        command = [word.replace("SELF", str(os.getpid())) for word in words.split()]
        done = subprocess.run([*self.before, self.program, *command], cwd=self.folder, env=self.env, stdin=subprocess.DEVNULL,
                              capture_output=True, umask=0 if self.name == "umask 0" else -1, timeout=1800)
        said = done.stdout + done.stderr
        if done.returncode not in (0, 1):
            self.misses.append(f"{words}: exit code {done.returncode}: {done.stderr.decode(errors='replace').strip()[-300:]}")
        try:
            said.decode()
        except UnicodeDecodeError as error:
            self.misses.append(f"{words}: {error}")
        if self.name == "locale" and re.search(rb"\d,\d+ (?:Mbit|kbit|s\b|ms|cores|%)", said):
            self.misses.append(f"{words}: a comma in a number")

    def check_files(self):
        for path in self.folder.rglob("*"):
            if not path.is_file() or "cache" in path.parts or "processors" in path.parts or path.is_symlink():
                continue
            try:
                if path.suffix == ".json":
                    json.loads(path.read_text())
                if path.suffix == ".csv":
                    rows = list(csv.reader(path.open()))
                    if len({len(row) for row in rows}) > 1:
                        self.misses.append(f"{path.name}: rows of different lengths")
            except ValueError as error:
                self.misses.append(f"{path.name}: {error}")
            if self.name == "umask 0" and "data" in path.parts and path.stat().st_mode & 0o077:
                self.misses.append(f"{path.name} is for others too: {path.stat().st_mode & 0o777:o}")

    def end(self):
        if self.name == "half" and GROUP.exists():
            GROUP.rmdir()


def main():
    options = argparse.ArgumentParser()
    options.add_argument("--bin", default="build/bin")
    options.add_argument("--only")
    options.add_argument("--first", type=int, default=len(COMMANDS), help="only so many commands")
    options = options.parse_args()
    program = str(pathlib.Path(options.bin).resolve() / "fast-kettle")
    failed = False
    for name in ("plain", "locale", "umask 0", "half", "64"):
        if options.only not in (None, name):
            continue
        with tempfile.TemporaryDirectory(prefix="kettle-odd-") as folder:
            machine = Machine(name, program, pathlib.Path(folder))
            (machine.folder / "show.toml").write_text(SHOW)
            commands = COMMANDS[:options.first]
            try:
                for words in commands:
                    machine.run(words)
                machine.check_files()
            finally:
                machine.end()
            print(f"{name}: {len(commands)} commands, {len(machine.misses)} misses", flush=True)
            for miss in machine.misses:
                print(f"  {miss}", flush=True)
            failed |= bool(machine.misses)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
