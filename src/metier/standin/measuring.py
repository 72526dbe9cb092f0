"""What calipers, ruler, scale or fingers show of the newest length fed or the newest print."""

import random
from collections.abc import Callable, Mapping

from metier.core.errors import BadInput
from metier.standin.folder import StandinFolder, State
from metier.standin.machine import printed_of
from metier.standin.physics import (
    Fed,
    Reader,
    feel,
    strand_g_per_mm,
    strand_readings,
    wall_mm,
    words_of_step,
)
from metier.standin.printed import Printed, Round, holes_at_foot, rounds_of

_SIDES = ("front", "right", "back", "left")
# How often round a section, how many sightings of gaps.
_ROUNDS, _SIGHTINGS = 2, 4
# What is seen of a gap is seen up to a millimetre late.
_LATE_MM = 1.0
_FEEL_NOISE_MM = 0.02
# Rows of rings stand further apart than this.
_ROWS_MM = 8.0
# How surely an eye tells one step from the next, and how well a metre is cut.
_EYE_C, _CUT_MM = 2.5, 0.5
# At so many places a strand of a metre is looked at for what it weighs.
_PLACES = 50


def measure(folder: StandinFolder, state: State, what: str, mark_mm: float) -> list[str]:
    """Return readings as they would be typed, one a line; an empty one ends a section.

    Raises:
        BadInput: nothing was fed or printed that this can be measured of.
    """
    return _Measuring(folder, state, folder.measured()).of(what, mark_mm)


class _Measuring:
    """One go at measuring; ``number`` makes its readings other ones than the last."""

    def __init__(self, folder: StandinFolder, state: State, number: int) -> None:
        self.folder, self.state, self.truth = folder, state, state.truth
        self.luck = random.Random(f"{state.seed} measured {number}")
        self.reader = Reader(self.truth.hand, self.luck)

    def of(self, what: str, mark_mm: float) -> list[str]:
        return [self._left(mark_mm)] if what == "left" else MEASURED[what](self)

    def zero(self) -> list[str]:
        return [self.reader.zero()]

    def _left(self, mark_mm: float) -> str:
        fed = self._newest_fed()
        # The mark was penned once, whoever measures how often.
        penned = random.Random(f"{self.state.seed} mark {len(self.state.fed)}")
        left_mm = Reader(self.truth.hand, penned).marked(mark_mm) - fed.moved_mm
        if left_mm < 0:
            raise BadInput(
                f"the mark at {mark_mm:g} mm went in: feed less, or say --swallowed to esteps"
            )
        return self.reader.to_mark(left_mm)

    def cut(self) -> list[str]:
        return [self.reader.cut(self._newest_fed().moved_mm)]

    def strand(self) -> list[str]:
        return strand_readings(self.reader, self.truth.roll, self.state.along_mm)

    def walls(self) -> list[str]:
        printed = self._newest_print()
        sections = printed.sections()
        if not sections:
            raise BadInput("the newest print has no walls to measure: print a tube or a cube")
        roll = printed.truth.roll
        out: list[str] = []
        for section in sections:
            if out:
                out.append("")
            # The jaws' lower ends stand clear of where the section below begins.
            middle = section[len(section) // 4 : -3]
            frame, hand = printed.luck.frame, self.truth.hand
            sides = _SIDES[:1] * len(_SIDES) if hand.reads_one_side else _SIDES
            for _ in range(_ROUNDS):
                for side in sides:
                    wall = printed.wall_at(self.luck.choice(middle).top_mm, side)
                    assert wall is not None
                    thick_mm = wall_mm(
                        wall.lines, wall.apart_mm, wall.wide_mm, wall.layer_mm, frame,
                        printed.truth.nozzle.bore_mm,
                    )  # fmt: skip
                    named = f"{self.state.seed} {len(self.state.prints)} {side}"
                    own_mm = random.Random(named).gauss(0, frame.sides_mm)
                    thick_mm += own_mm + roll.texture_mm - roll.squeeze_mm
                    out.append(self.reader.wall(thick_mm))
        return out

    def heights(self) -> list[str]:
        return self._seen(self._newest_print().gaps_from_mm(), "gaps")

    def dull(self) -> list[str]:
        return self._seen(self._newest_print().dull_from_mm(), "dull walls")

    def _seen(self, from_mm: float | None, what: str) -> list[str]:
        if from_mm is None:
            raise BadInput(f"no {what} up to the top: say --clean")
        late = (self.luck.uniform(0, _LATE_MM) for _ in range(_SIGHTINGS))
        return [self.reader.height(from_mm + above_mm) for above_mm in late]

    def plate(self) -> list[str]:
        return self._sizes(rounds_of(self._newest_print()))

    def foot(self) -> list[str]:
        return self._sizes(holes_at_foot(self._newest_print()))

    def _sizes(self, rounds: list[Round]) -> list[str]:
        if not rounds:
            raise BadInput("the newest print has no holes or posts: print a plate")
        return [
            f"{self.reader.size(round_.along_x_mm)}/{self.reader.size(round_.along_y_mm)}"
            for round_ in rounds
        ]

    def pairs(self) -> list[str]:
        rounds = rounds_of(self._newest_print())
        # Row by row from the front, left to right.
        holes = sorted(
            (round_ for round_ in rounds if round_.kind == "hole"),
            key=lambda pair: (round(pair.y_mm / _ROWS_MM), pair.x_mm),
        )
        pins = [round_ for round_ in rounds if round_.kind == "post"]
        if not holes or not pins:
            raise BadInput("the newest print has no pairs: print them")
        pin = pins[0]
        # The tightest way through decides.
        return [
            feel(
                min(hole.along_x_mm - pin.along_x_mm, hole.along_y_mm - pin.along_y_mm),
                self.truth.frame,
                self.luck.gauss(0, _FEEL_NOISE_MM),
            )
            for hole in holes
        ]

    def steps(self) -> list[str]:
        """Words about each step of columns, as `metier heat --step` takes them."""
        printed = self._newest_print()
        steps_c = printed.heat_steps()
        if len(steps_c) < 2:
            raise BadInput("the newest print has no temperature steps: print columns")
        heats = printed.truth.roll.heats
        return [
            f"{heat:g}={words_of_step(heat, heats, lambda at: self.luck.gauss(at, _EYE_C))}"
            for heat in steps_c
        ]

    def metre(self) -> list[str]:
        """Grams of a metre of strand, weighed twice: cut along a ruler, so not quite a metre."""
        roll = self.truth.roll
        length_mm = self.luck.gauss(1000.0, _CUT_MM)
        places = [self.state.along_mm + part * length_mm / _PLACES for part in range(_PLACES)]
        mean_g = sum(strand_g_per_mm(roll, at) for at in places) / _PLACES
        true_g = mean_g * length_mm
        return [self.reader.mass(true_g) for _ in "12"]

    def along(self) -> list[str]:
        """Metres of the roll that are used."""
        return [f"{self.state.along_mm / 1000:.0f}"]

    def mass(self) -> list[str]:
        return [self.reader.mass(self._newest_print().mass_g)]

    def _newest_fed(self) -> Fed:
        if not self.state.fed:
            raise BadInput("nothing was fed yet: metier cable feed 150")
        return self.state.fed[-1]

    def _newest_print(self) -> Printed:
        prints = self.state.prints
        if not prints:
            raise BadInput("nothing was printed yet: metier cable print FILE")
        if not prints[-1].whole:
            raise BadInput("the newest print was cut short: print it again")
        return printed_of(self.folder, self.state, prints[-1])


MEASURED: Mapping[str, Callable[[_Measuring], list[str]]] = {
    "zero": _Measuring.zero,
    "cut": _Measuring.cut,
    "strand": _Measuring.strand,
    "walls": _Measuring.walls,
    "heights": _Measuring.heights,
    "dull": _Measuring.dull,
    "plate": _Measuring.plate,
    "foot": _Measuring.foot,
    "pairs": _Measuring.pairs,
    "mass": _Measuring.mass,
    "metre": _Measuring.metre,
    "steps": _Measuring.steps,
    "along": _Measuring.along,
}
