"""Pairs that were felt, and speeds that are set, as they are typed."""

from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.fit.feel import FEELS, Feel
from metier.core.line.bead import LINES, PrintedLine, SetSpeed, check_line
from metier.formats.quantity import read_length_mm, read_positive, read_signed_length_mm


def read_feel(text: str) -> Feel:
    """Read a feel.

    Raises:
        BadInput: another word.
    """
    for feel in FEELS:
        if text.strip().lower() == feel:
            return feel
    raise BadInput(f"{text[:40]!r} is no feel: {', '.join(FEELS)}")


def read_pair(text: str) -> tuple[Feel, float]:
    """Read ``0.2=snug``: the feel, and the clearance in mm it was felt at.

    Raises:
        BadInput: another form.
    """
    size, equals, feel = text.partition("=")
    if not equals:
        raise BadInput(f"--pair: {text[:40]!r}: write it 0.2=snug")
    return read_feel(feel), round(read_signed_length_mm(size, "--pair"), 9)


def read_tried(text: str) -> tuple[Feel, float]:
    """Read ``0.10/-0.05=slide``: the feel, and the clearance that hole and contour open.

    Raises:
        BadInput: another form.
    """
    size, equals, feel = text.partition("=")
    hole, slash, contour = size.partition("/")
    if not equals or not slash:
        raise BadInput(f"--tried: {text[:40]!r}: write it 0.10/-0.05=slide")
    hole_mm = read_signed_length_mm(hole, "--tried, hole")
    contour_mm = read_signed_length_mm(contour, "--tried, contour")
    return read_feel(feel), round(2 * (hole_mm - contour_mm), 9)


def read_speeds(texts: Sequence[str], line: PrintedLine | None) -> tuple[SetSpeed, ...]:
    """Read ``outer=150`` or ``outer=150@0.45x0.2``.

    Raises:
        BadInput: no such form, or no line to reckon with.
    """
    found: dict[str, SetSpeed] = {}
    for text in texts:
        speed = _set_speed(text, line)
        if speed.name in found:
            raise BadInput(f"--speeds: {speed.name} is given twice")
        found[speed.name] = speed
    return tuple(found.values())


def _set_speed(text: str, line: PrintedLine | None) -> SetSpeed:
    name, equals, rest = text.partition("=")
    speed, at, size = rest.partition("@")
    if not equals or not name:
        raise BadInput(f"--speeds: {text!r}: write it outer=150")
    width, by, layer = size.partition("x")
    width_mm = line and line.width_mm
    layer_mm = line and line.layer_mm
    if at:
        width_mm = read_length_mm(width, f"--speeds {name}: width")
        layer_mm = read_length_mm(layer, f"--speeds {name}: layer") if by else layer_mm
    if width_mm is None or layer_mm is None:
        raise BadInput("--speeds needs the line: give --width and --layer")
    check_line(width_mm, layer_mm)
    speed_mm_s = read_positive(speed, f"--speeds {name}", ("mm/s",))
    name = name.strip().lower()
    if name not in LINES:
        raise BadInput(f"--speeds: there is no '{name}': give {', '.join(LINES)}")
    return SetSpeed(name, speed_mm_s, width_mm, layer_mm)
