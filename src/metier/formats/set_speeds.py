"""Speeds set in a slicer, as they are typed: ``outer=150``, with a line of its own if need be."""

from collections.abc import Sequence

from metier.core.line.bead import check_line
from metier.core.line.printed import PrintedLine
from metier.core.line.speeds import LINES, SetSpeed
from metier.core.refusal import Refusal
from metier.formats.quantity import read_length_mm, read_positive


def read_speeds(texts: Sequence[str], line: PrintedLine | None) -> tuple[SetSpeed, ...]:
    """Read ``outer=150`` or ``outer=150@0.45x0.2``.

    Raises:
        Refusal: no such form, or no line to reckon with.
    """
    found: dict[str, SetSpeed] = {}
    for text in texts:
        speed = _set_speed(text, line)
        if speed.name in found:
            raise Refusal(f"--speeds: {speed.name} is given twice")
        found[speed.name] = speed
    return tuple(found.values())


def _set_speed(text: str, line: PrintedLine | None) -> SetSpeed:
    name, equals, rest = text.partition("=")
    speed, at, size = rest.partition("@")
    if not equals or not name:
        raise Refusal(f"--speeds: {text!r}: write it outer=150")
    width, by, layer = size.partition("x")
    width_mm = line and line.width_mm
    layer_mm = line and line.layer_mm
    if at:
        width_mm = read_length_mm(width, f"--speeds {name}: width")
        layer_mm = read_length_mm(layer, f"--speeds {name}: layer") if by else layer_mm
    if width_mm is None or layer_mm is None:
        raise Refusal("--speeds needs the line: give --width and --layer")
    check_line(width_mm, layer_mm)
    speed_mm_s = read_positive(speed, f"--speeds {name}", ("mm/s",))
    name = name.strip().lower()
    if name not in LINES:
        raise Refusal(f"--speeds: there is no '{name}': give {', '.join(LINES)}")
    return SetSpeed(name, speed_mm_s, width_mm, layer_mm)
