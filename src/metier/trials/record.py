"""What the logbook has of a value over time, and by how much prints and rolls differ."""

import math
from collections.abc import Callable
from typing import NamedTuple

from metier.clock import stored_time
from metier.core.drift import Dot
from metier.core.errors import BadInput
from metier.core.flow.repeats import print_scatter
from metier.core.flow.trials import FlowTrial
from metier.core.measure.student import NORMAL95
from metier.core.values import temperature_matters
from metier.logbook.inforce import steps_in_force
from metier.logbook.trials import Trial, latest_on, newest_like, readings
from metier.trials.flow.earlier import as_trial, known_rolls
from metier.trials.flow.settings import FORM
from metier.trials.on_bench import OnBench
from metier.trials.registry import settings_of

_ALL = 100_000
# The newest that a record looks at.
MOST_DOTS = 200
_DAY_S = 86_400.0


class Series(NamedTuple):
    """A value over time: what it is, its unit, the dots, how much of it may move before it is worth
    a check, and the factor of ``seen`` numbers to kept ones. ``per`` is what the axis is in."""

    name: str
    called: str
    unit: str
    dots: tuple[Dot, ...]
    band: float
    since: str
    per: str = "days"


class _Found(NamedTuple):
    """A value, and the ± that is its own: what jaws are off is the same for all."""

    value: float
    u95: float


Look = Callable[[OnBench, Trial], _Found | None]


class Told(NamedTuple):
    """A value that a kind of trial tells: what it is called, its unit, whose trials count, how to
    read one, and how much may move (relative to the mean, or as it is)."""

    kind: str
    called: str
    unit: str
    of: str
    look: Look
    band: float
    relative: bool = True


def _diameter(_: OnBench, trial: Trial) -> _Found | None:
    # What makers say of all rolls alike would hide by how much these differ.
    alone = _pair(trial, "measured_mm", "measured_u95_mm")
    return alone or _pair(trial, "diameter_mm", "diameter_u95_mm")


def _strand(_: OnBench, trial: Trial) -> _Found | None:
    if (trial.findings or {}).get("strand_trial") is not None:
        return None
    return _pair(trial, "strand_g_per_m", "strand_u95_g_per_m")


def _esteps(_: OnBench, trial: Trial) -> _Found | None:
    return _pair(trial, "steps_new", "steps_new_u95")


def _flow(bench: OnBench, trial: Trial) -> _Found | None:
    """Return the flow that is needed, in percent as people type it, in today's e-steps."""
    from metier.trials.flow.kept import KEPT

    if trial.verdict == "recheck" or bench.setup is None:
        return None
    if temperature_matters(trial.temperature_c, bench.chosen.temperature_c, False):
        return None
    result = KEPT.of(trial)
    if result.delivered_share is None or result.delivered_share_u95 is None:
        return None
    now, then = (
        steps_in_force(bench.book, bench.setup.printer),
        settings_of(bench.book, trial).esteps,
    )
    delivered = result.delivered_share * (now / then if now and then else 1.0)
    own = _own_part(trial) * result.delivered_share_u95 / result.delivered_share
    return _Found(100 / delivered, 100 / delivered * own)


def _onset(bench: OnBench, trial: Trial) -> _Found | None:
    if temperature_matters(trial.temperature_c, bench.chosen.temperature_c, False):
        return None
    return _pair(trial, "onset_mm3_s", "onset_u95_mm3_s")


def _hole(_: OnBench, trial: Trial) -> _Found | None:
    return _pair(trial, "hole_new_mm", "hole_u95_mm")


def _contour(_: OnBench, trial: Trial) -> _Found | None:
    return _pair(trial, "contour_new_mm", "contour_u95_mm")


def _pair(trial: Trial, value: str, u95: str) -> _Found | None:
    findings = trial.findings or {}
    value_now, known = findings.get(value), findings.get(u95)
    if not isinstance(value_now, float | int) or not isinstance(known, float | int):
        return None
    return _Found(float(value_now), float(known) * _own_part(trial))


# What makes a ± and is the same from one trial to the next: it moves nothing.
_SHARED = ("calipers", "micrometer", "ruler", "texture", "density")


def _own_part(trial: Trial) -> float:
    """Return which part of a trial's ± is its own, by what it says makes it."""
    findings = trial.findings or {}
    parts = next((part for name, part in findings.items() if name.startswith("influences")), None)
    if not isinstance(parts, dict):
        return 1.0
    squares = {name: float(part) ** 2 for name, part in parts.items() if name != "nominal"}
    whole = sum(squares.values())
    own = sum(square for name, square in squares.items() if name not in _SHARED)
    return math.sqrt(own / whole) if whole > 0 else 1.0


RECORDS: dict[str, Told] = {
    "diameter": Told("diameter", "filament diameter", "mm", "rolls", _diameter, 0.005),
    "strand": Told("weigh", "mass of a metre of strand", "g/m", "rolls", _strand, 0.01),
    "esteps": Told("esteps", "e-steps", "steps/mm", "printer", _esteps, 0.005),
    "flow": Told("flow", "flow that is needed", "%", "nozzle", _flow, 0.02),
    "onset": Told("volumetric", "flow at which gaps begin", "mm³/s", "nozzle", _onset, 0.1),
    "hole": Told("xy", "hole compensation, per side", "mm", "nozzle", _hole, 0.03, False),
    "contour": Told("xy", "contour compensation, per side", "mm", "nozzle", _contour, 0.03, False),
}


def series_of(bench: OnBench, name: str, *, along: bool = False) -> Series:
    """Return a value over time on this bench, or along its roll.

    Diameter and strand are those of all rolls of the bench's maker and material, flow and the like
    of these on its printer and nozzle.

    Raises:
        BadInput: no such record.
    """
    if name not in RECORDS:
        raise BadInput(f"there is no record of '{name[:40]}': {', '.join(RECORDS)}, or --of PART")
    told = RECORDS[name]
    batches = dict(bench.book.connection.execute("SELECT name, batch FROM spool").fetchall())
    placed: list[tuple[str, Dot]] = []
    for trial in _newest(bench, told, along):
        value = told.look(bench, trial)
        where = _along_m(bench, trial) if along else 0.0
        if value is None or where is None:
            continue
        roll = trial.spool if told.of != "printer" else ""
        batch = batches.get(trial.spool)
        u = value.u95 / NORMAL95
        placed.append((trial.at, Dot(where, value.value, u, roll, batch, trial.number)))
    since = min((at for at, _ in placed), default="")
    dots = [dot if along else dot._replace(at=days_between(since, at)) for at, dot in placed]
    middle = sum(dot.value for dot in dots) / len(dots) if dots else 1.0
    band = told.band * abs(middle) if told.relative else told.band
    per = "m" if along else "days"
    return Series(name, told.called, told.unit, tuple(dots), band, since, per)


def part_series(bench: OnBench, part: str) -> Series:
    """Return how far the walls of a part were off, print by print.

    Raises:
        BadInput: it was never measured.
    """
    placed: list[tuple[str, Dot]] = []
    for trial in newest_like(bench.book, "proof", _ALL):
        value = _pair(trial, "off_percent", "off_u95_percent")
        findings = trial.findings or {}
        if value and str(findings.get("part", "")).lower() == part.lower():
            u = value.u95 / NORMAL95
            placed.append((trial.at, Dot(0.0, value.value, u, trial.spool, None, trial.number)))
    since = min((at for at, _ in placed), default="")
    dots = [dot._replace(at=days_between(since, at)) for at, dot in placed]
    if not dots:
        raise BadInput(f"no part '{part[:40]}' was measured: metier proof --of {part[:40]}")
    return Series("part", f"walls of {part}, off what they should be", "%", tuple(dots), 2.0, since)


def _newest(bench: OnBench, told: Told, along: bool) -> list[Trial]:
    """Return the newest trials that count for a record on this bench, oldest first."""
    chosen = bench.chosen
    like = chosen.spool
    if along:
        spool = like.id if like else 0
        return newest_like(bench.book, told.kind, MOST_DOTS, spool=spool)
    if told.of == "rolls":
        return newest_like(bench.book, told.kind, MOST_DOTS, like=like)
    # Of a printer or nozzle that nobody chose there is nothing.
    printer = chosen.printer.id if chosen.printer else 0
    if told.of == "printer":
        return newest_like(bench.book, told.kind, MOST_DOTS, printer=printer)
    nozzle = chosen.nozzle.id if chosen.nozzle else 0
    return newest_like(bench.book, told.kind, MOST_DOTS, printer=printer, nozzle=nozzle, like=like)


def _along_m(bench: OnBench, trial: Trial) -> float | None:
    along: float | None = getattr(settings_of(bench.book, trial), "along_m", None)
    return along


def days_between(since: str, at: str) -> float:
    """Return how many days lie between two moments."""
    first, later = map(stored_time, (since, at))
    return (later - first).total_seconds() / _DAY_S


_NEWEST = 24


def _alike(print_: FlowTrial) -> tuple[object, ...]:
    sections = ((each.walls, each.flow, each.width_mm) for each in print_.sections)
    return print_.layer_mm, *sections


class Learnt(NamedTuple):
    """Scatter from print to print, and from roll to roll (None where none else is known), both 1 u
    and relative, each with what it was learnt from."""

    print_scatter: float
    prints_text: str
    roll_scatter: float | None
    rolls_text: str


def learnt_of(bench: OnBench) -> Learnt | None:
    """Return what a bench has learnt; None where there is no bench."""
    if bench.setup is None:
        return None
    made = []
    for trial in latest_on(bench.book, bench.setup, "flow", _NEWEST):
        settings = FORM.of(bench.book, trial)
        made.append(
            as_trial(
                trial.number,
                settings,
                readings(bench.book, trial.number),
                now=settings,
                accuracy_mm=settings.instrument_mm.accuracy_mm,
                instrument=trial.conditions.instrument,
            )
        )
    repeats = len(made) - len({_alike(print_) for print_ in made})
    text = "what is usual: no print was repeated yet"
    if repeats:
        text = f"what is usual, and {repeats} repeat{'s' if repeats > 1 else ''} here"
    rolls = known_rolls(bench, bench.setup)
    if rolls is None:
        return Learnt(print_scatter(made), text, None, "")
    return Learnt(print_scatter(made), text, rolls.expected.scatter, rolls.words)
