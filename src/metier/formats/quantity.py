"""Numbers as they are typed, alone, in pairs, or as calipers send them."""

import math
import re

from metier.core.errors import BadInput

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
        BadInput: anything else, NaN and infinity included.
    """
    match = _NUMBER.fullmatch(text.strip())
    if not match or match[3].strip().lower() not in ("", *units):
        shown = text if len(text) <= 40 else text[:37] + "..."
        raise BadInput(f"{what}: {shown!r} is not a number{_hint(units)}")
    value = float(match[1] + match[2].replace(",", "."))
    if not math.isfinite(value) or len(match[2]) > 30:
        raise BadInput(f"{what}: that number has too many digits")
    return value


def read_positive(text: str, what: str, units: tuple[str, ...] = ()) -> float:
    """Read a number above zero.

    Raises:
        BadInput: not a number, or not above zero.
    """
    value = read_number(text, what, units)
    if value <= 0:
        raise BadInput(f"{what}: {text.strip()} must be above zero")
    return value


def read_length_mm(text: str, what: str, zero_allowed: bool = False) -> float:
    """Read a length in mm, or in inches where it says so.

    >>> round(read_length_mm("0.0185in", "reading"), 4)
    0.4699

    Raises:
        BadInput: not a length above zero (or at zero, where ``zero_allowed``).
    """
    value = read_signed_length_mm(text, what)
    if value < 0 or (value == 0 and not zero_allowed):
        lowest = "zero or above" if zero_allowed else "above zero"
        raise BadInput(f"{what}: {text.strip()} must be {lowest}")
    return value


def read_signed_length_mm(text: str, what: str) -> float:
    """Read a length that may be negative, as a zero offset may.

    Raises:
        BadInput: not a length.
    """
    value = read_number(text, what, ("mm", *_INCH))
    if text.strip().lower().endswith(_INCH):
        value *= MM_PER_INCH
    if abs(value) > LONGEST_MM:
        raise BadInput(f"{what}: {text.strip()} is longer than any bench")
    return value


def read_celsius(text: str, what: str = "") -> float:
    """Read a temperature in °C, 0 for what is not heated.

    Raises:
        BadInput: none that is printed at.
    """
    value = read_number(text, what, ("c", "°c"))
    if not 0 <= value <= HOTTEST_C:
        raise BadInput(f"{what}: {text.strip()} °C is no temperature to print at (0 to 500)")
    return value


def read_flow(text: str, what: str = "--flow") -> float:
    """Read a flow, percent or multiplier, as a ratio.

    >>> read_flow("93"), read_flow("93 %"), read_flow("0.93x")
    (0.93, 0.93, 0.93)

    Raises:
        BadInput: a bare number that looks like a multiplier, or no believable flow.
    """
    value = read_positive(text, what, ("%", "x", "×"))
    typed = text.strip()
    if typed.lower().endswith(("x", "×")):
        ratio = value
    elif not typed.endswith("%") and value <= 3:
        raise BadInput(
            f"{what}: {typed} could be percent or a multiplier: type {value * 100:g} for percent "
            f"or {typed}x for the multiplier"
        )
    else:
        ratio = value / 100
    if not 0.1 <= ratio <= 3:
        slip = f": was it {1000 * ratio:g} %?" if 0.05 <= ratio < 0.1 else ""
        raise BadInput(f"{what}: {typed} is no flow that prints (10 to 300 %){slip}")
    return ratio


def read_count(text: str, what: str, most: int, least: int = 1) -> int:
    """Read a whole number from ``least`` to ``most``.

    Raises:
        BadInput: anything else.
    """
    if not re.fullmatch(r"\d{1,9}", text.strip(), re.ASCII) or not least <= int(text) <= most:
        shown = text if len(text) <= 40 else text[:37] + "..."
        raise BadInput(f"{what}: {shown!r} is not a whole number from {least} to {most}")
    return int(text)


def _hint(units: tuple[str, ...]) -> str:
    if "mm" in units:
        return " of mm: type 0.47, 0,47, .47 or 0.0185in"
    if "x" in units:
        return ": type 93 for percent or 0.93x for a multiplier"
    return ""


# The channel of a box with several instruments: 01A+00001.41, or 1:1.41.
_CHANNEL = r"^(?:\d{1,2}[A-Z](?=[+-]\d)|\d{1,2}\s*:\s*(?=[+-]?[\d.,]))"
_PADDED = r"^\+?0*(?=\d)"
# A byte order mark read as it is, and as the three letters that it looks like.
_MARKS = ("\ufeff", "\u00ef\u00bb\u00bf")
# Controls frame a message (STX, ETX, NUL); a tab may stand between a reading and its unit.
_CONTROL = r"[\x00-\x08\x0b-\x1f\x7f]"


def plain_line(line: str) -> str:
    """Return what is typed in a line, without a frame, a channel, and the marks behind it.

    >>> [plain_line(sent) for sent in ("\\x0201A+00001.41\\x03", "1:1.41", "0.47\\tmm;")]
    ['1.41', '1.41', '0.47 mm']
    """
    for mark in _MARKS:
        line = line.removeprefix(mark)
    text = " ".join(re.sub(_CONTROL, "", line).split())
    text = text.rstrip("; ")
    bare = re.sub(_CHANNEL, "", text)
    return text if bare == text else re.sub(_PADDED, "", bare.strip())
