"""Lengths, flows and other numbers as people and calipers type them."""

import math
import re

from metier.core.refusal import Refusal

MM_PER_INCH = 25.4
# No length on a hobby bench is longer; beyond it a digit was repeated.
HOTTEST_C = 500.0
LONGEST_MM = 100_000.0

_NUMBER = re.compile(r"([+-]?)(\d+[.,]?\d*|[.,]\d+)\s*(.*)", re.ASCII | re.DOTALL)
_INCH = ("in", '"', "″", "inch")


def read_number(text: str, what: str, units: tuple[str, ...] = ()) -> float:
    """Read a finite number with a decimal point or comma, and one of ``units`` if it has any.

    >>> read_number("0,47", "wall"), read_number(".47 mm", "wall", ("mm",))
    (0.47, 0.47)

    Raises:
        Refusal: anything else, NaN and infinity included.
    """
    match = _NUMBER.fullmatch(text.strip())
    if not match or match[3].strip().lower() not in ("", *units):
        shown = text if len(text) <= 40 else text[:37] + "..."
        raise Refusal(f"{what}: {shown!r} is not a number{_hint(units)}")
    value = float(match[1] + match[2].replace(",", "."))
    if not math.isfinite(value) or len(match[2]) > 30:
        raise Refusal(f"{what}: that number has too many digits")
    return value


def read_positive(text: str, what: str, units: tuple[str, ...] = ()) -> float:
    """Read a number above zero.

    Raises:
        Refusal: not a number, or not above zero.
    """
    value = read_number(text, what, units)
    if value <= 0:
        raise Refusal(f"{what}: {text.strip()} must be above zero")
    return value


def read_length_mm(text: str, what: str, zero_allowed: bool = False) -> float:
    """Read a length in mm, or in inches where it says so.

    >>> round(read_length_mm("0.0185in", "reading"), 4)
    0.4699

    Raises:
        Refusal: not a length above zero (or at zero, where ``zero_allowed``).
    """
    value = read_signed_length_mm(text, what)
    if value < 0 or (value == 0 and not zero_allowed):
        lowest = "zero or above" if zero_allowed else "above zero"
        raise Refusal(f"{what}: {text.strip()} must be {lowest}")
    return value


def read_signed_length_mm(text: str, what: str) -> float:
    """Read a length that may be negative, as a zero offset may.

    Raises:
        Refusal: not a length.
    """
    value = read_number(text, what, ("mm", *_INCH))
    if text.strip().lower().endswith(_INCH):
        value *= MM_PER_INCH
    if abs(value) > LONGEST_MM:
        raise Refusal(f"{what}: {text.strip()} is longer than any bench")
    return value


def read_celsius(text: str, what: str = "") -> float:
    """Read a temperature in °C, 0 for what is not heated.

    Raises:
        Refusal: none that is printed at.
    """
    value = read_number(text, what, ("c", "°c"))
    if not 0 <= value <= HOTTEST_C:
        raise Refusal(f"{what}: {text.strip()} °C is no temperature to print at (0 to 500)")
    return value


def read_flow(text: str, what: str = "--flow") -> float:
    """Read a flow, percent or multiplier, as a ratio.

    >>> read_flow("93"), read_flow("93 %"), read_flow("0.93x")
    (0.93, 0.93, 0.93)

    Raises:
        Refusal: a bare number that looks like a multiplier, or no believable flow.
    """
    value = read_positive(text, what, ("%", "x", "×"))
    typed = text.strip()
    if typed.lower().endswith(("x", "×")):
        ratio = value
    elif not typed.endswith("%") and value <= 3:
        raise Refusal(
            f"{what}: {typed} could be percent or a multiplier: type {value * 100:g} for percent "
            f"or {typed}x for the multiplier"
        )
    else:
        ratio = value / 100
    if not 0.1 <= ratio <= 3:
        slip = f": was it {1000 * ratio:g} %?" if 0.05 <= ratio < 0.1 else ""
        raise Refusal(f"{what}: {typed} is no flow that prints (10 to 300 %){slip}")
    return ratio


def read_count(text: str, what: str, most: int, least: int = 1) -> int:
    """Read a whole number from ``least`` to ``most``.

    Raises:
        Refusal: anything else.
    """
    if not re.fullmatch(r"\d{1,9}", text.strip(), re.ASCII) or not least <= int(text) <= most:
        shown = text if len(text) <= 40 else text[:37] + "..."
        raise Refusal(f"{what}: {shown!r} is not a whole number from {least} to {most}")
    return int(text)


def _hint(units: tuple[str, ...]) -> str:
    if "mm" in units:
        return " of mm: type 0.47, 0,47, .47 or 0.0185in"
    if "x" in units:
        return ": type 93 for percent or 0.93x for a multiplier"
    return ""
