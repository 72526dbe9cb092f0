"""A flow found at a speed and temperature, as it is typed: «40@230=62/2»."""

import argparse

from metier.core.flow.points import Place
from metier.core.measure.student import NORMAL95
from metier.core.refusal import Refusal
from metier.formats import quantity

# What a flow without a ± counts as, relative.
_TAKEN_U95 = 0.03


def map_point(text: str) -> tuple[Place, float, float]:
    """Read a speed, a temperature if there is one, a flow and its ± if there is one; returns the
    place, the flow as a ratio, and its u."""
    where, is_there, found = text.partition("=")
    speed_text, at, heat_text = where.partition("@")
    flow_text, _, u95_text = found.partition("/")
    try:
        if not is_there:
            raise Refusal(f"{text[:30]!r}: write SPEED@TEMPERATURE=FLOW/U, as 40@230=62/2")
        speed_mm_s = quantity.read_positive(speed_text, "speed", ("mm/s",))
        heat_c = quantity.read_celsius(heat_text, "temperature") if at else None
        ratio = quantity.read_flow(flow_text, "flow")
        u95 = _TAKEN_U95 * ratio
        if u95_text:
            u95 = quantity.read_positive(u95_text, "±", ("%",)) / 100
    except Refusal as refusal:
        raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None
    return Place(speed_mm_s, heat_c), ratio, u95 / NORMAL95
