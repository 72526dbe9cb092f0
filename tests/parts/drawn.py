"""Parts as the tests draw them: each once, for a nozzle of a bore."""

import tempfile

from metier.core.fit.thread import thread_of
from metier.core.limit.plan import Outline, Reach
from metier.core.limit.ramp import Continuous, Ramp, Stepped
from metier.core.line.bead import PrintedLine, line_for_bore
from metier.core.line.runs import Layer, extent_of
from metier.core.materials import material_of
from metier.formats.gcode import Sliced, read_gcode
from metier.formats.gcode_written import Bed, Machine, gcode_of, shift_on
from metier.parts.columns import Columns
from metier.parts.cooling import Pacing, paced
from metier.parts.coupons import Coupons
from metier.parts.pairs import Pairs
from metier.parts.part import Compensated, Part
from metier.parts.plate import DrawnSize, Plate
from metier.parts.ramp import RampTube
from metier.parts.threads import BoltAndNut
from metier.parts.tube import Tube, TubeSection
from tests.conftest import not_quick

FILAMENT_MM = 1.75
BORES = (0.25, 0.4, 0.5, 0.8, 1.0)
# All of them for what is drawn in every layer; in a hurry the usual one is enough.
EVERY_BORE = [0.4, *not_quick(0.25, 0.5, 0.8, 1.0)]
SIZES = [DrawnSize(kind, size) for kind in ("hole", "post") for size in (4.0, 10.0, 16.0)]


def line_of(bore_mm: float, flow: float = 1.0) -> PrintedLine:
    """Return the line that suits a bore."""
    return PrintedLine(*line_for_bore(bore_mm), "rounded", flow)


def tube(
    line: PrintedLine, *sections: tuple[int, float], number: int = 4, side_mm: float = 30.0
) -> Tube:
    """Return a tube of these lines and flows."""
    return Tube(number, line, tuple(TubeSection(*one) for one in sections), 40.0, side_mm, 8.0)


def speeds(line: PrintedLine, *speeds_mm_s: float) -> Tube:
    """Return a tube of three lines a wall whose sections differ in speed alone."""
    sections = tuple(TubeSection(3, line.flow, one) for one in speeds_mm_s)
    return Tube(14, line, sections, 40.0, 30.0, 8.0)


def ramp(
    line: PrintedLine, rising: Ramp, outline: str = "round", size_mm: float = 40.0
) -> RampTube:
    """Return a ramp on an outline, with ribs as its steps have them."""
    every_mm = rising.every_mm if isinstance(rising, Stepped) else 10 * line.layer_mm
    reach = Reach(Outline(outline, size_mm), 3000.0)
    return RampTube(17, rising, line, reach, every_mm)


def stepped(line: PrintedLine, layers: int = 6) -> Stepped:
    """Return a ramp whose steps are so many layers high, on a foot of two."""
    high = round(layers * line.layer_mm, 6)
    return Stepped(3.0, 0.5, high, round(2 * line.layer_mm, 6), 7.0)


def rising(line: PrintedLine) -> Continuous:
    """Return a ramp that rises all the way, over 60 layers on a foot of two."""
    high_mm = 60 * line.layer_mm
    return Continuous(3.0, 4.0 / high_mm, 2 * line.layer_mm, 7.0)


def all_parts(bore_mm: float) -> list[Part]:
    """Return one of each."""
    return parts_of(line_of(bore_mm))


def parts_of(line: PrintedLine) -> list[Part]:
    """Return one of each, of such lines."""
    none = Compensated()
    return [
        tube(line, (3, 1.08)),
        tube(line, (3, 1.08), (2, 1.08), (1, 1.08), number=1234),
        ramp(line, stepped(line)),
        ramp(line, rising(line), "square", 50.0),
        Plate(9, [one for one in SIZES if one.diameter_mm < 16], line, 40.0, none),
        Pairs(10, (0.1, 0.2), line, 40.0, none, 5.0),
        BoltAndNut(11, thread_of("M6x1"), "mid", line, 40.0, none),
        Coupons(12, (2.0, 3.0), 1, line, 6.0, 10.0),
        Columns(13, line, (220.0, 210.0), 40.0),
        speeds(line, 20.0, 60.0),
    ]


def printed(part: Part) -> list[Layer]:
    """Return the lines of a part of PLA, none of its layers too short to set."""
    layers = part.layers()
    if part.pacing == "kept":
        return layers
    return paced(layers, part.line, Pacing(part.pacing == "slower", material_of("PLA")))


def written(part: Part, bed: Bed = Bed(300.0, 300.0, "corner")) -> tuple[str, Sliced]:  # noqa: B008
    """Return a part as G-code, and as that reads."""
    layers = printed(part)
    machine = Machine(bed, 210.0, 60.0, FILAMENT_MM, 0.4, 4.0, 100.0, 3000.0)
    shift = shift_on(bed, extent_of(tuple(layers)), layers[-1].top_mm, primed=True)
    line = part.line
    comments = [f"line width {line.width_mm:g} mm", f"line distance {line.apart_mm:.9f} mm"]
    text = gcode_of(layers, machine, shift, comments)
    with tempfile.NamedTemporaryFile("w", suffix=".gcode") as file:
        file.write(text)
        file.flush()
        return text, read_gcode(file.name)
