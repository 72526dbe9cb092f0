"""Figures, values and labels in words, and commands that are proposed."""

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from metier import clock
from metier.clock import stored_time
from metier.core.measure.student import Influence
from metier.core.values import VALUES

MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]


def decimals_for(u95: float, most: int = 4) -> int:
    """Return the decimals that leave two significant digits of U (JCGM 100:2008, 7.2.6)."""
    return most if not u95 > 0 else max(0, min(most, 1 - math.floor(math.log10(u95) + 1e-9)))


def with_u95(value: float, u95: float | None, most: int = 4) -> str:
    """Return ``value ± u95``, both to the digits that U carries.

    >>> with_u95(426.501, 1.369), with_u95(0.4725, 0.0138)
    ('426.5 ± 1.4', '0.472 ± 0.014')
    """
    if u95 is None:
        return f"{value:.{most}f}".rstrip("0").rstrip(".")
    places = decimals_for(u95, most)
    return f"{value:.{places}f} ± {u95:.{places}f}"


def influences_text(
    influences: Sequence[Influence], unit: str, factor: float = 1.0
) -> tuple[str, str]:
    """Return the largest influence on a ±, and beside it the others that count, each with its own.

    >>> influences_text([Influence("prints", 0.016), Influence("jaws", 0.014)], "%", 100)
    ('prints 1.6 %', 'then jaws 1.4')
    """
    first, *others = influences
    places = decimals_for(factor * first.u95)
    counts = [other for other in others if other.u95 > 0.2 * first.u95]
    text = ", ".join(f"{count.name} {factor * count.u95:.{places}f}" for count in counts)
    return f"{first.name} {factor * first.u95:.{places}f} {unit}", f"then {text}" if text else ""


def numbers_text(numbers: Sequence[int], most: int = 12) -> str:
    """Return trials by their numbers, the first of very many.

    >>> numbers_text([4, 7]), numbers_text([1, 2, 3, 4, 5], most=3)
    ('4, 7', '1, 2, 3 and 2 more')
    """
    shown = ", ".join(str(number) for number in numbers[:most])
    return f"{shown} and {len(numbers) - most} more" if len(numbers) > most else shown


def came_text(so: bool) -> str:
    """Return the words for a forecast that came so, or did not."""
    return "it came so" if so else "it did not come so: look what changed since"


def flow_forms(ratio: float, first: str = "percent", step_percent: float = 1.0) -> str:
    """Return a flow in both forms, the preferred one first.

    >>> flow_forms(0.92), flow_forms(0.924, "multiplier", 0.1)
    ('92 % (0.92x)', '0.924x (92.4 %)')
    """
    places = max(0, -math.floor(math.log10(step_percent) + 1e-9))
    if abs(100 * ratio - round(100 * ratio, places)) > 1e-6:
        places = 2
    percent = f"{100 * ratio:.{places}f} %"
    multiplier = f"{ratio:.{places + 2}f}x"
    return f"{multiplier} ({percent})" if first == "multiplier" else f"{percent} ({multiplier})"


def short_date(at: str, *, with_year: bool = False) -> str:
    """Return a moment as the local day it fell on, with the year where it is not this one's."""
    local = stored_time(at).astimezone()
    day = f"{local.day} {MONTHS[local.month - 1]}"
    this_year = clock.now().astimezone().year
    return f"{day} {local.year}" if with_year or local.year != this_year else day


def both_text(hole_mm: float | None, contour_mm: float | None) -> str:
    """Return hole and contour beside each other, in the room of one number."""
    return "/".join(
        "-" if value is None else f"{value:+.2f}".replace("0.", ".", 1)
        for value in (hole_mm, contour_mm)
    )


def duration(seconds: float) -> str:
    """Return how long something takes, by its size.

    >>> duration(8.54), duration(59.96), duration(750.4), duration(64.6 * 60)
    ('8.5 s', '1 min 00 s', '12 min 30 s', '1 h 05 min')
    """
    if seconds < 59.95:
        return f"{seconds:.1f} s"
    whole = round(seconds)
    if whole < 3600:
        return f"{whole // 60} min {whole % 60:02d} s"
    minutes = round(seconds / 60)
    return f"{minutes // 60} h {minutes % 60:02d} min"


def about(seconds: float) -> str:
    """Return what a print takes, up to the minute.

    >>> about(5), about(12.1 * 60), about(60 * 60), about(64.2 * 60)
    ('about 1 min', 'about 13 min', 'about 1 h 00 min', 'about 1 h 05 min')
    """
    minutes = max(1, math.ceil(seconds / 60 - 1e-9))
    if minutes < 60:
        return f"about {minutes} min"
    return f"about {minutes // 60} h {minutes % 60:02d} min"


class Writing(NamedTuple):
    """How this bench writes values: the firmware's decimals, flow's step and preferred form."""

    decimals: int = 2
    flow_step_percent: float = 1.0
    show_flow: str = "percent"


def value_text(name: str, value: float, writing: Writing) -> str:
    """Return a value as it is typed in, without its unit; a percentage as multiplier too.

    >>> value_text("esteps", 426.5, Writing()), value_text("hole", 0.1, Writing())
    ('426.50', '+0.10')
    """
    row = VALUES[name]
    if row.unit == "%":
        return flow_forms(value, writing.show_flow, writing.flow_step_percent)
    digits = writing.decimals if row.place == "printer" else row.digits
    form = "g" if digits is None else f".{digits}f"
    return f"{value:{'+' if row.signed else ''}{form}}"


def u95_text(name: str, u95: float | None) -> str:
    """Return «± 1.4», or «± 2.5 %» of flow; empty when the uncertainty is not known."""
    if u95 is None:
        return ""
    row = VALUES[name]
    shown = row.seen(u95)
    return f"± {shown:.{decimals_for(shown)}f}" + (" %" if row.unit == "%" else "")


def unit_text(name: str) -> str:
    """Return the unit that follows the value; a percentage carries its own."""
    unit = VALUES[name].unit
    return "" if unit == "%" else unit


def with_unit(name: str, value: float, writing: Writing, u95: float | None = None) -> str:
    """Return a value, its ± where one is given, and its unit."""
    parts = (value_text(name, value, writing), u95_text(name, u95), unit_text(name))
    return " ".join(part for part in parts if part)


_SAFE = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_./=:@%+,")


def proposed(*words: str) -> str:
    """Return ``metier`` with these words, each quoted where a shell would misread it.

    >>> proposed("bench", "--spool", "sea green"), proposed("next")
    ("metier bench --spool 'sea green'", 'metier next')
    """
    return " ".join(["metier", *(_quoted(word) for word in words)])


def _quoted(word: str) -> str:
    if word and _SAFE.issuperset(word):
        return word
    import shlex

    return shlex.quote(word)


_UNITS = {
    "mm3_s_mm": "mm³/s a mm",
    "mm3_s": "mm³/s",
    "mm_s": "mm/s",
    "mm_s2": "mm/s²",
    "mm2": "mm²",
    "mm": "mm",
    "mpa": "MPa",
    "percent": "%",
    "g_per_m": "g/m",
    "g": "g",
    "c": "°C",
}


def labelled(name: str, value: object) -> tuple[str, str]:
    """Turn a key such as ``layer_mm`` and its value into a label and a value with its unit."""
    ending = next((ending for ending in _UNITS if name.endswith(f"_{ending}")), "")
    unit = _UNITS.get(ending, "")
    if isinstance(value, list) and value and isinstance(value[0], dict):
        # Parts of one kind stand beside each other, each by what comes first in it.
        text = "  ".join(f"{next(iter(part.values()))}" for part in value)
    elif isinstance(value, list) and len(value) == 2 and not isinstance(value[0], str):
        text = " … ".join(f"{item:+g}" for item in value)
    elif isinstance(value, list):
        text = "  ".join(item if isinstance(item, str) else f"{item:g}" for item in value)
    elif isinstance(value, int | float):
        text = f"{round(value, 4):g}"
    else:
        text = str(value)
    label = name.removesuffix(f"_{ending}") if unit else name
    return label.replace("_", " "), f"{text} {unit}".strip()


def flat(kept: Mapping[str, object]) -> dict[str, object]:
    """Return settings with their parts beside each other.

    >>> flat({"way": "ramp", "ramp": {"from_mm3_s": 4.0}})
    {'way': 'ramp', 'from_mm3_s': 4.0}
    """
    columns: dict[str, object] = {}
    for name, value in kept.items():
        if isinstance(value, dict) and not name.endswith(("_mm", "_g")):
            columns.update(flat(value))
        else:
            columns[name] = value
    return columns
