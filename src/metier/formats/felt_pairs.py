"""Pairs that were felt, as they are typed."""

from metier.core.errors import BadInput
from metier.core.fit.feel import FEELS, Feel
from metier.formats.quantity import read_signed_length_mm


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
