"""The hidden truth of a stand-in, and how near the answers came."""

from argparse import Namespace
from collections.abc import Callable, Mapping
from functools import partial
from typing import NamedTuple

from metier.cable.talking import same_steps
from metier.core.line.bead import spacing_mm
from metier.core.values import VALUES
from metier.logbook.trials import latest_on, latest_on_printer, trial
from metier.show.figures import decimals_for
from metier.show.sheet import Sheet, table
from metier.standin import answers
from metier.standin.folder import StandinFolder, State
from metier.trials.fit.kept import KEPT as FIT
from metier.trials.flow.settings import FORM as FLOW
from metier.trials.flow.settings import FlowSettings
from metier.trials.map.mapping import flow_row
from metier.trials.on_bench import OnBench, bench_phrase, needed_setup, on_bench_of
from metier.trials.plate.kept import KEPT as PLATE
from metier.words.parser import Answer, existing_logbook


class Revealed(NamedTuple):
    """One value, found and true, in the unit people see it in."""

    name: str
    unit: str
    found: float
    low: float
    high: float
    true: float
    in_force: float | None

    @property
    def inside(self) -> bool:
        """Tell whether the truth lies within what was stated."""
        return self.low - 1e-9 <= self.true <= self.high + 1e-9


def revealed(bench: OnBench, state: State) -> list[Revealed]:
    """Return all that was found on a bench, in the order of the job."""
    truths = [truth for truth in (look(bench, state) for look in _FOUND) if truth]
    return truths + _by_speed(bench, state)


def _value(bench: OnBench, state: State, name: str) -> Revealed | None:
    """Return a value as it was found and as it is; None where it was not measured."""
    newest = bench.stands(name).newest
    if newest is None or newest.value_new is None or newest.u95 is None:
        return None
    true = _TRUE[name](bench, state)
    if true is None:
        return None
    row = VALUES[name]
    low, high = newest.value_new - newest.u95, newest.value_new + newest.u95
    if newest.trial is not None:
        low, high = _stated(bench, newest.trial) or (low, high)
    in_force = bench.stands(name).in_force
    return Revealed(
        row.called,
        row.unit,
        row.seen(newest.value_new),
        row.seen(low),
        row.seen(high),
        row.seen(true),
        None if in_force is None else row.seen(in_force),
    )


def _stated(bench: OnBench, number: int) -> tuple[float, float] | None:
    """Return what a trial says its value lies within, where that is not the same both ways."""
    interval = (trial(bench.book, number).findings or {}).get("interval_percent")
    return (interval[0] / 100, interval[1] / 100) if interval else None


def _diameter(_: OnBench, state: State) -> float:
    return answers.true_diameter_mm(state.truth)


def _steps(bench: OnBench, state: State) -> float:
    assert bench.setup is not None
    (newest,) = latest_on_printer(bench.book, bench.setup.printer, "esteps", 1)
    return answers.true_steps(state.truth, _heat_c(bench), newest.conditions.feed_rate_mm_s)


def _flow(bench: OnBench, state: State) -> float | None:
    printed = _flow_printed(bench)
    return printed and answers.true_flow(
        state.truth, _heat_c(bench), steps=printed.steps, slicer_mm=printed.slicer_mm,
        dosed_mm2=printed.dosed_mm2, speed_mm_s=printed.speed_mm_s,
    )  # fmt: skip


def _by_speed(bench: OnBench, state: State) -> list[Revealed]:
    """Return the flow that each speed needs, where walls of several were measured."""
    printed = _flow_printed(bench, ("map", "flow"))
    if printed is None:
        return []
    revealeds = []
    for at_speed in flow_row(bench):
        true = answers.true_flow(
            state.truth, at_speed.temperature_c or _heat_c(bench), steps=printed.steps,
            slicer_mm=printed.slicer_mm, dosed_mm2=printed.dosed_mm2,
            speed_mm_s=at_speed.speed_mm_s,
        )  # fmt: skip
        low, high = (
            at_speed.flow_percent - at_speed.u95_percent,
            at_speed.flow_percent + at_speed.u95_percent,
        )
        name = f"flow at {at_speed.speed_mm_s:g} mm/s"
        revealeds.append(Revealed(name, "%", at_speed.flow_percent, low, high, 100 * true, None))
    return revealeds


def _hole(bench: OnBench, state: State) -> float:
    assert bench.setup is not None
    (plate,) = latest_on(bench.book, bench.setup, "xy", 1)
    features = PLATE.settings.of(bench.book, plate).features
    sizes = [
        feature.nominal_mm for feature in features if feature.kind == "hole" and not feature.missing
    ]
    return answers.true_hole_mm(state.truth, sizes, _too_wide_mm(bench, state))


def _contour(bench: OnBench, state: State) -> float:
    return answers.true_contour_mm(state.truth, _too_wide_mm(bench, state))


class _Printed(NamedTuple):
    """How the walls were printed that flow was found on."""

    steps: float
    slicer_mm: float
    dosed_mm2: float
    layer_mm: float
    speed_mm_s: float


def _flow_printed(bench: OnBench, kinds: tuple[str, ...] = ("flow",)) -> _Printed | None:
    assert bench.setup is not None
    newest = [
        newest_trial
        for kind in kinds
        for newest_trial in latest_on(bench.book, bench.setup, kind, 1)
    ]
    for made in newest:
        settings = FLOW.of(bench.book, made)
        dosed_mm2 = _dosed_mm2(settings)
        steps = settings.esteps or bench.stands("esteps").in_force
        slicer_mm = settings.diameter_mm or bench.slicer_mm
        if dosed_mm2 and steps and slicer_mm:
            speed = made.conditions.speed_mm_s or _SPEED_MM_S
            return _Printed(steps, slicer_mm, dosed_mm2, settings.layer_mm, speed)
    return None


# Where nobody said how fast walls were printed.
_SPEED_MM_S = 40.0


def _dosed_mm2(settings: FlowSettings) -> float | None:
    """Return what a line is dosed with at 100 %."""
    first = settings.sections[0]
    dose = settings.dose_of(first)
    if dose:
        return dose.area_mm2 / (settings.flow_of(first) or 1.0)
    if settings.width_mm and settings.line_model:
        apart_mm = spacing_mm(settings.width_mm, settings.layer_mm, settings.line_model)
        return apart_mm * settings.layer_mm
    return None


def _too_wide_mm(bench: OnBench, state: State) -> float:
    """Return how much wider than meant lines come out at the flow that is set; 0 where nobody
    knows how they are dosed."""
    printed = _flow_printed(bench)
    if printed is None:
        return 0.0
    flow = bench.stands("flow").in_force or 1.0
    share = answers.delivered(
        state.truth, _heat_c(bench), flow, steps=bench.stands("esteps").in_force or printed.steps,
        slicer_mm=bench.slicer_mm or printed.slicer_mm, dosed_mm2=printed.dosed_mm2,
        speed_mm_s=printed.speed_mm_s,
    )  # fmt: skip
    return (flow * share - 1) * printed.dosed_mm2 / printed.layer_mm


def _onset(bench: OnBench, state: State) -> Revealed | None:
    assert bench.setup is not None
    for made in latest_on(bench.book, bench.setup, "volumetric", 1):
        findings = made.findings or {}
        onset, u95 = findings.get("onset_mm3_s"), findings.get("onset_u95_mm3_s")
        if onset is not None and u95 is not None:
            heat_c = made.temperature_c or _heat_c(bench)
            steps = bench.stands("esteps").in_force or state.steps
            slicer_mm = bench.slicer_mm or bench.setup.spool.diameter_mm
            true = answers.true_onset_mm3_s(state.truth, heat_c, steps=steps, slicer_mm=slicer_mm)
            in_force = bench.stands("limit").in_force
            return Revealed("onset", "mm³/s", onset, onset - u95, onset + u95, true, in_force)
    return None


def _newest(bench: OnBench, kind: str) -> Mapping[str, object] | None:
    """Return what the newest trial of a kind found on this bench; None for none."""
    assert bench.setup is not None
    made = latest_on(bench.book, bench.setup, kind, 1)
    return made[0].findings if made else None


def _stated_as(
    name: str, unit: str, mapping: Mapping[str, object], value: str, u95: str, true: float
) -> Revealed | None:
    """Return a finding beside the truth; None where the trial does not state it."""
    stated, known = mapping.get(value), mapping.get(u95)
    if not isinstance(stated, float | int) or not isinstance(known, float | int):
        return None
    low, high = stated - known, stated + known
    return Revealed(name, unit, float(stated), float(low), float(high), true, None)


def _strand(bench: OnBench, state: State) -> Revealed | None:
    weighed = _newest(bench, "weigh")
    if weighed is None:
        return None
    true = answers.true_strand_g_per_m(state.truth)
    return _stated_as("strand", "g/m", weighed, "strand_g_per_m", "strand_u95_g_per_m", true)


def _fed(bench: OnBench, state: State) -> Revealed | None:
    """Return what was delivered of what was asked for, by weight."""
    weighed, printed = _newest(bench, "weigh"), _flow_printed(bench, ("flow", "map"))
    if weighed is None or printed is None:
        return None
    true = 100 * answers.true_fed(
        state.truth, _heat_c(bench), steps=printed.steps, dosed_mm2=printed.dosed_mm2,
        speed_mm_s=printed.speed_mm_s,
    )  # fmt: skip
    return _stated_as(
        "fed, by weight", "%", weighed, "delivered_percent", "delivered_u95_percent", true
    )


def _serves(bench: OnBench, state: State, end: str) -> Revealed | None:
    """Return one end of the temperatures that serve."""
    heat = _newest(bench, "heat")
    if heat is None:
        return None
    low_c, high_c = answers.true_range_c(state.truth)
    true = low_c if end == "low" else high_c
    name = "works from" if end == "low" else "works to"
    return _stated_as(name, "°C", heat, f"{end}_c", f"{end}_u95_c", true)


def _slide(bench: OnBench, state: State) -> Revealed | None:
    """Return where pairs begin to slide, where that was wanted."""
    assert bench.setup is not None
    for made in latest_on(bench.book, bench.setup, "fit", 1):
        settings, findings = FIT.settings.of(bench.book, made), made.findings or {}
        if settings.way != "pair" or settings.want != "slide" or settings.pairs is None:
            return None
        begins_mm, (low, high) = findings["begins_mm"], findings["begins_interval_mm"]
        wide_mm = _too_wide_mm(bench, state)
        opened_mm = settings.hole_set_mm - settings.contour_set_mm
        true = answers.true_slide_mm(state.truth, settings.pairs.pin_mm, opened_mm, wide_mm)
        return Revealed("slide", "mm of clearance", begins_mm, low, high, true, None)
    return None


def _heat_c(bench: OnBench) -> float:
    return (bench.setup and bench.setup.temperature_c) or _USUAL_C


_USUAL_C = 210.0


# What is true of each value, and what else may have been found, in the order of the job.
_TRUE: dict[str, Callable[[OnBench, State], float | None]] = {
    "diameter": _diameter,
    "esteps": _steps,
    "flow": _flow,
    "hole": _hole,
    "contour": _contour,
}
_FOUND: tuple[Callable[[OnBench, State], Revealed | None], ...] = (
    *(partial(_value, name=name) for name in ("diameter", "esteps", "flow")),
    _onset,
    *(partial(_value, name=name) for name in ("hole", "contour")),
    _slide,
    _strand,
    _fed,
    *(partial(_serves, end=end) for end in ("low", "high")),
)


def reveal(options: Namespace) -> Answer:
    """Run ``metier standin reveal``."""
    state = StandinFolder(options.folder).load()
    with existing_logbook(options.logbook) as book:
        bench = on_bench_of(book, options)
        ready = needed_setup(bench.chosen)
        truths = revealed(bench, state)
        steps_now = bench.stands("esteps").in_force
    took_min = (
        sum(print_.minutes for print_ in state.prints) + sum(feed.time_s for feed in state.fed) / 60
    )
    sheet = Sheet(f"Revealed: seed {state.seed}, {bench_phrase(ready)}")
    if truths:
        sheet.gap()
        sheet.lines(*_table(truths))
        inside = sum(truth.inside for truth in truths)
        sheet.gap()
        sheet.row("inside", f"{inside} of {len(truths)}", "of the stated ±, which hold 95 in 100")
    else:
        sheet.remark("Nothing was measured yet on this bench.")
    count = len(state.prints)
    sheet.row(
        "took", f"{count} print{'' if count == 1 else 's'}", f"{_hours(took_min)} of its time"
    )
    lengths = len(state.fed)
    sheet.row("fed", f"{lengths} length{'' if lengths == 1 else 's'}")
    stored = state.stored_steps
    if steps_now is not None and not same_steps(stored, steps_now):
        sheet.note(
            f"it has {stored:.2f} steps/mm stored, the logbook {steps_now:.2f}: metier cable steps"
        )
    return Answer(
        {
            "seed": state.seed,
            "values": {truth.name: {**truth._asdict(), "inside": truth.inside} for truth in truths},
            "prints": count,
            "feeds": len(state.fed),
            "minutes": took_min,
            "stored_steps": stored,
        },
        sheet.text(),
    )


def _table(revealeds: list[Revealed]) -> list[str]:
    rows = []
    for truth in revealeds:
        places = decimals_for((truth.high - truth.low) / 2)
        rows.append(
            (
                f"{truth.name} {truth.unit}",
                "-" if truth.in_force is None else f"{truth.in_force:.{places}f}",
                f"{truth.found:.{places}f}",
                f"{truth.low:.{places}f} … {truth.high:.{places}f}",
                f"{truth.true:.{places}f}",
                "inside" if truth.inside else "outside",
            )
        )
    return table(("value", "set", "found", "95 % within", "true", ""), rows, (1, 2, 3, 4))


def _hours(minutes: float) -> str:
    hours, rest = divmod(round(minutes), 60)
    return f"{hours} h {rest:02d} min" if hours else f"{rest} min"
