"""A stand-in and whoever measures it, in one process: prints take no time.

Everything here comes from `metier.standin`, which knows none of Metier's corrections.
"""

from __future__ import annotations

import random
from collections.abc import Iterable
from typing import NamedTuple

from metier.standin import answers
from metier.standin.physics import (
    Reader,
    hole_mm,
    line_mm,
    post_mm,
    pushed,
    strand_g_per_mm,
    strand_mm2,
    strand_readings,
    wall_mm,
    words_of_step,
)
from metier.standin.truth import Filament, Fitted, truth_of

HEAT_C, SPEED_MM_S, RATE_MM_S = 210.0, 40.0, 1.5
WIDTH_MM, LAYER_MM = 0.6, 0.24
# As Metier's own tube: lines lie so far apart, and a line of 100 % is dosed so.
APART_MM = WIDTH_MM - line_mm(0.0, LAYER_MM)
DOSE_MM2 = LAYER_MM * APART_MM
SIZES_MM = (4.0, 6.0, 10.0, 16.0, 30.0)


class Section(NamedTuple):
    """Walls of a print: lines, how far they lie apart, the flow they are sliced at, and how fast
    they are printed."""

    lines: int
    apart_mm: float
    flow: float
    speed_mm_s: float = SPEED_MM_S


class Workshop:
    """A stand-in with whoever measures it, in this process; prints take no time."""

    def __init__(self, seed: int, filament: Filament = "pla", heat_c: float = HEAT_C) -> None:
        self.truth = truth_of(seed, Fitted(filament=filament))
        self.heat_c = heat_c
        self.steps = self.truth.board.factory_steps
        self.slicer_mm = 1.75
        self._luck = random.Random(f"{seed} workshop")
        self._read = Reader(self.truth.hand, self._luck)
        self._along_mm = 0.0
        self.plastic = 1.0

    def strand(self) -> list[str]:
        """Return readings of the strand."""
        return strand_readings(self._read, self.truth.roll, self._along_mm)

    def left(self, asked_mm: float, mark_mm: float) -> str:
        """Feed a length and return what is left to the mark."""
        flow_mm3_s = RATE_MM_S * strand_mm2(self.truth.roll, self._along_mm)
        share = pushed(self.truth, flow_mm3_s, HEAT_C)
        moved_mm = asked_mm * self.steps / self.truth.gear.steps_per_mm * share
        self._along_mm += moved_mm
        return self._read.to_mark(self._read.marked(mark_mm) - moved_mm)

    def walls(self, sections: Iterable[Section]) -> list[list[str]]:
        """Print a tube and return eight readings of each section, by whoever measures it."""
        frame, roll, hand = self.truth.frame, self.truth.roll, self.truth.hand
        luck = self._luck.gauss(1, frame.print_spread)
        sides = [self._luck.gauss(0, frame.sides_mm) for _ in range(4)]
        sides = sides[:1] if hand.reads_one_side else sides
        self.plastic = luck
        return [
            [
                self._read.wall(
                    wall_mm(
                        lines, apart_mm, flow * self.share(flow, speed) * luck * apart_mm,
                        LAYER_MM, frame, self.truth.nozzle.bore_mm,
                    )
                    + sides[reading % len(sides)]
                    + roll.texture_mm
                    - roll.squeeze_mm
                )
                for reading in range(8)
            ]
            for lines, apart_mm, flow, speed in sections
        ]  # fmt: skip

    def speeds(self, flow: float, speeds_mm_s: Iterable[float]) -> list[list[str]]:
        """Print a tube of several speeds, one line a wall; return readings of each section."""
        read = self.walls(Section(1, APART_MM, flow, speed) for speed in speeds_mm_s)
        return [section[:4] for section in read]

    def grams_of(self, asked_mm: float, flow: float) -> str:
        """Weigh the newest tube: so much filament was asked for."""
        share = self.steps / self.truth.gear.steps_per_mm
        share *= pushed(self.truth, flow * DOSE_MM2 * SPEED_MM_S * share, self.heat_c)
        grams = asked_mm * share * self.plastic * strand_g_per_mm(self.truth.roll, self._along_mm)
        return self._read.mass(grams)

    def needed(self, speed_mm_s: float) -> float:
        """The flow that is right at a speed."""
        return answers.true_flow(
            self.truth, self.heat_c, steps=self.steps, slicer_mm=self.slicer_mm,
            dosed_mm2=DOSE_MM2, speed_mm_s=speed_mm_s,
        )  # fmt: skip

    def metre(self) -> list[str]:
        """Return grams of a metre of strand, weighed twice."""
        return [self._read.mass(1000 * strand_g_per_mm(self.truth.roll, self._along_mm))] * 2

    def weighed(self, asked_mm: float) -> tuple[str, float]:
        """Print a job of that length; return its grams, and which part of it was delivered."""
        ratio = self.steps / self.truth.gear.steps_per_mm
        share = ratio * pushed(self.truth, DOSE_MM2 * SPEED_MM_S * ratio, self.heat_c)
        share *= self._luck.gauss(1, self.truth.frame.print_spread)
        grams = asked_mm * share * strand_g_per_mm(self.truth.roll, self._along_mm)
        return self._read.mass(grams), share

    def words(self, heats_c: Iterable[float]) -> list[str]:
        """Print temperature steps; return what is said of each."""
        heats = self.truth.roll.heats
        return [
            f"{heat:g}={words_of_step(heat, heats, lambda at: self._luck.gauss(at, 2.5))}"
            for heat in heats_c
        ]

    def share(self, flow: float, speed_mm_s: float = SPEED_MM_S) -> float:
        """Return the share of what is dosed that comes out."""
        return answers.delivered(
            self.truth, self.heat_c, flow, steps=self.steps, slicer_mm=self.slicer_mm,
            dosed_mm2=DOSE_MM2, speed_mm_s=speed_mm_s,
        )  # fmt: skip

    @property
    def true_flow(self) -> float:
        """The flow that is right."""
        return answers.true_flow(
            self.truth, HEAT_C, steps=self.steps, slicer_mm=self.slicer_mm, dosed_mm2=DOSE_MM2,
            speed_mm_s=SPEED_MM_S,
        )  # fmt: skip

    def heights(self, ramp: dict[str, float]) -> list[str]:
        """Print a ramp and return where gaps are seen, none where there are none."""
        melts = self._luck.gauss(1, self.truth.frame.melt_spread)
        from_mm3_s = melts * self.true_onset_mm3_s
        steps = 0
        while ramp["from_mm3_s"] + steps * ramp["step_mm3_s"] <= from_mm3_s:
            steps += 1
        if ramp["from_mm3_s"] + steps * ramp["step_mm3_s"] > ramp["to_mm3_s"] + 1e-9:
            return []
        gaps_mm = ramp["base_mm"] + steps * ramp["every_mm"]
        return [self._read.height(gaps_mm + self._luck.uniform(0, 1)) for _ in range(4)]

    @property
    def true_onset_mm3_s(self) -> float:
        """The flow at which gaps begin."""
        steps, slicer_mm = self.steps, self.slicer_mm
        return answers.true_onset_mm3_s(self.truth, HEAT_C, steps=steps, slicer_mm=slicer_mm)

    def plate(self, flow: float, hole_set_mm: float, contour_set_mm: float) -> list[str]:
        """Print a plate with what is set and return its holes, then its posts."""
        frame, found = self.truth.frame, list[str]()
        frame = frame.another_print(self._luck)
        wide_mm = self.too_wide_mm(flow, self._luck.gauss(1, frame.print_spread))
        for nominal in SIZES_MM:
            drawn = nominal + 2 * hole_set_mm - wide_mm
            found.append("/".join(self._read.size(hole_mm(drawn, frame, one)) for one in "xy"))
        for nominal in SIZES_MM:
            drawn = nominal + 2 * contour_set_mm + wide_mm
            found.append("/".join(self._read.size(post_mm(drawn, frame, one)) for one in "xy"))
        return found

    def too_wide_mm(self, flow: float, luck: float = 1.0) -> float:
        """Return how much wider than meant lines come out."""
        return (flow * self.share(flow) * luck - 1) * APART_MM

    def zero(self) -> str:
        """Return what the closed jaws show."""
        return self._read.zero()
