"""Numbers as a person reads them: no digit that the uncertainty does not carry."""

import math
from collections.abc import Sequence
from datetime import UTC, datetime

from metier.core.measure.budget import Influence

MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]


def decimals_for(u95: float, most: int = 4) -> int:
    """Return the decimals that leave two significant digits of U (JCGM 100:2008, 7.2.6)."""
    if not u95 > 0:
        return most
    return max(0, min(most, 1 - math.floor(math.log10(u95) + 1e-9)))


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
    counts = [one for one in others if one.u95 > 0.2 * first.u95]
    text = ", ".join(f"{one.name} {factor * one.u95:.{places}f}" for one in counts)
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


def short_date(at: str, now: datetime | None = None) -> str:
    """Return a moment as the local day it fell on, with the year if it is not this one's."""
    local = datetime.fromisoformat(at.replace("Z", "+00:00")).astimezone()
    today = (now or datetime.now(UTC)).astimezone()
    day = f"{local.day} {MONTHS[local.month - 1]}"
    return day if local.year == today.year else f"{day} {local.year}"


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
