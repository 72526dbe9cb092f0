"""What stands behind an option: lengths, flows, temperatures, readings as they were typed."""

import argparse
from collections.abc import Callable
from typing import Any, NamedTuple

from metier.core.refusal import Refusal
from metier.formats import quantity

MOST_WALLS = 20
# No roll of a hobby bench is longer.
LONGEST_ROLL_M = 20_000.0
_LONGEST_TEXT = 200


def typed(read: Callable[..., Any], *args: Any) -> Callable[[str], Any]:
    """Turn a reader of quantities into a type for argparse, which names the option itself."""

    def convert(text: str) -> Any:
        try:
            return read(text, "", *args)
        except Refusal as refusal:
            raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None

    return convert


length = typed(quantity.read_length_mm)
length_or_zero = typed(quantity.read_length_mm, True)
signed_length = typed(quantity.read_signed_length_mm)
positive = typed(quantity.read_positive)
number = typed(quantity.read_number)
percent = typed(quantity.read_number, ("%",))
speed = typed(quantity.read_positive, ("mm/s",))
steps = typed(quantity.read_positive, ("steps/mm",))
_mass = typed(quantity.read_positive, ("g",))
mm3_s = typed(quantity.read_positive, ("mm³/s", "mm3/s"))
temperature = typed(quantity.read_positive, ("c", "°c"))
celsius = typed(quantity.read_celsius)
flow = typed(quantity.read_flow)
baud = typed(quantity.read_count, 9_999_999)
walls = typed(quantity.read_count, MOST_WALLS)
trial_number = typed(quantity.read_count, 999_999_999)
whole = typed(quantity.read_count, 9999)
whole_or_zero = typed(quantity.read_count, 9999, 0)


def small_text(text: str) -> str:
    """Read a maker, a colour, a note: one printable line."""
    trimmed = " ".join(text.split())
    if not trimmed or len(trimmed) > _LONGEST_TEXT or not trimmed.isprintable():
        raise argparse.ArgumentTypeError(f"give 1 to {_LONGEST_TEXT} printable characters")
    return trimmed


def port(text: str) -> str:
    """Read the name of a port: a device, or a serial line on the network."""
    from metier.port_name import checked_port

    try:
        return checked_port(text)
    except Refusal as refusal:
        raise argparse.ArgumentTypeError(str(refusal)) from None


class Typed(NamedTuple):
    """A reading in mm beside what was typed, which the logbook keeps as it was."""

    value_mm: float
    text: str


class Grams(NamedTuple):
    """A reading off a scale beside what was typed."""

    value_g: float
    text: str


def grams(text: str) -> Grams:
    """Read what a scale shows."""
    return Grams(_mass(text), text.strip())


def reading(text: str) -> Typed:
    """Read one number off the instrument."""
    return Typed(length(text), text.strip())


def reading_or_zero(text: str) -> Typed:
    """Read one number that may be zero: nothing left, nothing short."""
    return Typed(length_or_zero(text), text.strip())


def typed_mm3_s(text: str) -> Typed:
    """Read one flow off a preview; kept beside the readings in mm."""
    return Typed(mm3_s(text), text.strip())


def strand(text: str) -> tuple[Typed, ...]:
    """Read the lengths of one cut strand, ``98.4`` or ``98.4/98.7``."""
    return tuple(reading(part) for part in text.split("/"))


def preview(text: str) -> tuple[float, float]:
    """Read flow and speed of a line off a preview, as «3.66@40»."""
    flow_text, at, speed_text = text.partition("@")
    try:
        if not at:
            raise Refusal(f"{text[:20]!r} is no flow and speed: write mm³/s@mm/s, as 3.66@40")
        flow_mm3_s = quantity.read_positive(flow_text, "", ("mm³/s", "mm3/s"))
        speed_mm_s = quantity.read_positive(speed_text, "", ("mm/s",))
    except Refusal as refusal:
        raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None
    return flow_mm3_s, speed_mm_s
