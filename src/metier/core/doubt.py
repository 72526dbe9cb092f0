"""What makes a settled value doubtful or carried: other values, other temperatures, other rolls."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.limit.rule import ROUND_TO_MM3_S
from metier.core.limit.temperature import BEYOND_C, melting
from metier.core.measure.thresholds import exceeds, round_to, same
from metier.core.standing import UNSET, Standing, Tried
from metier.core.values import DRIFT, Value, temperature_matters


class Moved(NamedTuple):
    """A value that others rest on: its name, what it was when they were found, what it is now."""

    name: str
    then: float | None
    now: float | None


def after_drift(found: Standing, value: Value, moved: Moved) -> Standing:
    """Return how a value stands once one it is built on has moved: rescaled, or doubtful."""
    then, now = moved.then, moved.now
    powers = dict(value.rescaled_by)
    power = powers.get(moved.name, 1)
    if found.value is None or not then or not now:
        return found
    if not exceeds(abs((now / then) ** abs(power) - 1), DRIFT):
        return found
    by = f"{moved.name} changed by {100 * (now / then - 1):+.1f} % since"
    if moved.name in powers:
        was = f"{value.seen(found.value):g} {value.unit}".strip()
        ratio = (now / then) ** power
        return found._replace(
            value=found.value * ratio,
            u95=found.u95 and found.u95 * ratio,
            status="carried",
            why=f"rescaled from {was}: {by}",
        )
    return found._replace(status="doubtful", why=by)


def at_temperature(
    found: Standing, then_c: float | None, now_c: float | None, foaming: bool
) -> Standing:
    """Return how a value stands that was found at one temperature and is asked for at another."""
    if not temperature_matters(then_c, now_c, foaming):
        return found
    return found._replace(
        status="doubtful", why=f"found at {then_c:g} °C, the bench is at {now_c:g} °C"
    )


def nearest_first(temperatures_c: Sequence[float], now_c: float) -> list[float]:
    """Return temperatures by how well a value found there serves: cooler first, then nearer.

    >>> nearest_first([225, 205, 190], 210)
    [205, 190, 225]
    """
    return sorted(temperatures_c, key=lambda c: (c > now_c, abs(c - now_c)))


def from_temperature(found: Standing, then_c: float, now_c: float) -> Standing:
    """Return how a limit stands that was found at another temperature.

    What melts when cooler also melts when hotter, so that one is safe; the other is doubtful.
    """
    if found.value is None or (then_c <= now_c and found.status == "doubtful"):
        return found
    if then_c > now_c:
        why = f"found at {then_c:g} °C, and less melts at {now_c:g} °C"
        return found._replace(status="doubtful", why=why)
    why = f"found at {then_c:g} °C: safe at {now_c:g} °C, where more melts"
    return found._replace(status="carried", trials=0, why=why)


def between_temperatures(known: Sequence[tuple[float, Standing]], now_c: float) -> Standing:
    """Return how a limit stands that two other temperatures tell; unset where they do not.

    Through the two on either side, or up to 10 °C beyond the outer two.
    """
    firm = sorted(
        (
            (then_c, found)
            for then_c, found in known
            if found.value is not None and found.status in ("advised", "entered", "verified")
        ),
        key=lambda pair: pair[0],
    )
    if len(firm) < 2 or not firm[0][0] - BEYOND_C <= now_c <= firm[-1][0] + BEYOND_C:
        return UNSET
    above = sum(then_c < now_c for then_c, _ in firm)
    at = min(max(above, 1), len(firm) - 1)
    (cool_c, cool), (hot_c, hot) = firm[at - 1], firm[at]
    assert cool.value is not None
    assert hot.value is not None
    curve = melting((cool_c, cool.value), (hot_c, hot.value))
    if curve is None or now_c <= curve.melts_c:
        return UNSET
    value = round_to(curve.limit_mm3_s(now_c), ROUND_TO_MM3_S, "down")
    why = f"by what was found at {cool_c:g} and {hot_c:g} °C"
    newest = max(cool, hot, key=lambda one: one.evidence)
    return UNSET._replace(
        value=value, status="carried", since=newest.since, why=why, evidence=newest.evidence
    )


def from_roll(found: Standing, value: Value, spool: str, likeness: str) -> Standing:
    """Return how a value stands that another roll lends: carried, or as doubtful as it is there.

    By how much that roll and this one differ nobody knows: the other's ± is not this one's.
    """
    if found.value is None:
        return UNSET
    why = f"from spool {spool}, {likeness}"
    lent = found._replace(in_force=None, u95=None, trials=0, why=why, lent=True)
    if found.status == "doubtful":
        # What is doubted there is no surer here.
        return lent._replace(why=f"{why}; {found.why}")
    if value.of_temperature and found.status == "carried":
        why += f", {found.why}"
    return lent._replace(status="carried", why=why)


def of_one_value(tried: Tried) -> Tried:
    """Return what a trial that speaks about several values says of this one alone."""
    if tried.verdict == "recheck":
        return tried
    if tried.value_to_type is None:
        return tried._replace(verdict="unclear")
    kept = tried.value_now is not None and same(tried.value_now, tried.value_to_type)
    return tried._replace(verdict="keep" if kept else "correct")
