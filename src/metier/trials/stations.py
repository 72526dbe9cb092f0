"""The job as it stands on a bench: what is to be done next, and where to look for a symptom."""

import shlex
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from metier.core.looks import LOOKS, SEEN_AS, looks_in
from metier.core.materials import PRINTED, material_of, part_cost
from metier.core.measure.thresholds import same
from metier.core.next_step import Cause, Station, Symptom, causes_of, next_step
from metier.core.standing import Standing
from metier.core.values import VALUES
from metier.logbook.bench import current_bench, setup, skipped_steps
from metier.logbook.instruments import Instrument
from metier.logbook.items import listed
from metier.logbook.machines import changes
from metier.logbook.trials import Trial, latest_on, open_plans
from metier.show.figures import about, proposed, short_date
from metier.show.sheet import Sheet
from metier.trials.on_bench import HOW_TO_READ_STEPS, OnBench, ready_to_print
from metier.trials.registry import KINDS, kept_named

# A zero moves with the battery, dirt and wear.
_ZERO_HOLDS_DAYS = 30
# As long as a swap is the first thing to suspect.
_LATELY_DAYS = 14
# So long a roll in the open stays as dry as it was.
_DRY_DAYS = 14
# Steps that are asked for, not measured.
_ASKED = "e-steps"


class NextStep(NamedTuple):
    """What to do, why, what to do by hand before, and with which command; what its part takes to
    print, where one is to be planned."""

    step: str
    why: str
    command: str
    hand: str = ""
    takes: str = ""


def stations(bench: OnBench) -> list[Station]:
    """Return the stations of the job in their order."""
    stations_now = []
    for name, room in KINDS.items():
        if room.due == "by its values":
            typed = [key for key, row in VALUES.items() if row.measured_by == name and row.by_hand]
            stations_now += [_value(bench, key) for key in typed]
        elif room.due == "once begun":
            stations_now += _begun(bench, name)
        elif room.due == "last":
            stations_now.append(_proof(bench, name))
    return stations_now


def show_next(sheet: Sheet, bench: OnBench) -> NextStep:
    """End a sheet with the one thing to do now on this bench."""
    due = next_due(bench)
    if due.step == "done":
        sheet.next(f"{due.why}:", due.command)
    elif due.hand and due.command.startswith("metier entered"):
        sheet.next(f"{due.hand}; then say so:", due.command)
    else:
        sheet.next(f"{due.step}: {due.why}:", due.command)
    return due


def next_due(bench: OnBench) -> NextStep:
    """Return the one thing to do now on this bench: measure what is printed, else go on.

    On another bench than the current one, it says so in the command, or puts that one up first.
    """
    due = _next_here(bench)
    current = setup(current_bench(bench.book))
    if bench.setup is None or current is None or bench.setup.ids == current.ids:
        return due
    printer, nozzle, spool, _ = bench.setup
    words = ("--printer", printer.name, "--nozzle", nozzle.name, "--spool", spool.name)
    if due.command.startswith("metier entered"):
        return due._replace(command=f"{due.command} {proposed(*words).removeprefix('metier ')}")
    if due.command.startswith("metier cable"):
        return due._replace(command=f"{due.command} --printer {shlex.quote(printer.name)}")
    if due.step == "measure":
        return due
    return due._replace(why=f"{due.why}; put that on the bench", command=proposed("bench", *words))


def _next_here(bench: OnBench) -> NextStep:
    due, by_jaws = _due(bench)
    zero = zero_station(bench)
    if by_jaws and zero.status != "verified" and not _is_skipped(bench, zero):
        # What waits to be typed in takes a moment, and is not hidden by that.
        for station in stations(bench):
            if station.status == "advised" and station.enter and not _is_skipped(bench, station):
                return NextStep(station.step, station.why, station.enter, station.hand)
        command = command_of("instrument", bench)
        return NextStep("zero", zero.why, command, "close the clean jaws of the calipers")
    return due


def _due(bench: OnBench) -> tuple[NextStep, bool]:
    """Return the one thing to do now, were the calipers zeroed; and whether they measure it."""
    known = stations(bench)
    plans = open_plans(bench.book, bench.setup) if bench.setup else []
    forgotten = any(station.retype and station.status == "doubtful" for station in known)
    if plans and not forgotten and not _plans_skipped(bench, plans):
        first = plans[-1]
        why = f"trial {first.number} is planned: its number stands on the part"
        kept = kept_named(first.test)
        command, hand = kept.measuring(first.number, first.settings), kept.before_measuring(first)
        return NextStep("measure", why, command, hand), KINDS[first.test].by_jaws
    due = next_step(known, _skipped(bench, known))
    if due.command:
        return NextStep(due.step, due.why, due.command, due.hand), False
    room = KINDS.get(due.measured_by or "")
    hand = kept_named(due.measured_by).hand(bench) if room and due.measured_by else ""
    command = command_of(due.measured_by or "", bench)
    plans_first = " --plan" in command
    takes = takes_text(bench, due.measured_by or "") if plans_first else ""
    jaws = room is not None and room.by_jaws and not plans_first
    return NextStep(due.step, due.why, command, hand or due.hand, takes), jaws


def takes_text(bench: OnBench, kind: str) -> str:
    """Return what the usual part of a kind takes to print here; empty where it has none."""
    cost = part_cost(kind, bench.setup.nozzle.bore_mm) if bench.setup else None
    if cost is None or bench.setup is None:
        return ""
    density = material_of(bench.setup.spool.material).density_g_cm3
    plastic = f"{cost.volume_cm3:.1f} cm³"
    if density:
        plastic = f"{cost.volume_cm3 * density:.0f} g"
    return f"{about(60 * cost.minutes)}, {plastic}"


def together(bench: OnBench, plans: Sequence[Trial]) -> str:
    """Return how the parts that wait are one print; empty where fewer than two do."""
    if bench.setup is None or not ready_to_print(bench):
        return ""
    planned = sorted((plan for plan in plans if plan.test in PRINTED), key=lambda plan: plan.number)
    if len(planned) > 1:
        numbers = [str(plan.number) for plan in planned]
        command = proposed("part", "--together", *numbers, "evening.gcode")
        return f"Not printed yet? Their parts are one print: {command}"
    skipped = skipped_steps(bench.book, bench.setup)
    waiting = {
        station.measured_by
        for station in stations(bench)
        if station.measured_by in PRINTED
        and skipped.get(station.step) != station.stood
        and (
            station.status in ("unset", "doubtful", "carried")
            or (station.status == "entered" and not station.proven)
        )
    }
    if plans or len(waiting) < 2:
        return ""
    *others, last = [kind for kind in PRINTED if kind in waiting]
    return (
        f"The parts of {', '.join(others)} and {last} wait: plan each, and they are one print: "
        "metier part --together N N evening.gcode"
    )


def stood_of(plans: Sequence[Trial]) -> str:
    """How it stands that these trials are planned and not measured."""
    return "planned: " + ", ".join(str(plan.number) for plan in plans)


def _plans_skipped(bench: OnBench, plans: Sequence[Trial]) -> bool:
    assert bench.setup is not None
    return skipped_steps(bench.book, bench.setup).get("measure") == stood_of(plans)


def _is_skipped(bench: OnBench, station: Station) -> bool:
    return bool(_skipped(bench, [station]))


def _skipped(bench: OnBench, known: list[Station]) -> list[str]:
    """Return the steps that were skipped and stand as they stood then."""
    if bench.setup is None:
        return []
    stood = skipped_steps(bench.book, bench.setup)
    return [station.step for station in known if stood.get(station.step) == station.stood]


def command_of(measured_by: str, bench: OnBench) -> str:
    """Return the command that measures a station on this bench."""
    if measured_by == "instrument":
        return proposed("instrument", "zero", "calipers")
    if measured_by == _ASKED and bench.setup:
        return proposed("printer", "set", bench.setup.printer.name, "--steps")
    return kept_named(measured_by).command(bench)


def swapped_lately(bench: OnBench, name: str) -> bool:
    """Tell whether hardware that a value hangs on was swapped lately."""
    if bench.setup is None:
        return False
    return any(
        name in change.affects and bench.days_since(change.at) <= _LATELY_DAYS
        for change in changes(bench.book, bench.setup.printer)
        if change.nozzle in (None, bench.setup.nozzle.id)
    )


def zero_station(bench: OnBench) -> Station:
    """Return how the zero of the calipers stands."""
    jaws = [kept for kept in listed(bench.book, Instrument) if not kept.instrument.weighs]
    zeroed = [kept.zeroed_at for kept in jaws if kept.zeroed_at]
    if not zeroed:
        why = "close the calipers and note what they show: every wall reading depends on it"
        return Station("zero", "unset", why, "instrument")
    why = f"zeroed {short_date(max(zeroed))}"
    if bench.days_since(max(zeroed)) > _ZERO_HOLDS_DAYS:
        return Station("zero", "doubtful", f"last {why}", "instrument")
    return Station("zero", "verified", why, "instrument")


def _begun(bench: OnBench, kind: str) -> list[Station]:
    """Return the stations of a kind that nobody has to begin with, once somebody did."""
    typed = [key for key, row in VALUES.items() if row.measured_by == kind and row.by_hand]
    tried = [key for key in typed if bench.stands(key).trials and not bench.stands(key).lent]
    return [_value(bench, key) for key in tried]


def _proof(bench: OnBench, name: str) -> Station:
    """Return the real part, after all: due where none was measured at the flow in force."""
    floor = 1 + max(_floor(key) for key in VALUES)
    newest = latest_on(bench.book, bench.setup, name, 1) if bench.setup else []
    if not newest:
        why = "a cube that is right is not yet a part that is right: measure one of yours"
        return Station(name, "unset", why, name, floor=floor)
    (proof,) = newest
    then, now = proof.settings.get("flow_percent"), bench.stands("flow").in_force
    if isinstance(then, float | int) and now and not same(then, VALUES["flow"].seen(now)):
        why = f"flow was {then:g} % when trial {proof.number} was printed: prove that part again"
        return Station(name, "doubtful", why, name, floor=floor)
    if proof.verdict in ("correct", "recheck") and not _cubes_since(bench, proof):
        why = f"trial {proof.number} says {proof.verdict}: its walls are off; measure a cube"
        return Station(name, "doubtful", why, "flow", floor=floor)
    if proof.verdict in ("correct", "recheck"):
        why = f"a cube was measured since trial {proof.number}: prove that part again"
        return Station(name, "doubtful", why, name, floor=floor)
    why = f"trial {proof.number}: {proof.verdict}"
    return Station(name, "verified", why, name, floor=floor)


def _cubes_since(bench: OnBench, proof: Trial) -> bool:
    newest = latest_on(bench.book, bench.setup, "flow", 1) if bench.setup else []
    return any(cube.number > proof.number for cube in newest)


def _value(bench: OnBench, name: str) -> Station:
    row, now = VALUES[name], bench.stands(name)
    if name == "esteps" and now.value is None and not _on_cable(bench):
        # What is measured is reckoned from what the printer carries.
        return Station(name, now.status, HOW_TO_READ_STEPS, _ASKED)
    known = _typed_with(bench, name, now)
    enter = None
    if now.value is not None:
        pairs = [word for key, value in known.items() for word in (key, _number(bench, key, value))]
        enter = proposed("entered", *pairs)
        if name == "esteps" and _on_cable(bench):
            enter = proposed("cable", "steps", _number(bench, name, now.value))
    tried = now.trials > 0 and not now.rechecked
    return Station(
        name,
        now.status,
        now.why,
        row.measured_by,
        enter,
        retype=now.forgotten,
        tried=tried,
        old=bench.old(now.since),
        proven=(row.proven and tried) or now.rough,
        floor=_floor(name),
        hand=typing_in(bench, known),
        swapped=swapped_lately(bench, name),
    )


def _on_cable(bench: OnBench) -> bool:
    """Tell whether the printer is spoken to, so that what it stores is not typed in by hand."""
    if bench.setup is None or bench.setup.printer.port is None:
        return False
    return bench.setup.printer.steps_in != "file"


def _typed_with(bench: OnBench, name: str, now: Standing) -> dict[str, float]:
    """Return the value to type in, and what the same trial advises beside it."""
    if now.value is None:
        return {}
    known = {name: now.value}
    if now.status == "advised":
        for other, row in VALUES.items():
            if row.measured_by == VALUES[name].measured_by and row.by_hand and other != name:
                beside = bench.stands(other)
                if beside.status == "advised" and beside.value is not None:
                    known[other] = beside.value
    return known


def _number(bench: OnBench, name: str, value: float) -> str:
    """Return a value as it is typed on the command line."""
    row = VALUES[name]
    digits = bench.writing.decimals if row.place == "printer" else 2
    return f"{round(row.seen(value), digits):g}"


def typing_in(bench: OnBench, values: Mapping[str, float]) -> str:
    """Return what to do by hand before values can be said to be typed in."""
    steps = values.get("esteps")
    if steps is not None and _on_cable(bench):
        return ""
    if steps is not None and bench.setup and bench.setup.printer.steps_in == "file":
        return f"in the printer's own file: {bench.worded('esteps', steps)}; then restart it"
    if steps is not None:
        return f"at the printer's console: M92 E{steps:.{bench.writing.decimals}f}, then M500"
    words = [f"{VALUES[name].also} {bench.worded(name, value)}" for name, value in values.items()]
    return f"in the slicer: {' and '.join(words)}" if words else ""


def _floor(name: str) -> int:
    """Return how many others a value rests on, one upon the other."""
    return max((1 + _floor(other) for other in VALUES[name].depends_on), default=0)


def checks(symptom: Symptom, bench: OnBench) -> list[Cause]:
    """Return what to check for a symptom, first check first."""
    return causes_of(symptom, [*stations(bench), *_besides(bench)])


_LOOKED_THROUGH = 3


def looked_like(symptom: Symptom, bench: OnBench) -> list[str]:
    """Return which of the newest prints here were said to look like that."""
    if bench.setup is None:
        return []
    return [
        f"trial {trial.number} ({name}, {short_date(trial.at)}) was said to have {LOOKS[look]}"
        for name in KINDS
        for trial in latest_on(bench.book, bench.setup, name, _LOOKED_THROUGH)
        for look in looks_in(trial.settings.get("remarks", ()))
        if symptom in SEEN_AS[look]
    ]


def command_for(cause: Cause, bench: OnBench) -> str:
    """Return the command that checks a cause."""
    ready = bench.setup
    if cause.enter:
        return cause.enter
    if ready and cause.step == "dry":
        heat_c = material_of(ready.spool.material).drying_c
        return proposed("spool", "dried", ready.spool.name, "--hours", "6",
                        "--temperature", f"{heat_c:g}")  # fmt: skip
    if ready and cause.step == "nozzle":
        return proposed("nozzle", "show", ready.nozzle.name)
    if ready and cause.step == "temperature":
        return kept_named("heat").command(bench)
    return command_of(cause.measured_by, bench)


def _besides(bench: OnBench) -> list[Station]:
    """Return what else may lie behind a symptom, and is no value of the profile."""
    ready = bench.setup
    if ready is None:
        return []
    return [_nozzle(bench), _heat(bench, ready.temperature_c), _dry(bench), _fit(bench)]


def _dry(bench: OnBench) -> Station:
    assert bench.setup is not None
    spool = bench.setup.spool
    if spool.dried is None:
        return Station("dry", "entered", f"{spool.name} was never dried here", "spool")
    (at,) = bench.book.row("SELECT at FROM moment WHERE id = ?", spool.dried)
    old = bench.days_since(at) > _DRY_DAYS
    why = f"{spool.name} was dried {short_date(at)}, {spool.dried_how}"
    return Station("dry", "doubtful" if old else "verified", why, "spool")


def _heat(bench: OnBench, now_c: float | None) -> Station:
    stands = bench.stands("temperature")
    now = "not given" if now_c is None else f"{now_c:g} °C now"
    if stands.value is None:
        return Station("temperature", "entered", f"{now}, no steps of it tried yet", "heat")
    return Station("temperature", stands.status, f"{now}; {stands.why}", "heat")


def _nozzle(bench: OnBench) -> Station:
    assert bench.setup is not None
    nozzle = bench.setup.nozzle
    if nozzle.worn:
        return Station("nozzle", "doubtful", f"{nozzle.name} is noted as worn", "nozzle")
    fitted = [
        change.at
        for change in changes(bench.book, bench.setup.printer)
        if change.nozzle == nozzle.id
    ]
    why = f"{nozzle.name} fitted {short_date(fitted[-1])}" if fitted else f"{nozzle.name}"
    return Station("nozzle", "entered", why, "nozzle", swapped=swapped_lately(bench, "flow"))


def _fit(bench: OnBench) -> Station:
    assert bench.setup is not None
    for trial in latest_on(bench.book, bench.setup, "fit", 1):
        why = f"trial {trial.number} tried it"
        return Station("fit", "verified", why, "fit", old=bench.old(trial.at))
    return Station("fit", "unset", "no pairs were tried yet", "fit")
