"""How walls were printed: what the options say of it, and what is known where they do not."""

import argparse
from collections.abc import Sequence
from typing import Any, NamedTuple

from metier.core.line.bead import LINE_MODELS, LineModel, check_line
from metier.core.measure.slips import refuse_slip
from metier.core.refusal import Refusal
from metier.trials.flow.settings import FlowSettings, KeptDose, PrintedWalls
from metier.words.arguments import Typed, flow, length, preview, reading, speed, walls
from metier.words.missing import Missing

# What a line width is compared with for slips while no nozzle is known.
_COMMON_BORE_MM = 0.5


class _InOrder(argparse.Action):
    """Keeps which readings belong to which walls: those that follow them."""

    def __call__(
        self,
        _parser: argparse.ArgumentParser,
        namespace: argparse.Namespace,
        values: Any,
        _option: str | None = None,
    ) -> None:
        namespace.in_order = [*(namespace.in_order or ()), (self.dest, values)]
        before = getattr(namespace, self.dest) or []
        setattr(namespace, self.dest, [*before, values])


class GivenPrint(NamedTuple):
    """What was given of a print; None where nothing was. ``flow`` is a ratio."""

    width_mm: float | None
    layer_mm: float | None
    flow: float | None
    line_model: LineModel | None
    aim_mm: float | None
    speed_mm_s: float | None
    walls: tuple[int, ...] = ()
    dose: KeptDose | None = None


def add_print_options(parser: argparse.ArgumentParser) -> None:
    """Add what says how walls were printed, and their readings."""
    parser.set_defaults(in_order=None)
    ways = parser.add_argument_group("the wall readings, in mm (one of these)")
    ways.add_argument(
        "--read", nargs="+", action=_InOrder, type=reading, metavar="MM", help="all round"
    )
    ways.add_argument(
        "--side", nargs="+", action=_InOrder, type=reading, metavar="MM",
        help="readings of one side; repeat it, every side counts alike",
    )  # fmt: skip
    ways.add_argument(
        "--from", dest="file", metavar="FILE.csv", help="columns reading, side, walls"
    )
    cube = parser.add_argument_group("how the walls were printed")
    cube.add_argument("--width", type=length, metavar="MM", help="line width")
    cube.add_argument(
        "--walls", action=_InOrder, type=walls, metavar="N",
        help="lines a wall; repeat it, each before its readings, where a print has several",
    )  # fmt: skip
    cube.add_argument("--layer", type=length, metavar="MM", help="layer height")
    cube.add_argument(
        "--flow", type=flow, metavar="PERCENT", help="flow it was printed at (93 or 0.93x)"
    )
    cube.add_argument("--line-model", choices=LINE_MODELS, help="how the slicer doses a line")
    cube.add_argument(
        "--aim", type=length, metavar="MM", help="wall wanted, instead of the line model's"
    )
    cube.add_argument("--speed", type=speed, metavar="MM/S", help="print speed of the walls")
    cube.add_argument("--sliced", metavar="FILE", help="or take all that from the sliced file")
    cube.add_argument(
        "--preview", type=preview, metavar="Q@V",
        help="or what the slicer's preview says of a wall: mm³/s at mm/s, as 3.66@40",
    )  # fmt: skip


def given_print(options: argparse.Namespace) -> GivenPrint:
    """Return what the options say of a print."""
    dose, speed_mm_s = None, options.speed
    if options.preview:
        flow_mm3_s, at_mm_s = options.preview
        dose = KeptDose(flow_mm3_s / at_mm_s, None, "preview")
        speed_mm_s = speed_mm_s or at_mm_s
    return GivenPrint(
        options.width,
        options.layer,
        options.flow,
        options.line_model,
        options.aim,
        speed_mm_s,
        tuple(options.walls or ()),
        dose,
    )


def readings_by_walls(options: argparse.Namespace) -> list[list[tuple[str, Typed]]]:
    """Return the readings given, section by section, each with the side it is of.

    Raises:
        Refusal: several numbers of lines, and one of them without readings.
    """
    several = len(options.walls or ()) > 1
    sections: list[list[tuple[str, Typed]]] = [] if several else [[]]
    lines = ""
    for name, values in options.in_order or ():
        if name == "walls":
            if several:
                sections.append([])
                lines = lines_text(values)
            continue
        if not sections:
            raise Refusal(f"--{name} before --walls: say first which walls these readings are of")
        sides = {one for one, _ in sections[-1]}
        side = f"side {len(sides) + 1}" if name == "side" else ""
        named = ", ".join(part for part in (lines, side) if part)
        sections[-1] += [(named, value) for value in values]
    if several and not all(sections):
        raise Refusal("--walls: each number of lines needs its readings after it")
    return sections


def lines_text(count: int) -> str:
    """Return «3 lines», «1 line»."""
    return f"{count} line{'s' if count > 1 else ''}"


def sections_given(
    counts: Sequence[int], known: FlowSettings | None
) -> tuple[tuple[PrintedWalls, ...], bool]:
    """Return the sections of a print before it is read, and whether they were known, not given.

    Raises:
        Refusal: neither.
    """
    if counts:
        return tuple(PrintedWalls(count) for count in counts), False
    if known is None:
        raise Missing("--walls", "how many lines a wall has", lambda text: [walls(text)], [3])
    return tuple(PrintedWalls(one.walls) for one in known.sections), True


def sizes(
    given: GivenPrint,
    known: FlowSettings | None,
    planned: FlowSettings | None,
    bore_mm: float | None,
) -> tuple[float | None, float, list[str]]:
    """Return width and layer height of a print, and which of them were known and not given.

    ``known`` is the plan or the print before; only a plan's dose is that of this print.

    Raises:
        Refusal: one that is needed is neither given nor known; names its option.
    """
    taken = []
    width_mm, layer_mm = given.width_mm, given.layer_mm
    needed = given.aim_mm is None and given.dose is None
    if width_mm is None and known and known.width_mm is not None and needed:
        width_mm = known.width_mm
        taken.append("width")
    if layer_mm is None and known:
        layer_mm = known.layer_mm
        taken.append("layer")
    if width_mm is None and needed and not (planned and (planned.dose or planned.aim_mm)):
        meaning = "the line width the slicer printed with, in mm"
        hint = " (or --sliced FILE, --preview Q@V, --aim MM)"
        raise Missing("--width", meaning, length, bore_mm or _COMMON_BORE_MM, hint=hint)
    if layer_mm is None:
        example = (bore_mm or _COMMON_BORE_MM) / 2
        raise Missing("--layer", "the layer height, in mm", length, example)
    if width_mm is not None:
        check_line(width_mm, layer_mm)
        refuse_slip(width_mm, bore_mm or _COMMON_BORE_MM, "line width")
    return width_mm, layer_mm, taken
