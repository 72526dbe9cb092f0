"""From events to what is in force, and what makes it doubtful.

Advice is not what was typed in: people round, hesitate, forget to store. So the value in force
only moves when somebody says so or prints a trial with another value.
"""

from collections.abc import Sequence
from itertools import pairwise
from typing import Literal, NamedTuple

from metier.core.measure.thresholds import exceeds, round_to, same
from metier.core.values import DRIFT, Value, temperature_matters
from metier.core.verdicts import VerdictName

Status = Literal["advised", "entered", "verified", "carried", "doubtful", "unset"]


class Said(NamedTuple):
    """Somebody said the value was typed in; ``order`` is its place among all that was recorded.

    ``found`` tells that it was read off the printer instead, which nobody need have meant.
    """

    order: int
    at: str
    value: float
    found: bool = False


class Tried(NamedTuple):
    """A measured trial: the value it ran at and what it made of it.

    ``value_to_type`` is None when nothing should be typed in. ``sure_from … sure_to`` are the
    values that it and the trials before would be sure enough of; ``rough`` tells that no more of
    its kind could be sure of the present one, which has stood as far as that tells.
    """

    order: int
    at: str
    trial: int
    value_now: float | None
    value_new: float | None
    u95: float | None
    value_to_type: float | None
    verdict: VerdictName
    sure_from: float | None = None
    sure_to: float | None = None
    rough: int = 0

    def sure_of(self, value: float) -> bool:
        """Tell whether the trials would be sure enough of a value, were it typed in."""
        if self.sure_from is None or self.sure_to is None:
            return False
        return not exceeds(self.sure_from, value) and not exceeds(value, self.sure_to)


class Changed(NamedTuple):
    """Something the value depends on changed, which leaves it ``doubtful`` or ``carried``.

    ``forgotten`` tells that the value itself may still be right, but is no longer stored.
    """

    order: int
    at: str
    status: Literal["doubtful", "carried"]
    why: str
    forgotten: bool = False


Event = Said | Tried | Changed


class Standing(NamedTuple):
    """A value, its status and the reason.

    ``value`` is what to type in or to leave in; ``in_force`` what printer or slicer carries now.
    They differ while advice has not been typed in. ``trials`` counts those that bear on
    ``value``; ``rechecked`` tells that the newest says something else is wrong, ``rough`` that no
    more trials of its kind would make it surer, ``lent`` that another roll lends it, ``forgotten``
    that a doubtful value is to be typed back before anything is measured. ``newest``
    is the newest trial, ``last`` the order of the newest event; ``evidence`` that of the trial,
    or of the saying, that ``value`` rests on.
    """

    value: float | None
    in_force: float | None
    u95: float | None
    status: Status
    since: str | None
    trials: int
    why: str
    last: int = 0
    evidence: int = 0
    trial: int | None = None
    rechecked: bool = False
    rough: bool = False
    newest: Tried | None = None
    lent: bool = False
    forgotten: bool = False


UNSET = Standing(None, None, None, "unset", None, 0, "never measured or entered")


def stand(events: Sequence[Event]) -> Standing:
    """Return how a value stands after ``events``, oldest first.

    >>> stand([Said(1, "Mon", 1.0), Tried(2, "Tue", 7, 1.0, 0.9243, 0.03, 0.92, "correct")])[:4]
    (0.92, 1.0, 0.03, 'advised')
    """
    now = UNSET
    for event in events:
        if isinstance(event, Said):
            now = _after_said(now, event)
        elif isinstance(event, Tried):
            now = _after_tried(now, event)
        elif now.value is not None and event.order > now.last:
            # What was sure before the change is not sure after it.
            now = now._replace(
                status=event.status, why=event.why, newest=None, forgotten=event.forgotten
            )
    return now


def settled(events: Sequence[Event]) -> bool:
    """Tell whether events before the first of these could no longer change the answer.

    So it is once a later event set another value: what came before counts neither for the date
    nor for the trials.
    """
    values = [
        event.value if isinstance(event, Said) else event.value_now
        for event in events
        if not isinstance(event, Changed)
    ]
    return any(
        before is not None and after is not None and not same(before, after)
        for before, after in pairwise(values)
    )


def _after_found(now: Standing, event: Said) -> Standing:
    """What a printer was found to carry is in force; what it should carry stays what it was."""
    if now.value is None:
        why = "found on the printer; no trial at this value yet"
        return _newly_said(now, event, why)
    if same(event.value, now.value):
        why = now.why if now.status == "verified" else "found on the printer; not tried since"
        status: Status = "verified" if now.status == "verified" else "entered"
        return now._replace(
            in_force=event.value, status=status, why=why, last=event.order, forgotten=False
        )
    why = f"the printer carries {event.value:g}: the board forgot it, or it was changed by hand"
    return now._replace(
        in_force=event.value, status="doubtful", why=why, last=event.order, forgotten=True
    )


def _newly_said(now: Standing, event: Said, why: str) -> Standing:
    return UNSET._replace(
        newest=now.newest,
        value=event.value,
        in_force=event.value,
        status="entered",
        since=event.at,
        why=why,
        last=event.order,
        evidence=event.order,
    )


def _after_said(now: Standing, event: Said) -> Standing:
    if event.found:
        return _after_found(now, event)
    now = now._replace(forgotten=False)
    newest = now.newest
    if newest and newest.sure_of(event.value):
        return now._replace(
            value=event.value,
            in_force=event.value,
            u95=newest.u95,
            status="verified",
            since=event.at,
            trials=max(now.trials, 1),
            why=f"confirmed by trial {newest.trial} and those before",
            last=event.order,
        )
    if now.value is None or not same(event.value, now.value):
        return _newly_said(now, event, "typed in; no trial at this value yet")
    if now.status == "advised":
        why = f"typed in as trial {now.trial} advised; no trial at this value yet"
        now = now._replace(since=event.at, status="entered", why=why)
    elif now.status in ("doubtful", "carried"):
        now = now._replace(since=event.at, status="entered", why="typed in again; not tried since")
    return now._replace(in_force=event.value, last=event.order)


def _after_tried(now: Standing, event: Tried) -> Standing:
    run_at = event.value_now
    if run_at is not None and (now.in_force is None or not same(now.in_force, run_at)):
        known = now if now.value is not None and same(now.value, run_at) else UNSET
        now = known._replace(
            value=run_at, in_force=run_at, status="entered", since=event.at, why=""
        )
    rechecked = event.verdict == "recheck"
    now = now._replace(
        forgotten=False,
        last=event.order,
        evidence=event.order,
        trial=event.trial,
        rechecked=rechecked,
        rough=bool(event.rough),
        newest=event,
    )
    guessed = event.verdict == "unclear" and now.in_force is None
    if event.verdict == "correct" or (guessed and event.value_to_type is not None):
        who = f"best guess of trial {event.trial}"
        who = who if guessed else f"advised by trial {event.trial}"
        return now._replace(
            value=event.value_to_type,
            u95=event.u95,
            status="advised",
            since=event.at,
            trials=1,
            why=f"{who}; say so once it is typed in",
        )
    if now.in_force is None:
        # Nothing is typed in that the trial could speak for.
        why = f"trial {event.trial} could not tell; nothing is typed in yet"
        return UNSET._replace(last=event.order, why=why, rechecked=rechecked, newest=event)
    now = now._replace(value=now.in_force, trials=now.trials + 1)
    if event.verdict == "keep":
        # Not every way of trying gives an uncertainty; what was known of it stands then.
        u95 = now.u95 if event.u95 is None else event.u95
        return now._replace(u95=u95, status="verified", why=_why_kept(event))
    if event.verdict == "recheck":
        why = f"trial {event.trial} did not fit: check its readings first"
        return now._replace(status="entered", why=why)
    firm: Status = "verified" if now.status == "verified" else "entered"
    return now._replace(status=firm, why=f"trial {event.trial} could not tell")


def _why_kept(event: Tried) -> str:
    # What is only measured, such as a scale, is found just as it was.
    as_it_was = event.value_new is not None and event.value_new == event.value_now
    return f"{'found' if as_it_was else 'confirmed'} by trial {event.trial}"


class Moved(NamedTuple):
    """A value that others rest on: its name, what it was when they were found, what it is now."""

    name: str
    then: float | None
    now: float | None


def after_drift(standing: Standing, value: Value, moved: Moved) -> Standing:
    """Return how a value stands once one it is built on has moved: rescaled, or doubtful."""
    then, now = moved.then, moved.now
    powers = dict(value.rescaled_by)
    power = powers.get(moved.name, 1)
    if standing.value is None or not then or not now:
        return standing
    if not exceeds(abs((now / then) ** abs(power) - 1), DRIFT):
        return standing
    by = f"{moved.name} changed by {100 * (now / then - 1):+.1f} % since"
    if moved.name in powers:
        was = f"{value.seen(standing.value):g} {value.unit}".strip()
        ratio = (now / then) ** power
        return standing._replace(
            value=standing.value * ratio,
            u95=standing.u95 and standing.u95 * ratio,
            status="carried",
            why=f"rescaled from {was}: {by}",
        )
    return standing._replace(status="doubtful", why=by)


def at_temperature(
    standing: Standing, then_c: float | None, now_c: float | None, foaming: bool
) -> Standing:
    """Return how a value stands that was found at one temperature and is asked for at another."""
    if not temperature_matters(then_c, now_c, foaming):
        return standing
    return standing._replace(
        status="doubtful", why=f"found at {then_c:g} °C, the bench is at {now_c:g} °C"
    )


def nearest_first(temperatures_c: Sequence[float], now_c: float) -> list[float]:
    """Return temperatures by how well a value found there serves: cooler first, then nearer.

    >>> nearest_first([225, 205, 190], 210)
    [205, 190, 225]
    """
    return sorted(temperatures_c, key=lambda c: (c > now_c, abs(c - now_c)))


def from_temperature(standing: Standing, then_c: float, now_c: float) -> Standing:
    """Return how a limit stands that was found at another temperature.

    What melts when cooler also melts when hotter, so that one is safe; the other is doubtful.
    """
    if standing.value is None or (then_c <= now_c and standing.status == "doubtful"):
        return standing
    if then_c > now_c:
        why = f"found at {then_c:g} °C, and less melts at {now_c:g} °C"
        return standing._replace(status="doubtful", why=why)
    why = f"found at {then_c:g} °C: safe at {now_c:g} °C, where more melts"
    return standing._replace(status="carried", trials=0, why=why)


def between_temperatures(known: Sequence[tuple[float, Standing]], now_c: float) -> Standing:
    """Return how a limit stands that two other temperatures tell; unset where they do not.

    Through the two on either side, or up to 10 °C beyond the outer two.
    """
    firm = sorted(
        (
            (then_c, stands)
            for then_c, stands in known
            if stands.value is not None and stands.status in ("advised", "entered", "verified")
        ),
        key=lambda pair: pair[0],
    )
    if len(firm) < 2:
        return UNSET
    from metier.core.limit.melting import BEYOND_C, ROUND_TO_MM3_S, melting

    if not firm[0][0] - BEYOND_C <= now_c <= firm[-1][0] + BEYOND_C:
        return UNSET
    at = min(max(sum(then_c < now_c for then_c, _ in firm), 1), len(firm) - 1)
    (cool_c, cool), (hot_c, hot) = firm[at - 1], firm[at]
    assert cool.value is not None
    assert hot.value is not None
    curve = melting((cool_c, cool.value), (hot_c, hot.value))
    if curve is None or now_c <= curve.melts_c:
        return UNSET
    value = round_to(curve.limit_mm3_s(now_c), ROUND_TO_MM3_S, "down")
    why = f"by what was found at {cool_c:g} and {hot_c:g} °C"
    newest = max(cool, hot, key=lambda standing: standing.evidence)
    return UNSET._replace(
        value=value, status="carried", since=newest.since, why=why, evidence=newest.evidence
    )


def from_roll(standing: Standing, value: Value, spool: str, likeness: str) -> Standing:
    """Return how a value stands that another roll lends: carried, or as doubtful as it is there.

    By how much that roll and this one differ nobody knows: the other's ± is not this one's.
    """
    if standing.value is None:
        return UNSET
    why = f"from spool {spool}, {likeness}"
    lent = standing._replace(in_force=None, u95=None, trials=0, why=why, lent=True)
    if standing.status == "doubtful":
        # What is doubted there is no surer here.
        return lent._replace(why=f"{why}; {standing.why}")
    if value.of_temperature and standing.status == "carried":
        why += f", {standing.why}"
    return lent._replace(status="carried", why=why)


def of_one_value(tried: Tried) -> Tried:
    """Return what a trial that speaks about several values says of this one alone."""
    if tried.verdict == "recheck":
        return tried
    if tried.value_to_type is None:
        return tried._replace(verdict="unclear")
    kept = tried.value_now is not None and same(tried.value_now, tried.value_to_type)
    return tried._replace(verdict="keep" if kept else "correct")
