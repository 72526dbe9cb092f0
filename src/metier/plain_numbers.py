"""Plain numbers in, results out: what the calls of the library have in common."""

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from metier.core.errors import BadInput
from metier.core.measure.instruments import InstrumentKind, Named, Use
from metier.core.values import VALUES
from metier.logbook.bench import EMPTY
from metier.logbook.trials import Reading
from metier.show.figures import with_u95
from metier.trials.kind import Kind, Measured, Settled, judge
from metier.trials.on_bench import OnBench

Numbers = float | Iterable[float]
# Where nothing is recorded, and nothing known.
_NOWHERE = OnBench(None, EMPTY, None)  # type: ignore[arg-type]


class Instrument(NamedTuple):
    """What something was measured with; figures that are None are those of its kind."""

    kind: InstrumentKind = "calipers"
    accuracy_mm: float | None = None
    resolution_mm: float | None = None
    zero_mm: float | None = None
    accuracy_g: float | None = None
    resolution_g: float | None = None
    zero_g: float | None = None


class Value(NamedTuple):
    """A value that a result calls for, in the unit people see: ± U at 95 %, and the interval that
    holds it 95 times in 100; None where nothing tells."""

    value: float | None
    unit: str
    u95: float | None
    interval: tuple[float, float] | None


class Result:
    """What readings say. ``values`` has each value by its name, the first one stands for all;
    ``record`` is all of it, with units in its names; ``chance`` is that of the value that is set to
    be right, from 0 to 1, where it is reckoned."""

    def __init__(self, made: Measured[Any, Any, Any], values: Mapping[str, Value]) -> None:
        self._made, self.values, self.record = made, dict(values), made.result
        first = next(iter(self.values.values()))
        self.value, self.unit, self.u95, self.interval = first
        self.verdict, self.reason, self.remedies = made.verdict
        self.notes = made.notes
        sure_percent = getattr(made.result, "sure_percent", None)
        self.chance: float | None = None if sure_percent is None else sure_percent / 100

    def to_dict(self) -> dict[str, object]:
        """Return all of it as JSON has it."""
        return self._made.payload

    def __repr__(self) -> str:
        known = []
        for name, of in self.values.items():
            if of.value is not None:
                shown = with_u95(of.value, of.u95) if of.u95 else f"{of.value:g}"
                known.append(f"{name} {shown} {of.unit}".rstrip())
        return f"<{', '.join(known) or self._made.kind.name}: {self.verdict}, {self.reason}>"


def judged(kind: Kind[Any, Any, Any], settled: Settled[Any], taken: list[Reading]) -> Result:
    if not taken and getattr(settled.settings, "way", None) != "swallowed":
        raise BadInput("no readings: give one at least")
    made = judge(kind, _NOWHERE, settled, taken)
    record, values = made.result, {}
    for outcome in made.outcomes:
        row = VALUES[outcome.kind]
        new, u95 = (None if of is None else row.seen(of) for of in (outcome.value_new, outcome.u95))
        interval = getattr(record, "interval_percent", None) if outcome.kind == "flow" else None
        values[outcome.kind] = _value(new, row.unit, u95, interval)
    if kind.name == "fit":
        begins = (record.begins_mm, "mm", record.begins_u95_mm, record.begins_interval_mm)
        values["clearance"] = _value(*begins)
    elif kind.name == "weigh" and record.part_g is None:
        values["strand"] = _value(record.strand_g_per_m, "g/m", record.strand_u95_g_per_m)
    elif kind.name == "weigh":
        delivered = record.delivered_percent, "%", record.delivered_u95_percent
        values["delivered"] = _value(*delivered)
    return Result(made, values)


def _value(
    value: float | None, unit: str, u95: float | None, interval: Sequence[float] | None = None
) -> Value:
    if interval and len(interval) == 2:
        return Value(value, unit, u95, (interval[0], interval[1]))
    around = None if value is None or u95 is None else (value - u95, value + u95)
    return Value(value, unit, u95, around)


def number(name: str, value: float | None, *, least: float | None = None) -> float:
    """Return a number that can be: finite, and above zero, or no less than the least."""
    good = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    if not good or value is None or (value <= 0 if least is None else value < least):
        raise BadInput(
            f"{name} is {str(value)[:20]}: a number {'above' if least is None else 'from'} 0"
        )
    return float(value)


def numbers(name: str, values: Numbers | None, *, least: float | None = None) -> list[float]:
    if values is None or isinstance(values, str):
        raise BadInput(f"{name} is {values!r}: give numbers")
    several = values if isinstance(values, Iterable) else (values,)
    return [number(name, value, least=least) for value in several]


def readings(side: str, values: Iterable[float], *, counted: bool = True) -> list[Reading]:
    """Return readings of a place, or each of one of its own."""
    return [
        Reading(f"{side} {nth}" if counted else side, value, f"{value:g}")
        for nth, value in enumerate(values, 1)
    ]


def readings_at(places: Iterable[tuple[str, Numbers]], name: str) -> list[Reading]:
    """Return readings of several places, each with a number or several."""
    return [
        reading
        for place, values in places
        for reading in readings(place, numbers(name, values), counted=False)
    ]


def named_instrument(instrument: str | Instrument) -> Named:
    from metier.core.measure.instruments import KINDS

    named = instrument if isinstance(instrument, str) else instrument.kind
    figures = () if isinstance(instrument, str) else instrument[1:]
    for kind in KINDS:
        if kind == named:
            return Named(kind, kind, *figures)
    raise BadInput(f"no instrument {named[:20]!r}: {', '.join(KINDS)}")


def figures_of(instrument: str | Instrument, use: Use) -> Any:
    return named_instrument(instrument).figures(use)


def check(kind: Kind[Any, Any, Any], **settings: object) -> None:
    """Refuse settings that the command would refuse."""
    for row in kind.table:
        if not isinstance(row, str) and row.check and row.name in settings:
            row.check(settings[row.name])
