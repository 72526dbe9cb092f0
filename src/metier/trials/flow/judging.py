"""What a print's readings say, in the light of what the logbook knows of its bench."""

from collections.abc import Sequence
from functools import partial
from itertools import pairwise

from metier.core.errors import BadInput
from metier.core.flow.answer import (
    PRIOR_AIMED,
    PRIOR_FLEXIBLE,
    PRIOR_MEASURED,
    PRIOR_UNMEASURED,
    Known,
    answer,
    model_odds,
)
from metier.core.flow.posterior import Prior
from metier.core.flow.repeats import print_scatter
from metier.core.flow.settling import forecast
from metier.core.flow.trials import FlowTrial
from metier.core.flow.verdict import FlowFinding, judge_flow, plausible_flow
from metier.core.line.bead import rounding_mm
from metier.core.measure.instruments import checking_note
from metier.core.measure.readings import (
    drift_note,
    misread_note,
    pairs_note,
    refuse_slip,
    scatter_note,
)
from metier.core.measure.thresholds import exceeds
from metier.core.values import temperature_matters
from metier.logbook.bench import Setup
from metier.logbook.inforce import last_doubted
from metier.logbook.machines import Spool
from metier.logbook.trials import Conditions, Reading, Trial, latest_of_spool, latest_on, readings
from metier.trials.flow.earlier import (
    EarlierPrint,
    FlowContext,
    as_trial,
    by_section,
    by_side,
    known_rolls,
    same_speed,
)
from metier.trials.flow.kept import KEPT
from metier.trials.flow.settings import FORM, FlowSettings
from metier.trials.kind import Expected
from metier.trials.on_bench import OnBench, figures_of

# How many prints before are looked at for those that compare.
_MOST_EARLIER = 12
# The values that a wall hangs on.
_WATCHED = ("esteps", "flow")


def _explained(strand: Trial, settings: FlowSettings) -> tuple[str | None, float]:
    """Return what a measured strand explains, in words, and the factor that it asks for."""
    from metier.core.diameter import KEEP_WITHIN
    from metier.trials.diameter.kept import KEPT as DIAMETER

    diameter_mm, _, strand_slicer_mm, *_ = DIAMETER.of(strand)
    slicer_mm = settings.diameter_mm or strand_slicer_mm
    factor = (slicer_mm / diameter_mm) ** 2
    if strand.verdict != "correct" or abs(1 / factor - 1) <= KEEP_WITHIN:
        return None, factor
    return f"the strand measures {diameter_mm:.3f} mm where the slicer has {slicer_mm:g}", factor


def context_of(
    bench: OnBench, settings: FlowSettings, conditions: Conditions, before: int | None
) -> FlowContext:
    """Return what the logbook knows that bears on a print, as it was before a trial's number."""
    heat = bench.chosen.temperature_c
    model = bench.chosen.printer and bench.chosen.printer.line_model
    number = before or 0
    if bench.setup is None:
        return FlowContext(number, (), conditions, heat, None, model)
    spool = bench.setup.spool
    strand = latest_of_spool(bench.book, spool, "diameter", 1)
    explained, factor = _explained(strand[0], settings) if strand else (None, None)
    printer = bench.setup.printer
    context = FlowContext(
        number=number,
        earlier=_earlier(bench, bench.setup, before),
        conditions=conditions,
        temperature_c=heat,
        spool=spool,
        line_model=model,
        suspects=partial(_suspects, bench, bench.setup, bool(strand)),
        strand=explained,
        strand_factor=factor,
        rolls=known_rolls(bench, bench.setup, before),
        prior=_prior(bench, bench.setup.spool, factor),
        certain=bool(printer.line_model_shown),
        bore_mm=bench.setup.nozzle.bore_mm,
        weights=_weights(bench, spool, settings, before),
    )
    pooled = {print_.number for print_ in context.pooled(settings)}
    return context._replace(
        earlier=tuple(
            print_._replace(readings=tuple(readings(bench.book, print_.number)))
            if print_.number in pooled
            else print_
            for print_ in context.earlier
        )
    )


def _weights(
    bench: OnBench, spool: Spool, settings: FlowSettings, before: int | None
) -> tuple[FlowTrial, ...]:
    """Return prints of this bench that were weighed and not measured."""
    if not bench.setup or not latest_on(bench.book, bench.setup, "weigh", 1, before):
        return ()
    from metier.trials.flow.weight import weighed_alone

    return tuple(weighed_alone(bench, spool, settings.esteps, before))


def _prior(bench: OnBench, spool: Spool, strand_factor: float | None) -> Prior:
    """Return what strand and e-steps tell of the share before walls are measured."""
    if spool.foaming:
        return Prior(1.0, None)
    centre = 1 / strand_factor if strand_factor else 1.0
    if spool.flexible:
        return Prior(centre, PRIOR_FLEXIBLE)
    steps = bench.stands("esteps")
    measured = steps.trials > 0 and steps.status in ("entered", "verified")
    return Prior(centre, PRIOR_MEASURED if measured else PRIOR_UNMEASURED)


def _earlier(bench: OnBench, setup: Setup, before: int | None) -> tuple[EarlierPrint, ...]:
    since = last_doubted(bench.book, setup, "flow", before)
    prints = []
    known_mm: dict[str, float] = {}
    for trial in latest_on(bench.book, setup, "flow", _MOST_EARLIER, before, since):
        settings = FORM.of(bench.book, trial)
        accuracy_mm, name = settings.instrument_mm.accuracy_mm, trial.conditions.instrument
        if name:
            if name not in known_mm:
                known_mm[name] = figures_of(bench.book, name, "wall").accuracy_mm
            accuracy_mm = known_mm[name]
        advised = (trial.findings or {}).get("flow_to_type_percent")
        prints.append(
            EarlierPrint(
                trial.number, settings, trial.conditions, trial.temperature_c, (), advised,
                accuracy_mm,
            )
        )  # fmt: skip
    return tuple(prints)


def _suspects(bench: OnBench, setup: Setup, strand_known: bool) -> list[str]:
    suspects = [f"nozzle {setup.nozzle.name} is noted as worn"] if setup.nozzle.worn else []
    for name in _WATCHED:
        now = bench.stands(name)
        if now.status == "doubtful":
            suspects.append(f"{name} is doubtful: {now.why}")
    if not strand_known:
        suspects.append("the strand's diameter, never measured: metier diameter")
    if setup.spool.flexible:
        suspects.append(
            "jaws that squeeze a flexible wall: let them just touch, or weigh it, for a scale "
            "squeezes nothing (metier weigh --part G)"
        )
    return suspects


def judge_walls(
    settings: FlowSettings, taken: Sequence[Reading], context: FlowContext
) -> FlowFinding:
    """Return the finding for a print.

    Raises:
        BadInput: readings that cannot be.
    """
    spool = context.spool
    this = as_trial(
        context.number, settings, taken, now=settings,
        accuracy_mm=settings.instrument_mm.accuracy_mm, instrument=context.conditions.instrument,
        bore_mm=context.bore_mm,
    )  # fmt: skip
    model = settings.line_model or context.line_model
    _refuse_slips(settings, this.targets_mm(model or "rectangular"), taken)
    _refuse_thin(settings, this)
    before = context.pooled_trials(settings)
    foaming = bool(spool and spool.foaming)
    finding = judge_flow(
        [*before, this],
        settings.instrument_mm,
        model=model,
        flow_set=settings.flow_set,
        plausible=plausible_flow(foaming, bool(spool and spool.flexible)),
        aim=settings.aim,
        known=known_of(context, settings, [*before, this]),
    )
    if settings.aim_mm is not None and settings.flow is not None:
        on_paper = settings.flow * settings.aim_mm / finding.trial.sections[0].wall.value
        finding = finding._replace(flow_plain=on_paper)
    verdict = finding.verdict
    if verdict.name == "recheck":
        verdict = verdict._replace(remedies=(*context.suspects(), *verdict.remedies))
    notes = (
        *([finding.ask_model] if finding.ask_model else []),
        *_contradicting(context, finding),
        *_conditions_notes(settings, context),
        *_strand(context, finding),
        *_readings_notes(settings, taken, finding),
        *_squeezed(spool, finding),
        *_foaming(spool, finding),
        *_checking(settings, finding),
    )
    return finding._replace(verdict=verdict, notes=notes)


def _contradicting(context: FlowContext, finding: FlowFinding) -> list[str]:
    if not finding.answer.joint.contradicts:
        return []
    what = context.rolls.words if context.rolls else "e-steps and strand"
    return [f"the readings contradict what {what} let expect: they alone decide"]


def known_of(context: FlowContext, settings: FlowSettings, trials: Sequence[FlowTrial]) -> Known:
    """Return what is known beside the prints: what e-steps and strand say, other rolls, how likely
    each line model is, and by how much prints differ."""
    model = settings.line_model or context.line_model
    certain = context.certain and model == context.line_model
    prior = Prior(1.0, PRIOR_AIMED) if settings.aimed_alone else context.prior
    rolls = None
    if context.rolls and not settings.aimed_alone:
        rolls = {each: kin.as_row for each, kin in context.rolls.under.items()}
    return Known(prior, model_odds(model, certain), print_scatter(trials), rolls)


def _refuse_thin(settings: FlowSettings, trial: FlowTrial) -> None:
    rounding = rounding_mm(settings.layer_mm)
    for section in trial.sections:
        if not exceeds(section.wall.value, rounding):
            raise BadInput(
                f"a wall of {section.wall.value:.3f} mm is thinner than the rounded sides of "
                f"its lines ({rounding:.3f} mm at layer height {settings.layer_mm:g}): look at "
                "reading, zero and layer"
            )


def _refuse_slips(
    settings: FlowSettings, targets_mm: Sequence[float | None], taken: Sequence[Reading]
) -> None:
    zero_mm, at = settings.instrument_mm.zero_mm, 0
    for section, target_mm in zip(settings.sections, targets_mm, strict=True):
        count = section.readings if len(settings.sections) > 1 else len(taken)
        for reading in taken[at : at + count]:
            if target_mm:
                refuse_slip(reading.value, target_mm + zero_mm, "reading")
        at += count


def _conditions_notes(settings: FlowSettings, context: FlowContext) -> list[str]:
    """Return where the conditions differ from those of the print before."""
    if not context.earlier:
        return []
    notes, before = [], context.earlier[0]
    now, at = context.conditions.speed_mm_s, before.conditions.speed_mm_s
    if now and at and not same_speed(now, at):
        notes.append(
            f"printed at {now:g} mm/s, trial {before.number} at {at:g}: "
            "another speed is another trial, the two do not compare"
        )
    then_c, now_c = before.temperature_c, context.temperature_c
    if temperature_matters(then_c, now_c, bool(context.spool and context.spool.foaming)):
        notes.append(
            f"printed at {now_c:g} °C, trial {before.number} at {then_c:g}: the two do not compare"
        )
    was_mm, is_mm = before.settings.instrument_mm.accuracy_mm, settings.instrument_mm.accuracy_mm
    if context.conditions.instrument == before.conditions.instrument and exceeds(is_mm, was_mm):
        notes.append(
            f"{context.conditions.instrument or 'calipers'} count as ±{is_mm:g} mm now, trial "
            f"{before.number} took ±{was_mm:g}: a gauge read right halves that (metier instrument "
            "check)"
        )
    then = before.settings.esteps
    if then and settings.esteps and then != settings.esteps:
        notes.append(
            f"e-steps changed from {then:g} to {settings.esteps:g} since trial {before.number}: "
            "what it dosed is counted in today's"
        )
    return notes


def _strand(context: FlowContext, finding: FlowFinding) -> list[str]:
    """Say how much of the correction the strand's diameter explains."""
    if not context.strand or not context.strand_factor or finding.verdict.name != "correct":
        return []
    if finding.flow_set is None:
        return []
    correction = 100 * (finding.flow_new / finding.flow_set - 1)
    explained = 100 * (context.strand_factor - 1)
    text = f"{context.strand}: that alone asks for {explained:+.1f} % of flow"
    if explained * correction < 0:
        return [f"{text} and explains nothing of the {correction:+.1f} % of this print"]
    return [f"{text} of the {correction:+.1f} % this print asks for; mend one of the two, not both"]


def _readings_notes(
    settings: FlowSettings, taken: Sequence[Reading], finding: FlowFinding
) -> list[str]:
    notes: list[str | None] = []
    # What the verdict says already is not said once more.
    scatters = finding.verdict.name == "recheck" and "scatter" in finding.verdict.reason
    for section, mine in by_section(finding.trial.sections, taken):
        values_mm = [reading.value for reading in mine]
        notes.append(misread_note(values_mm, settings.instrument_mm))
        if not scatters:
            notes.append(scatter_note(section.wall, settings.instrument_mm))
        notes.append(pairs_note(by_side(mine), settings.instrument_mm))
        if _in_order_of_time(mine):
            notes.append(drift_note(values_mm, settings.instrument_mm))
    return [note for note in notes if note]


def _squeezed(spool: Spool | None, finding: FlowFinding) -> list[str]:
    raised = finding.flow_set is not None and finding.flow_new > finding.flow_set
    if not (spool and spool.flexible and raised) or finding.verdict.name == "recheck":
        return []
    return ["a flexible wall measures thin where the jaws squeeze it: let them just touch"]


_FOAMS = (0.55, 0.82)


def _foaming(spool: Spool | None, finding: FlowFinding) -> list[str]:
    """Ask whether a roll foams that needs as little as foaming ones do."""
    if spool is None or spool.foaming or not _FOAMS[0] <= finding.flow_new <= _FOAMS[1]:
        return []
    need = f"{100 * finding.flow_new:.0f} % is what foaming filament needs"
    return [f"{need}: does {spool.name} foam? then metier spool set --foaming"]


def _checking(settings: FlowSettings, finding: FlowFinding) -> list[str]:
    note = checking_note(
        finding.influences, finding.u95, settings.instrument_mm, "wall", "%", factor=100
    )
    return [note] if note else []


def _in_order_of_time(readings: Sequence[Reading]) -> bool:
    """Tell whether readings went round the part, or all belong together; not side after side."""
    sides = [reading.side for reading in readings]
    blocks = 1 + sum(before != after for before, after in pairwise(sides))
    return len(set(sides)) == 1 or blocks > len(set(sides))


def expected_walls(bench: OnBench, flow: float) -> list[Expected]:
    """Return what walls like those of the newest print should measure at another flow.

    Nothing where no print tells: none there is, none that its dose is known of, or all of them
    before something changed that flow hangs on.
    """
    trials = latest_on(bench.book, bench.setup, KEPT.name, 1) if bench.setup else []
    if not trials:
        return []
    settings = FORM.of(bench.book, trials[0])
    context = context_of(bench, settings, trials[0].conditions, None)
    pooled = context.pooled_trials(settings)
    if not pooled or pooled[-1].number != trials[0].number or settings.flow is None:
        return []
    known = known_of(context, settings, pooled)
    judged = answer(pooled, None, settings.aim._replace(wall_mm=None), known)
    model = judged.joint.likelier
    ahead = [
        wall._replace(area_mm2=wall.area_mm2 * flow / (section.flow or flow), print_number=0)
        for wall, section in zip(pooled[-1].as_walls(model), pooled[-1].sections, strict=True)
    ]
    rows = [row for trial in pooled for row in trial.rows(model)]
    return [
        Expected(
            f"a wall of {section._replace(flow_percent=None).named}",
            wall.wall_mm,
            wall.u95_mm,
            "mm",
        )
        for section, wall in zip(
            settings.sections, forecast(rows, judged, ahead, known), strict=True
        )
    ]
