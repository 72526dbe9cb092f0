"""The values of a profile in words: how each is written, with its ± and its unit."""

from typing import NamedTuple

from metier.core.values import VALUES
from metier.show.figures import decimals_for, flow_forms


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
