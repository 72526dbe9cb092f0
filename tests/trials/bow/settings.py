"""What a ledge is printed with."""

from typing import NamedTuple

from metier.logbook.plain import Form


class BowSettings(NamedTuple):
    span_mm: float
    lift_mm: float


def _upgraded(kept: dict[str, object], version: int) -> dict[str, object]:
    return {"span_mm": kept["span_cm"] * 10, "lift_mm": 0.0} if version < 3 else kept


FORM = Form(BowSettings, 3, _upgraded)
