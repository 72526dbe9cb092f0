"""What a print was asked for, and walls beside the scale."""

from argparse import Namespace
from typing import Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.trials import FlowTrial
from metier.core.weighing import Diameters, Strand, WallWitness
from metier.logbook.bench import setup_of
from metier.logbook.inforce import last_doubted
from metier.logbook.trials import Reading, Trial, latest_on, readings, trial
from metier.trials.diameter.kept import measured_diameter
from metier.trials.flow.earlier import FlowContext
from metier.trials.flow.judging import context_of as flow_context_of
from metier.trials.flow.kept import KEPT as FLOW
from metier.trials.flow.settings import FORM as FLOW_FORM
from metier.trials.flow.settings import FlowSettings
from metier.trials.flow.weight import asked_of_part, known_strand, weighed_alone
from metier.trials.on_bench import OnBench
from metier.trials.weigh.kept import WeighSettings


class AskedFor(NamedTuple):
    """How much filament was asked for and where that is from; and the slicer's diameter, where the
    file has it."""

    mm: float | None
    source: Literal["file", "given", "part"]
    slicer_mm: float | None = None
    notes: tuple[str, ...] = ()


def refuse_other_kind(bench: OnBench, number: int) -> None:
    """Refuse a print that is of no flow trial.

    Raises:
        BadInput: there is no such trial, or it is of another kind.
    """
    printed = trial(bench.book, number)
    if printed.test != "flow":
        raise BadInput(f"--of: trial {number} is {printed.test}: name the flow trial of that print")


def asked_for(options: Namespace, bench: OnBench, planned: WeighSettings | None) -> AskedFor:
    """Return the filament that a print was asked for.

    Raises:
        BadInput: given in two ways, or a file or trial that does not tell.
    """
    if options.sliced and options.filament:
        raise BadInput("--sliced and --filament both say what was asked for: give one of them")
    if options.filament:
        return AskedFor(options.filament, "given")
    if options.sliced:
        return _of_file(options.sliced, bench)
    if options.of and options.part_g:
        return _of_part(options.of, bench)
    if planned and planned.asked_mm:
        return AskedFor(planned.asked_mm, planned.asked_from)
    return AskedFor(None, "given")


def _of_file(path: str, bench: OnBench) -> AskedFor:
    from metier.core.job.moves import PRINT
    from metier.formats.gcode import diameter_of, read_notes, sliced_file

    sliced = sliced_file(path)
    slicer_mm, notes = diameter_of(None, bench.slicer_mm, sliced.said)
    # What is drawn back and fed again comes to nothing.
    asked_mm = float(sliced.moves.e[sliced.moves.kind == PRINT].sum())
    if asked_mm <= 0:
        raise BadInput(f"{path} prints nothing: give the file that was printed")
    said = (f"{asked_mm:.0f} mm of filament as in {path}, the line that primes included",)
    return AskedFor(asked_mm, "file", slicer_mm, (*read_notes(sliced.said), *notes, *said))


def _of_part(number: int, bench: OnBench) -> AskedFor:
    """Return what the part of a flow trial takes, where Metier wrote its lines."""
    printed = trial(bench.book, number)
    settings = FLOW_FORM.of(bench.book, printed)
    there = bench.moved_to(setup_of(bench.book, number))
    asked_mm = asked_of_part(there, number, settings, printed.conditions)
    said = (f"the filament of trial {number} with its tab, without the line that primes",)
    return AskedFor(asked_mm, "part", settings.diameter_mm, said)


def diameters(options: Namespace, bench: OnBench, asked: AskedFor) -> Diameters:
    """Return the strand's diameter and the slicer's: given, else as the logbook knows them."""
    slicer_mm = options.slicer or asked.slicer_mm or bench.slicer_mm
    if options.diameter:
        return Diameters(slicer_mm, options.diameter)
    strand = measured_diameter(bench.book, bench.setup.spool) if bench.setup else None
    if strand is None:
        return Diameters(slicer_mm)
    strand_now = strand[1]
    return Diameters(
        slicer_mm or strand_now.slicer_mm, strand_now.diameter_mm, strand_now.diameter_u95_mm
    )


# How many prints before are looked at for one that tells.
_NEWEST = 3


class WeighContext(NamedTuple):
    """What else bears on a weighing: the strand weighed before and of which trial, the spool, what
    walls say, the prints that are judged with it, and the flow trial whose print it is.

    ``steps_untried`` tells that nobody ever measured the e-steps that are in force.
    """

    bench: OnBench
    strand: Strand | None = None
    strand_trial: int | None = None
    walls: WallWitness | None = None
    prints: tuple[FlowTrial, ...] = ()
    flow: FlowContext | None = None
    flow_settings: FlowSettings | None = None
    walls_read: tuple[Reading, ...] = ()
    foaming: bool = False
    steps_untried: bool = False


def context_of(bench: OnBench, settings: WeighSettings, before: int | None) -> WeighContext:
    """Return what the logbook knows that bears on a weighing, before a trial's number."""
    if bench.setup is None:
        return WeighContext(bench, steps_untried=settings.flow_percent is None)
    spool = bench.setup.spool
    known = known_strand(bench, before)
    strand, strand_trial = known or (None, None)
    context = WeighContext(bench, strand, strand_trial, foaming=spool.foaming)
    printed = _print_beside(bench, settings, before)
    if printed is None:
        return context._replace(
            steps_untried=bench.stands("esteps").trials == 0,
            prints=tuple(weighed_alone(bench, spool, settings.esteps, before)),
        )
    result, flow_settings = FLOW.of(printed), FLOW_FORM.of(bench.book, printed)
    walls = None
    if result.delivered_share is not None and result.delivered_share_u95 is not None:
        today = 1.0
        if flow_settings.esteps and settings.esteps:
            today = settings.esteps / flow_settings.esteps
        walls = WallWitness(
            result.delivered_share * today, result.delivered_share_u95 * today, printed.number
        )
    now = flow_settings._replace(
        esteps=settings.esteps or flow_settings.esteps,
        diameter_mm=settings.diameters.slicer_mm or flow_settings.diameter_mm,
    )
    own = settings.of_trial == printed.number
    flow = flow_context_of(bench, now, printed.conditions, printed.number if own else before)
    return context._replace(
        walls=walls,
        prints=tuple(flow.pooled_trials(now)),
        flow=flow,
        flow_settings=flow_settings if own else now,
        walls_read=tuple(readings(bench.book, printed.number)),
    )


def _print_beside(bench: OnBench, settings: WeighSettings, before: int | None) -> Trial | None:
    """Return the flow trial whose walls stand beside a weighing: that of the print that was
    weighed, where it is known and they were measured, else the newest that tells."""
    assert bench.setup is not None
    if settings.of_trial:
        own = trial(bench.book, settings.of_trial)
        return own if own.findings else None
    since = last_doubted(bench.book, bench.setup, FLOW.name, before)
    for walls_of in latest_on(bench.book, bench.setup, FLOW.name, _NEWEST, before, since):
        if walls_of.verdict != "recheck":
            return walls_of
    return None
