"""A value of the profile as it is typed on screen."""

from metier.core.refusal import Refusal
from metier.core.values import Value, value_named
from metier.formats.quantity import read_celsius, read_flow, read_positive, read_signed_length_mm


def read_value(name: str, text: str) -> float:
    """Read a value as it is typed on screen, in the unit of calculation.

    Raises:
        Refusal: no such value, or one that cannot be.
    """
    row = value_named(name)
    if row.unit == "%":
        return read_flow(text, name)
    if row.signed:
        value = read_signed_length_mm(text, name)
        if row.largest is not None and abs(value) > row.largest:
            raise Refusal(f"{name}: {text} mm per side is no compensation: a few tenths at most")
        return value
    if row.is_heat:
        return read_celsius(text, name)
    return read_positive(text, name, (row.unit.lower(),))


def refuse_unusual(name: str, value: float) -> None:
    """Refuse a value that is hardly meant: it lies far outside of what such values are.

    Raises:
        Refusal: naming the value it may be a slip of, and how to say that it is meant.
    """
    row = value_named(name)
    if row.usual is None or row.usual[0] <= value <= row.usual[1]:
        return
    text = f"{row.called} {row.seen(value):g} {row.unit}".strip()
    likely = next(
        (value / factor for factor in (10, 100, 0.1) if _usual(row, value / factor)), None
    )
    asked = "" if likely is None else f": was it {row.seen(likely):g}?"
    raise Refusal(f"{text} is far from what such values are{asked} (--anyway says it is meant)")


def _usual(row: Value, value: float) -> bool:
    assert row.usual is not None
    return row.usual[0] <= value <= row.usual[1]
