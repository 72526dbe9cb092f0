"""What a print was asked for, and walls beside the scale."""

from argparse import Namespace
from typing import Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.measure.student import NORMAL95
from metier.core.weighing import Diameters, Strand, WallWitness
from metier.logbook.inforce import last_doubted
from metier.logbook.trials import latest_on, readings, trial
from metier.trials.diameter.kept import measured_diameter
from metier.trials.flow.earlier import as_trial
from metier.trials.flow.kept import KEPT as FLOW
from metier.trials.flow.settings import FORM as FLOW_FORM
from metier.trials.kind import WantedLine
from metier.trials.on_bench import OnBench
from metier.trials.table import Plan
from metier.trials.weigh.kept import WeighSettings, weighed_strand


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
    slicer_mm, notes = diameter_of(None, bench.slicer_mm, sliced)
    # What is drawn back and fed again comes to nothing.
    asked_mm = float(sliced.moves.e[sliced.moves.kind == PRINT].sum())
    if asked_mm <= 0:
        raise BadInput(f"{path} prints nothing: give the file that was printed")
    said = (f"{asked_mm:.0f} mm of filament as in {path}, the line that primes included",)
    return AskedFor(asked_mm, "file", slicer_mm, (*read_notes(sliced), *notes, *said))


def _of_part(number: int, bench: OnBench) -> AskedFor:
    """Return what the part of a flow trial takes, where Metier wrote its lines."""
    from metier.trials.flow.part import part_of
    from metier.trials.flow.settings import FORM as FLOW
    from metier.trials.part_files import facts_of

    printed = trial(bench.book, number)
    settings = FLOW.of(bench.book, printed)
    if settings.dose is None or settings.dose.source != "part":
        raise BadInput(
            f"--of: what trial {number} was asked for is not known: give its --sliced FILE, or "
            "--filament MM as the slicer says"
        )
    tube = part_of(Plan(number, settings, printed.conditions), bench, WantedLine())
    said = (f"the filament of trial {number} with its tab, without the line that primes",)
    return AskedFor(facts_of(tube, bench).filament_mm, "part", settings.diameter_mm, said)


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
    """What else bears on a weighing: the strand weighed before, what walls say, and of which
    trials both are."""

    strand: Strand | None = None
    strand_trial: int | None = None
    walls: WallWitness | None = None
    walls_trial: int | None = None
    foaming: bool = False
    nominal_mm: float | None = None


def context_of(bench: OnBench, settings: WeighSettings, before: int | None) -> WeighContext:
    """Return what the logbook knows that bears on a weighing, before a trial's number."""
    if bench.setup is None:
        return WeighContext()
    spool = bench.setup.spool
    known = weighed_strand(bench.book, spool, before)
    strand = None
    if known:
        grams, u95 = known[1].strand_g_per_m, known[1].strand_u95_g_per_m
        strand = Strand(grams / 1000, u95 / NORMAL95 / grams)
    walls, number = _walls(bench, settings, before)
    return WeighContext(strand, known and known[0], walls, number, spool.foaming, spool.diameter_mm)


def _walls(
    bench: OnBench, settings: WeighSettings, before: int | None
) -> tuple[WallWitness | None, int | None]:
    """Return what the newest walls say, in the e-steps of the weighing; those of the print that
    was weighed, where that is known."""
    assert bench.setup is not None
    # The walls of just that print are its own, whatever was changed since.
    since = 0 if settings.of_trial else last_doubted(bench.book, bench.setup, FLOW.name, before)
    for walls_of in latest_on(bench.book, bench.setup, FLOW.name, 50, before, since):
        if settings.of_trial not in (None, walls_of.number):
            continue
        result = FLOW.of(walls_of)
        share = result.delivered_share
        u95 = None if share is None else result.delivered_share_u95
        if walls_of.verdict == "recheck" or share is None or u95 is None:
            continue
        printed = FLOW_FORM.of(bench.book, walls_of)
        now = printed._replace(
            esteps=settings.esteps or printed.esteps,
            diameter_mm=settings.diameters.slicer_mm or printed.diameter_mm,
        )
        made = as_trial(
            walls_of.number, printed, readings(bench.book, walls_of.number), now=now,
            accuracy_mm=printed.instrument_mm.accuracy_mm,
            instrument=walls_of.conditions.instrument,
        )  # fmt: skip
        walls = tuple(made.as_walls(printed.line_model))
        same = settings.of_trial == walls_of.number
        return WallWitness(share / made.rescale, u95 / made.rescale, walls, same), walls_of.number
    return None, None
