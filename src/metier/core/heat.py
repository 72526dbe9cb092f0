"""Temperature steps: the range that serves, by what is seen and felt of each step.

Each step is judged by words in their order, from good to bad. A step serves where nothing of it is
at its worst. Where an edge lies between two steps is known to the distance of these (a rectangular
distribution, JCGM 100:2008, 4.3.7), and to what the same eye says another time.
"""

import math
from collections.abc import Sequence
from typing import Literal, NamedTuple, get_args

from metier.core.errors import BadInput
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict

Strings = Literal["none", "few", "many"]
Surface = Literal["even", "dull", "rough"]
Bridge = Literal["straight", "sags", "fell"]
Breaks = Literal["holds", "hard", "easy"]
Aspect = Literal["strings", "surface", "bridge", "breaks"]

ASPECTS: tuple[Aspect, ...] = get_args(Aspect)
WORDS: dict[Aspect, tuple[str, ...]] = {
    "strings": get_args(Strings),
    "surface": get_args(Surface),
    "bridge": get_args(Bridge),
    "breaks": get_args(Breaks),
}
# How high a step is, where nothing else is said.
STEP_MM = 8.0
# Which end of the range each aspect is bad at: too hot, or too cold.
_TOO_HOT: tuple[Aspect, ...] = ("strings", "bridge")
# By how much the same eye moves an edge from one print to the next (1 u).
EYE_U_C = 2.5
_WORST = 2
# What serves, by how much it is liked: parts that hold before what is only seen.
_WEIGHT: dict[Aspect, float] = {"strings": 1.0, "surface": 0.7, "bridge": 0.8, "breaks": 1.5}


class Step(NamedTuple):
    """A step by its temperature, and the rank of each word about it: 0 good, 2 worst; in the
    order of `ASPECTS`, None for what nobody looked at."""

    temperature_c: float
    ranks: tuple[int | None, ...]

    @property
    def serves(self) -> bool:
        """Whether nothing of it is at its worst."""
        return all(rank is None or rank < _WORST for rank in self.ranks)

    @property
    def cost(self) -> float:
        """How far it is from all good."""
        return math.fsum(
            _WEIGHT[aspect] * (rank or 0) for aspect, rank in zip(ASPECTS, self.ranks, strict=True)
        )

    def word(self, aspect: Aspect) -> str:
        """Return the word about an aspect; empty for none."""
        rank = self.ranks[ASPECTS.index(aspect)]
        return "" if rank is None else WORDS[aspect][rank]


class Edge(NamedTuple):
    """Where the range that serves ends, and the ± of that; an end of the steps is a bound only."""

    temperature_c: float
    u95_c: float | None


class HeatFinding(NamedTuple):
    """The range that serves, what to type in it with its ±, and every step."""

    steps: tuple[Step, ...]
    low: Edge | None
    high: Edge | None
    best_c: float | None
    best_u95_c: float | None
    verdict: Verdict
    notes: tuple[str, ...]


def judge_heat(steps: Sequence[Step], now_c: float | None) -> HeatFinding:
    """Return which range serves and what to type; ``now_c`` is what is set.

    Of several ranges the longest, of these the one that is liked best. Within it the step that is
    liked best; of several alike the middle one, the cooler one of two.

    Raises:
        BadInput: fewer than two steps, or one that is there twice.
    """
    if len(steps) < 2:
        raise BadInput("one step tells no range: give two or more, hottest first")
    ordered = sorted(steps, key=lambda step: step.temperature_c)
    heats = [step.temperature_c for step in ordered]
    if len(set(heats)) < len(heats):
        raise BadInput("a temperature is given twice: one step each")
    runs = _runs(ordered)
    if not runs:
        worst = _commonest(ordered)
        return HeatFinding(
            tuple(ordered), None, None, None, None,
            Verdict("recheck", f"no step works: {worst}", _looks(ordered)),
            (),
        )  # fmt: skip
    first, end = min(runs, key=lambda run: (run[0] - run[1], _liked(ordered[run[0] : run[1]])))
    inside = ordered[first:end]
    least = min(step.cost for step in inside)
    best = [step for step in inside if not exceeds(step.cost, least)]
    chosen = best[(len(best) - 1) // 2]
    low = _edge(ordered, first - 1, first)
    high = _edge(ordered, end, end - 1)
    u95_c = NORMAL95 * math.hypot(EYE_U_C, _apart(heats) / math.sqrt(12))
    verdict = _verdict(inside, chosen, now_c, low, high)
    return HeatFinding(
        tuple(ordered), low, high, chosen.temperature_c, u95_c, verdict, tuple(_notes(low, high))
    )


def _runs(ordered: Sequence[Step]) -> list[tuple[int, int]]:
    runs, at = [], 0
    while at < len(ordered):
        end = at
        while end < len(ordered) and ordered[end].serves:
            end += 1
        if end > at:
            runs.append((at, end))
        at = end + 1
    return runs


def _liked(steps: Sequence[Step]) -> float:
    return math.fsum(step.cost for step in steps) / len(steps)


def _edge(ordered: Sequence[Step], outside: int, inside: int) -> Edge:
    """Return the end of a range: between the last step that serves and the first that does not."""
    here_c = ordered[inside].temperature_c
    if not 0 <= outside < len(ordered):
        return Edge(here_c, None)
    there_c = ordered[outside].temperature_c
    u = math.hypot(EYE_U_C, (there_c - here_c) / math.sqrt(12))
    return Edge((here_c + there_c) / 2, NORMAL95 * u)


def _apart(heats: Sequence[float]) -> float:
    return (heats[-1] - heats[0]) / (len(heats) - 1)


def _verdict(
    inside: Sequence[Step], chosen: Step, now_c: float | None, low: Edge, high: Edge
) -> Verdict:
    span = f"{low.temperature_c:g} to {high.temperature_c:g} °C work"
    if now_c is None:
        return Verdict("correct", f"{span}; no temperature is set yet")
    near = [step for step in inside if abs(step.temperature_c - now_c) < 1e-9]
    if near and not exceeds(near[0].cost, chosen.cost):
        return Verdict("keep", f"{span}, and {now_c:g} is as good as any")
    if low.temperature_c <= now_c <= high.temperature_c:
        better = f"{chosen.temperature_c:g} is liked better than {now_c:g}"
        if not near or exceeds(near[0].cost - chosen.cost, 1.0):
            return Verdict("correct", f"{span}; {better}")
        return Verdict("keep", f"{span}; {better}, but not by much")
    return Verdict("correct", f"{span}, {now_c:g} does not")


def _notes(low: Edge, high: Edge) -> list[str]:
    notes = []
    if low.u95_c is None:
        notes.append(f"the coolest step works: the range may go on below {low.temperature_c:g} °C")
    if high.u95_c is None:
        notes.append(f"the hottest step works: the range may go on above {high.temperature_c:g} °C")
    return notes


def _commonest(ordered: Sequence[Step]) -> str:
    counts = {
        aspect: sum(step.ranks[at] == _WORST for step in ordered)
        for at, aspect in enumerate(ASPECTS)
    }
    worst = max(counts, key=lambda aspect: counts[aspect])
    return f"{worst} {WORDS[worst][_WORST]} at {counts[worst]} of {len(ordered)}"


def _looks(ordered: Sequence[Step]) -> tuple[str, ...]:
    coldest, hottest = ordered[0], ordered[-1]
    looks = []
    if any(coldest.ranks[ASPECTS.index(aspect)] == _WORST for aspect in _TOO_HOT):
        looks.append("whether the roll is wet: strings and bridges are no better when cooler")
        looks.append("steps that go on below these")
    if hottest.ranks[ASPECTS.index("breaks")] == _WORST:
        looks.append("steps that go on above these: columns break at the hottest, too")
    return (*looks, "fan, speed and layer time of so small a part")
