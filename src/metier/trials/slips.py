"""Slips that a whole trial shows: a reading ten times off, a zero that is none, typed in twice."""

from argparse import Namespace
from collections.abc import Sequence
from typing import Any

from metier.core.errors import Slip
from metier.logbook.trials import Reading, latest_on, readings
from metier.trials.kind import Kind, Settled
from metier.trials.on_bench import OnBench
from metier.words.missing import may_ask

_USUAL_ZERO_MM = 0.05


def without_slip(slip: Slip, taken: Sequence[Reading], options: Namespace) -> list[Reading]:
    """Return the readings with the one that was likely meant, if whoever sits there says so.

    Raises:
        Slip: it is another number than one that was typed, nobody sits there, or it was not meant.
    """
    from metier.words.question import said_firmly

    shown = f"{slip.likely:.6g}"
    typed = any(reading.value == slip.value for reading in taken)
    if not typed or not may_ask(options.json) or not said_firmly(f"{slip} y takes {shown}"):
        raise slip
    return [
        reading._replace(value=slip.likely, typed=shown) if reading.value == slip.value else reading
        for reading in taken
    ]


def odd_zero_mm(settled: Settled[Any]) -> float:
    """Return the zero of the calipers where it is larger than clean jaws have; else 0."""
    jaws = getattr(settled.settings, "instrument_mm", None)
    zero_mm: float = getattr(jaws, "zero_mm", 0.0)
    return zero_mm if abs(zero_mm) > _USUAL_ZERO_MM else 0.0


def typed_twice(
    kind: Kind[Any, Any, Any], bench: OnBench, settled: Settled[Any], taken: Sequence[Reading]
) -> list[str]:
    """Say where the newest trial has just these readings: somebody typed it in twice."""
    for before in latest_on(bench.book, bench.setup, kind.name, 1) if bench.setup else ():
        same = readings(bench.book, before.number) == list(taken) and len(taken) > 1
        if same and before.conditions == settled.conditions:
            return [
                f"these are the readings of trial {before.number} once more: if it was typed in "
                "twice, metier undo takes this one back"
            ]
    return []
