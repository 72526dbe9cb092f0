"""Slips of the finger: a decimal point or a unit lost on the way from the calipers."""

from metier.core.refusal import Refusal

_PLAUSIBLE = 6.0
_MM_PER_INCH = 25.4


def refuse_slip(value: float, expected: float, what: str, unit: str = "mm") -> None:
    """Refuse a value so far from the expected size that it must be a slip, and name the slip.

    ``what`` names the value («reading», «moved length»). A value within a factor of six of what is
    expected passes: two walls measured for one is a finding, not a slip.

    >>> refuse_slip(4.7, 0.44, "reading")
    Traceback (most recent call last):
    metier.core.refusal.Refusal: reading 4.7 mm is about 10 times the 0.44 mm expected: was it 0.47?

    Raises:
        Refusal: naming the likely slip.
    """
    ratio = value / expected
    if 1 / _PLAUSIBLE <= ratio <= _PLAUSIBLE:
        return
    if unit == "mm" and _near(value * _MM_PER_INCH, expected, 1.5):
        raise Refusal(
            f"{what} {value:g} {unit} is far below the {expected:.4g} {unit} expected: "
            f"in inches? then type {value:g}in"
        )
    for factor in (10, 100, 0.1, 0.01):
        likely = value / factor
        if _near(likely, expected, 2.2):
            times = f"{factor:g} times" if factor > 1 else f"1/{1 / factor:g} of"
            raise Refusal(
                f"{what} {value:g} {unit} is about {times} the {expected:.4g} {unit} expected: "
                f"was it {likely:.6g}?"
            )
    raise Refusal(
        f"{what} {value:g} {unit} is nowhere near the {expected:.4g} {unit} expected: "
        "look at the reading and at the unit"
    )


def _near(value: float, expected: float, factor: float) -> bool:
    return expected / factor <= value <= expected * factor
