"""Whether what is stated at 95 % holds: made-up printers with everyday flaws, judged by Metier.

    python benchmarks/coverage.py [--printers 2000] [--seed 1]

Each printer delivers a share of what is dosed, its walls have texture and are squeezed a little,
its calipers are off and read in hundredths, its prints differ from one another. One print is
measured and judged; then the advice is followed until it is settled, six prints at most. Beside it
stands the ratio on paper, flow times lines times width over wall, with the ± of the wall alone.
"""

from __future__ import annotations

import argparse
import random
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.answer import SURE, Known
from metier.core.flow.settling import rich
from metier.core.flow.trials import FlowTrial, Section
from metier.core.flow.verdict import FlowFinding, judge_flow
from metier.core.line.bead import rounding_mm, spacing_mm
from metier.core.measure.instruments import figures
from metier.core.values import LineModel

WALL = figures("calipers", "wall")
WIDTH_MM, LAYER_MM = 0.44, 0.2
MODEL: LineModel = "rounded"
MOST_PRINTS = 6
Layout = Sequence[tuple[int, float]]


class Flaws(NamedTuple):
    """What printers and calipers of one mix are like; lengths in mm, prints a ratio (1 u)."""

    name: str
    texture_mm: tuple[float, float]
    squeeze_mm: float
    jaws_mm: float
    prints: float
    uneven_mm: float


MIXES = (
    Flaws("no flaws but reading", (0.008, 0.008), 0.0, 0.0, 0.0, 0.0),
    Flaws("everyday", (0.0, 0.03), 0.005, 0.02, 0.007, 0.01),
    Flaws("prints differ much", (0.0, 0.03), 0.005, 0.02, 0.015, 0.01),
    Flaws("always rough", (0.03, 0.03), 0.0, 0.02, 0.007, 0.02),
)
# How a print is laid out: the lines of each section, and how wide they are.
LAYOUTS = {
    "one line": ((1, WIDTH_MM),),
    "three lines": ((3, WIDTH_MM),),
    "the tube": ((3, WIDTH_MM), (1, 0.8), (1, WIDTH_MM)),
}
KNOWN = Known(models={MODEL: 1.0})


class Printer:
    """A made-up printer and its calipers, with a truth nobody sees."""

    def __init__(self, rng: random.Random, flaws: Flaws) -> None:
        self._rng, self._flaws = rng, flaws
        self.share = rng.gauss(1, 0.06)
        self._texture_mm = rng.uniform(*flaws.texture_mm) - rng.uniform(0, flaws.squeeze_mm)
        self._jaws_mm = rng.uniform(-flaws.jaws_mm, flaws.jaws_mm)
        self._starved, self._rising = rng.choice((0.0, 0.5, 1.0)), rng.uniform(0, 0.5)

    def printed(self, flow_set: float, layout: Layout, number: int, richer: float) -> FlowTrial:
        """Print walls, several lines richer than the flow that is set, and measure each section
        eight times on four sides."""
        luck = self._rng.gauss(1, self._flaws.prints)
        sections = []
        for lines, width_mm in layout:
            apart_mm, flow = spacing_mm(width_mm, LAYER_MM, MODEL), flow_set
            if lines > 1:
                flow = richer
            line_mm = self.share * luck * flow * apart_mm
            between_mm = line_mm
            if line_mm < apart_mm:
                between_mm = apart_mm - self._starved * (apart_mm - line_mm)
            else:
                between_mm = apart_mm + (1 - self._rising) * (line_mm - apart_mm)
            wall_mm = (lines - 1) * between_mm + line_mm + rounding_mm(LAYER_MM) + self._texture_mm
            sides = [
                [
                    round(wall_mm + self._jaws_mm + side + self._rng.gauss(0, 0.012), 2)
                    for _ in range(2)
                ]
                for side in (self._rng.gauss(0, self._flaws.uneven_mm) for _ in range(4))
            ]
            sections.append(Section.of(lines, sides, WALL, flow=flow, width_mm=width_mm))
        return FlowTrial(
            number, LAYER_MM, tuple(sections), WALL.accuracy_mm, "calipers", bore_mm=0.4
        )


class Tally(NamedTuple):
    """What came of one printer."""

    held: bool
    held_on_paper: bool
    prints: int
    settled: bool
    kept_wrongly: bool
    corrected_needlessly: bool


def followed(printer: Printer, layout: Layout) -> Tally:
    """Print, judge, and follow the advice until it is settled."""
    flow_set = 1.0
    trials: list[FlowTrial] = []
    held = held_on_paper = needless = False
    finding: FlowFinding | None = None
    for number in range(1, MOST_PRINTS + 1):
        estimate = finding.flow_new if finding and finding.flow_new else flow_set
        trials.append(printer.printed(flow_set, layout, number, rich(estimate, number > 1)))
        finding = judge_flow(trials, WALL, model=MODEL, flow_set=flow_set, known=KNOWN)
        if number == 1:
            low, high = finding.interval
            held = low <= 1 / printer.share <= high
            section = trials[0].sections[0]
            assert section.flow is not None
            paper = section.flow * section.walls * WIDTH_MM / section.wall.value
            off = abs(paper * printer.share - 1)
            held_on_paper = off <= section.wall.u95 / section.wall.value
        name = finding.verdict.name
        if name == "correct" and finding.flow_to_type is not None:
            needless = needless or abs(flow_set * printer.share - 1) < 0.01
            flow_set = finding.flow_to_type
            sure = finding.sure_range
            if sure and sure[0] <= flow_set <= sure[1]:
                name = "keep"
        if name in ("keep", "recheck") or finding.rough:
            break
    assert finding is not None
    settled = name == "keep"
    wrong = settled and abs(flow_set * printer.share - 1) > 0.03
    return Tally(held, held_on_paper, len(trials), settled, wrong, needless)


def row(flaws: Flaws, layout: str, printers: int, seed: int) -> str:
    """Return a row of the table: one mix of flaws, one layout."""
    rng = random.Random(f"{seed} {flaws.name} {layout}")
    found = [followed(Printer(rng, flaws), LAYOUTS[layout]) for _ in range(printers)]
    settled = [one for one in found if one.settled]

    def share(counted: Sequence[bool]) -> str:
        return f"{100 * sum(counted) / max(1, len(counted)):.1f}"

    prints = sum(one.prints for one in settled) / max(1, len(settled))
    cells = (
        flaws.name,
        layout,
        share([one.held for one in found]),
        share([one.held_on_paper for one in found]),
        share([one.settled for one in found]),
        f"{prints:.2f}",
        share([one.kept_wrongly for one in settled]),
        share([one.corrected_needlessly for one in found]),
    )
    return f"| {' | '.join(cells)} |"


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--printers", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    print(f"Flow; 95 % asked for, sure from {100 * SURE:.0f} %, {options.printers} a row.\n")
    heads = ("flaws", "print", "holds", "on paper", "settled", "prints", "kept wrongly", "needless")
    print(f"| {' | '.join(heads)} |")
    print("| --- | --- | --- | --- | --- | --- | --- | --- |")
    for flaws in MIXES:
        for layout in LAYOUTS:
            print(row(flaws, layout, options.printers, options.seed), flush=True)


if __name__ == "__main__":
    main()
