"""The values of a profile in words: what each is called, where it is typed, how it is written."""

from typing import NamedTuple

from metier.core.dependence import TRAITS, ValueKind
from metier.show.figures import decimals_for, flow_forms


class Name(NamedTuple):
    """What a value is called here, what else it goes by, and where it is typed in."""

    short: str
    also: str
    place: str


NAMES: dict[ValueKind, Name] = {
    "esteps": Name("e-steps", "steps per mm of the extruder", "printer"),
    "flow": Name("flow", "flow ratio or multiplier", "slicer"),
    "limit": Name("limit", "volumetric speed limit", "slicer"),
    "hole": Name("hole", "XY hole compensation", "slicer"),
    "contour": Name("contour", "XY contour compensation", "slicer"),
    "scale": Name("scale", "XY shrinkage", "slicer"),
}


class Writing(NamedTuple):
    """How this bench writes values: the firmware's decimals, flow's step and preferred form."""

    decimals: int = 2
    flow_step_percent: float = 1.0
    show_flow: str = "percent"


def value_text(kind: ValueKind, value: float, writing: Writing) -> str:
    """Return a value as it is typed in, without its unit; flow in both forms.

    >>> value_text("esteps", 426.5, Writing()), value_text("hole", 0.1, Writing())
    ('426.50', '+0.10')
    """
    if kind == "esteps":
        return f"{value:.{writing.decimals}f}"
    if kind == "flow":
        return flow_forms(value, writing.show_flow, writing.flow_step_percent)
    if kind == "limit":
        return f"{value:g}"
    if kind == "scale":
        return f"{value:.4f}"
    return f"{value:+.2f}"


def u95_text(kind: ValueKind, u95: float | None) -> str:
    """Return «± 1.4», or «± 2.5 %» of flow; empty when the uncertainty is not known."""
    if u95 is None:
        return ""
    shown = on_screen(kind, u95)
    return f"± {shown:.{decimals_for(shown)}f}" + (" %" if kind == "flow" else "")


def unit_text(kind: ValueKind) -> str:
    """Return the unit that follows the value; flow carries its own."""
    return "" if kind == "flow" else TRAITS[kind].unit


def on_screen(kind: ValueKind, value: float) -> float:
    """Return a value in the unit people see: flow in percent, all else as it is reckoned."""
    # 0.92 * 100 is not quite 92 in binary; far below any step that is ever typed.
    return round(100 * value, 9) if kind == "flow" else value
