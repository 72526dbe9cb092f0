"""What Metier says of flow by the first print, held against what is true: stand-ins by seed, each
with several kinds of print, by the commands themselves.

    python benchmarks/flow_true.py [--standins 300] [--first-seed 1]

A tube of Metier's own (three lines, a wide one, one), the same weighed, a sliced cube of three
lines and one of one line, and cubes whose slicer doses otherwise than told. Of each: how often
the truth lies in the stated 95 %, how often what was called so likely is so, corrections that made
it worse (of all corrections; by over 2 % of flow: of all prints), how many are settled, and how
near the value to type is; beside it the ratio on paper.
Then rolls: whether steady ones are left in peace, and a lasting jump is named.
"""

from __future__ import annotations

import argparse
import io
import json
import os
import random
import shlex
import tempfile
from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from contextlib import redirect_stderr, redirect_stdout
from functools import partial
from typing import Any, NamedTuple

from workshop import APART_MM, HEAT_C, LAYER_MM, SPEED_MM_S, WIDTH_MM, Section, Workshop

from metier.cli import main as metier
from metier.core.drift import Dot, drift

WIDE_MM = 1.0
ASKED_MM = 1400.0
_SIZE = f"--width {WIDTH_MM} --layer {LAYER_MM} --speed {SPEED_MM_S:g}"
_SHOWN = f"--preview {LAYER_MM * APART_MM * SPEED_MM_S}@{SPEED_MM_S} --width {WIDTH_MM}"
BINS = ((50, 65), (65, 75), (75, 85), (85, 101))


class Said(NamedTuple):
    """What one print made Metier say: whether the truth lies in it; each chance that was stated,
    with whether it came so; by how much more a correction is off than what was set (None for none);
    whether it is settled, and verified; how far the value to type and paper are off."""

    inside: bool
    chances: tuple[tuple[float, bool], ...]
    worse: float | None
    settled: bool
    verified: bool
    asked: bool
    off: float
    paper_off: float | None


class Job:
    """Prints of one stand-in, each in a logbook of its own."""

    def __init__(self, seed: int, folder: str) -> None:
        self.shop, self._path = Workshop(seed), os.path.join(folder, f"{seed}.sqlite")
        self.flow = random.Random(f"{seed} set").randint(92, 108) / 100
        # A gear that was calibrated feeds what it should, to half a percent.
        gear = self.shop.truth.gear.steps_per_mm
        self.shop.steps = round(gear * random.Random(f"{seed} gear").gauss(1, 0.005), 1)

    def run(self, line: str, *words: str) -> Any:
        out, err = io.StringIO(), io.StringIO()
        os.environ["METIER_LOGBOOK"] = self._path
        with redirect_stdout(out), redirect_stderr(err):
            status = metier([*shlex.split(line), *words, "--json"])
        if status != 0:
            raise RuntimeError(f"metier {line} {shlex.join(words)}: {err.getvalue()}")
        return json.loads(out.getvalue())

    def bench(self, model: str) -> None:
        if os.path.exists(self._path):
            os.unlink(self._path)
        self.run(f"printer add heron --nozzle 0.5 --steps {self.shop.steps}")
        self.run("spool add fern-1 --material PLA")
        self.run(f"bench --printer heron --spool fern-1 --temperature {HEAT_C:g}")
        self.run(f"entered flow {100 * self.flow:g}")
        if model == "shown":
            self.run(f"printer set heron {_SHOWN} --layer {LAYER_MM} --flow 100")
        else:
            self.run(f"printer set heron --line-model {model}")
        # The steps in force come from a trial.
        left = [f"{30 + random.Random(f'{self._path} {at}').gauss(0, 0.25):.2f}" for at in range(3)]
        self.run("esteps --asked 150 --mark 180 --through nozzle --left", *left)

    def said(self, sections: Iterable[Section], lines: str, grams: bool = False) -> Said:
        """Print, measure and judge; ``lines`` are the words for the sections, ``/`` between."""
        made = list(sections)
        read = self.shop.walls(made)
        one_side = self.shop.truth.hand.reads_one_side
        words: list[str] = []
        for walls, told in zip(read, lines.split("/"), strict=True):
            words += ["--walls", told]
            groups = [walls] if one_side else [walls[side::4] for side in range(4)]
            for group in groups:
                words += ["--side", *group]
        flow = made[-1].flow if len(made) > 1 else made[0].flow
        found = self.run(f"flow {_SIZE} --flow {100 * flow:g}", *words)
        if grams:
            mass = self.shop.grams_of(ASKED_MM, flow)
            found = self.run(f"weigh --filament {ASKED_MM:g} --part {mass}")
        return self._held(found, read[-1], made[-1])

    def _held(self, found: dict[str, Any], walls: list[str], last: Section) -> Said:
        true = self.shop.true_flow
        low, high = found["interval_percent"]
        typed = found["flow_to_type_percent"] or found["flow_now_percent"]
        chances = []
        for key, value in (("sure_percent", found["flow_now_percent"]),
                           ("sure_typed_percent", typed)):  # fmt: skip
            if found[key] is not None and value:
                chances.append((found[key], -0.02 <= value / 100 / true - 1 <= 0.03))
        off = abs(typed / 100 / true - 1)
        worse = None
        if found["verdict"] == "correct":
            worse = off - abs(self.flow / true - 1)
        mean = sum(map(float, walls)) / len(walls)
        paper = None
        if last.lines == 1:
            paper = abs(last.flow * WIDTH_MM / mean / true - 1)
        typed_sure = found["sure_typed_percent"] or 0.0
        settled = found["verdict"] == "keep" or (found["verdict"] == "correct" and typed_sure >= 75)
        stated = self.run("profile")["values"]["flow"]["status"]
        return Said(
            low <= 100 * true <= high, tuple(chances), worse, settled, stated == "verified",
            any("look once" in note for note in found["notes"]), off, paper,
        )  # fmt: skip

    def all(self) -> dict[str, Said]:
        """Return what every kind of print made it say."""
        wide_mm = APART_MM + WIDE_MM - WIDTH_MM
        slow = SPEED_MM_S * APART_MM / wide_mm
        tube = [
            Section(3, APART_MM, self.flow),
            Section(1, wide_mm, self.flow, slow),
            Section(1, APART_MM, self.flow),
        ]
        said = {}
        for name, weighed in (("tube", False), ("tube, weighed", True)):
            self.bench("shown")
            said[name] = self.said(tube, f"3/1x{WIDE_MM:g}/1", weighed)
        self.bench("shown")
        said["sliced cube, three lines"] = self.said([Section(3, APART_MM, self.flow)], "3")
        self.bench("shown")
        said["one line"] = self.said([Section(1, APART_MM, self.flow)], "1")
        self.bench("rounded")
        said["three lines, told wrongly"] = self.said([Section(3, WIDTH_MM, self.flow)], "3")
        self.bench("rounded")
        said["one line, told wrongly"] = self.said([Section(1, WIDTH_MM, self.flow)], "1")
        os.unlink(self._path)
        return said


def standin(seed: int, folder: str) -> dict[str, Said]:
    """Do the prints of one stand-in."""
    return Job(seed, folder).all()


def tables(standins: list[dict[str, Said]]) -> list[str]:
    """Return what is found, as a page has it."""
    head = (
        "| print | holds | corrected | made worse | by over 2 % | settled | verified unasked "
        "| within 2 % | on paper |"
    )
    lines = [head, f"|{' --- |' * 9}"]
    for name in standins[0]:
        each = [standin[name] for standin in standins]
        corrected = [said.worse for said in each if said.worse is not None]
        papers = [said.paper_off for said in each if said.paper_off is not None]
        cells = [
            _share(said.inside for said in each),
            _share(said.worse is not None for said in each),
            _share(worse > 0 for worse in corrected),
            _share(said.worse is not None and said.worse > 0.02 for said in each),
            _share(said.settled for said in each),
            _share(said.verified and not said.asked for said in each),
            _share(said.off <= 0.02 for said in each),
            _share(off <= 0.02 for off in papers),
        ]
        lines.append(f"| {name} | {' | '.join(cells)} |")
    lines += ["", "| chance stated | statements | stated | came so |", "| --- | --- | --- | --- |"]
    chances = [
        chance for standin in standins for said in standin.values() for chance in said.chances
    ]
    for low, high in BINS:
        within = [(stated, so) for stated, so in chances if low <= stated < high]
        if within:
            stated = sum(stated for stated, _ in within) / len(within)
            shown = f"{low} to {min(100, high)}"
            came = _share(so for _, so in within)
            lines.append(f"| {shown} | {len(within)} | {stated:.0f} | {came} |")
    return lines


def rolls(tries: int) -> list[str]:
    """Return how often steady rolls are called anything, and a lasting jump a jump."""
    named = jumped = 0
    for seed in range(tries):
        luck = random.Random(seed)
        named += _named(drift(_year(luck, 6, 0.0), 0.02, 365.0))
        jumped += drift(_year(luck, 8, 4 * 0.02), 0.02, 365.0).jump is not None
    return [
        "Six steady rolls of three cubes: something named in "
        f"{100 * named / tries:.0f} of 100 years.",
        "A lasting jump of four times the scatter between rolls, eight rolls: named a jump in "
        f"{100 * jumped / tries:.0f} of 100.",
    ]


def _year(luck: random.Random, count: int, jump: float) -> list[Dot]:
    dots = []
    for roll in range(count):
        true = luck.gauss(1.0, 0.02) + (jump if roll >= count // 2 else 0.0)
        for cube in range(3):
            value = luck.gauss(true, 0.01)
            at = roll * 365 / count + 5 * cube
            dots.append(Dot(at, value, 0.01, f"fern-{roll}", None, 3 * roll + cube))
    return dots


def _named(found: Any) -> bool:
    trend = found.trend is not None and found.trend.shows
    outside = bool(found.chart and found.chart.outside)
    return bool(found.jump or found.apart or trend or outside or found.batches)


def _share(of: Iterable[bool]) -> str:
    counted = list(of)
    return f"{100 * sum(counted) / len(counted):.1f}" if counted else "-"


def main() -> None:
    """Print the tables."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--standins", type=int, default=300)
    parser.add_argument("--first-seed", type=int, default=1)
    parser.add_argument("--years", type=int, default=1000)
    options = parser.parse_args()
    seeds = range(options.first_seed, options.first_seed + options.standins)
    with tempfile.TemporaryDirectory() as folder, ProcessPoolExecutor() as pool:
        standins = list(pool.map(partial(standin, folder=folder), seeds, chunksize=5))
    print("\n".join([*tables(standins), "", *rolls(options.years)]))


if __name__ == "__main__":
    main()
