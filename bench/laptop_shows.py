#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Shows at random on the simulated laptop: a game on the fast card, a second card inside the processor.

Each plan is rehearsed under its load: one that holds must lose no frame to an encoder. For the first few that hold, every
other placement of the two encodes is asked for as well, with the trials that there are; of those that hold too and whose
stream looks at most a point worse, none may cost a simulated game fewer of its frames than the one taken. One that seems
to is measured three times more, in turn with the one taken. The game fills processors only: what its card loses is not simulated.
usage: bench/laptop_shows.py [SHOWS [SECONDS [SEED [COMPARED [FIRST]]]]]
"""
import random
import shutil
import statistics
import sys
import tempfile
from pathlib import Path

import random_shows
from random_shows import SECONDS, SEED, SHOWS, draw, lost, plan, rehearse, tell

COMPARED = int(sys.argv[4]) if len(sys.argv) > 4 else 3
FIRST = int(sys.argv[5]) if len(sys.argv) > 5 else 1
DEVICES = ["cpu", "Tidewater 30", "Mudflat 6"]
NOISE = 0.01  # of the game's frames


def device_of(option):
    return "cpu" if option["device"] == "cpu" else next(name for name in DEVICES if option["device_name"].startswith(name))


def game_loss(show, made, folder):
    """The share of its frames that the simulated game loses beside the encodes."""
    game = rehearse(show, made, folder, simulated_game=True)["facts"]["game"]
    return max(0.0, 1 - game["beside_fps"] / game["alone_fps"])


def placement(made):
    return device_of(made["stream"]), device_of(made["recording"])


def again_in_turn(pairs):
    """The medians of three more losses of each, measured in turn: one run alone may be off by more than the question."""
    losses = [[game_loss(*rehearsal) for rehearsal in pairs] for _ in range(3)]
    return [statistics.median(column) for column in zip(*losses)]


def plan_with_trials(show, folder, trials):
    """A plan that measures only what the trials in that bench.json lack, and adds it there."""
    (folder / "plan").mkdir()
    shutil.copy(trials, folder / "plan")
    made = plan(show, folder)
    shutil.copy(folder / "plan/bench.json", trials)
    return made


class Comparison:
    """Whether no other placement that holds within a point costs the game fewer frames."""

    def __init__(self, show, made, folder):
        self.show, self.made, self.folder = show, made, folder
        self.score, self.loss, self.best = made["pair"]["stream"]["score"], game_loss(show, made, folder), True
        self.seen = {placement(made)}
        print(f"    taken: {' and '.join(placement(made))}: {self.score:.1f} points, the game loses {self.loss:.1%}", flush=True)

    def run(self):
        for stream in DEVICES:
            # Where no stream there comes within a point, whatever is recorded, none of its placements does.
            if stream != placement(self.made)[0] and not self.ask({"stream_device": stream}):
                continue
            for recording in DEVICES:
                if (stream, recording) not in self.seen:
                    self.ask({"stream_device": stream, "recording_device": recording})
        return self.best

    def ask(self, devices):
        """Plans with those devices and weighs what holds; whether its stream comes within a point."""
        asked = {**self.show, **devices}
        with tempfile.TemporaryDirectory() as there:
            there = Path(there)
            try:
                rival = plan_with_trials(asked, there, self.folder / "plan/bench.json")
            except RuntimeError:
                return False  # refused: that card lacks what is asked for
            near = rival["pair"] and rival["pair"]["stream"]["score"] >= self.score - 1
            if near and rival["verdict"] == "holds" and placement(rival) not in self.seen:
                self.weigh(asked, rival, there)
            return near

    def weigh(self, asked, rival, there):
        self.seen.add(placement(rival))
        loss = game_loss(asked, rival, there)
        told = f"the game loses {loss:.1%}"
        if worse := loss < self.loss - NOISE:
            ours, loss = again_in_turn([(self.show, self.made, self.folder), (asked, rival, there)])
            worse = loss < ours - NOISE
            told += f"; in turn, medians of three: {loss:.1%}, taken {ours:.1%}{', LESS' if worse else ''}"
        self.best = self.best and not worse
        print(f"    {' and '.join(placement(rival))}: {rival['pair']['stream']['score']:.1f} points, {told}", flush=True)


def main():
    random_shows.LEAST, random_shows.MOST = 10, 70  # megapixels a second: around what the cards can do
    chance = random.Random(SEED)
    shows = [{**draw(chance), "gpu": "pair"} for _ in range(SHOWS)]
    kept = holding = compared = right = 0
    for number, show in list(enumerate(shows, 1))[FIRST - 1:]:
        with tempfile.TemporaryDirectory() as folder:
            made = plan(show, Path(folder))
            rehearsal = rehearse(show, made, Path(folder))
            total, disturbed = lost(rehearsal)
            tell(number, show, made, 0, rehearsal)
            if made["verdict"] != "holds":
                continue
            holding += 1
            kept += total <= disturbed
            if compared < COMPARED:
                compared += 1
                right += Comparison(show, made, Path(folder)).run()
    print(f"{holding} of {SHOWS - FIRST + 1} plans hold, {kept} of them lost no frame to the encoders")
    print(f"placements: in {right} of {compared} no other one costs the game less")


main()
