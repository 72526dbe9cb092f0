"""What a print was asked for: off a sliced file, out of Metier's own part, or as it is given."""

import argparse
from typing import Literal, NamedTuple

from metier.core.refusal import Refusal
from metier.core.weighing import Diameters
from metier.logbook.trials import trial
from metier.trials.diameter.kept import measured_diameter
from metier.trials.kind import Plan, WantedLine
from metier.trials.on_bench import OnBench
from metier.trials.weigh.settings import WeighSettings


class AskedFor(NamedTuple):
    """How much filament was asked for and where that is from; and the slicer's diameter, where the
    file has it."""

    mm: float | None
    source: Literal["file", "given", "part"]
    slicer_mm: float | None = None
    notes: tuple[str, ...] = ()


def refuse_other_kind(here: OnBench, number: int) -> None:
    """Refuse a print that is of no flow trial.

    Raises:
        Refusal: there is no such trial, or it is of another kind.
    """
    found = trial(here.book, number)
    if found.test != "flow":
        raise Refusal(f"--of: trial {number} is {found.test}: name the flow trial of that print")


def asked_for(
    options: argparse.Namespace, here: OnBench, planned: WeighSettings | None
) -> AskedFor:
    """Return the filament that a print was asked for.

    Raises:
        Refusal: given in two ways, or a file or trial that does not tell.
    """
    if options.sliced and options.filament:
        raise Refusal("--sliced and --filament both say what was asked for: give one of them")
    if options.filament:
        return AskedFor(options.filament, "given")
    if options.sliced:
        return _of_file(options.sliced, here)
    if options.of and options.part_g:
        return _of_part(options.of, here)
    if planned and planned.asked_mm:
        return AskedFor(planned.asked_mm, planned.asked_from)
    return AskedFor(None, "given")


def _of_file(path: str, here: OnBench) -> AskedFor:
    from metier.core.job.moves import PRINT
    from metier.formats.sliced_file import diameter_of, read_notes, sliced_file

    sliced = sliced_file(path)
    slicer_mm, notes = diameter_of(None, here.slicer_mm, sliced)
    # What is drawn back and fed again comes to nothing.
    asked_mm = float(sliced.moves.e[sliced.moves.kind == PRINT].sum())
    if asked_mm <= 0:
        raise Refusal(f"{path} prints nothing: give the file that was printed")
    said = (f"{asked_mm:.0f} mm of filament as in {path}, the line that primes included",)
    return AskedFor(asked_mm, "file", slicer_mm, (*read_notes(sliced), *notes, *said))


def _of_part(number: int, here: OnBench) -> AskedFor:
    """Return what the part of a flow trial takes, where Metier wrote its lines."""
    from metier.trials.flow.settings import FORM as FLOW
    from metier.trials.flow.tube import tube_of
    from metier.trials.part_files import facts_of

    found = trial(here.book, number)
    settings = FLOW.of(here.book, found)
    if settings.dose is None or settings.dose.source != "part":
        raise Refusal(
            f"--of: what trial {number} was asked for is not known: give its --sliced FILE, or "
            "--filament MM as the slicer says"
        )
    tube = tube_of(Plan(number, settings, found.conditions), here, WantedLine())
    said = (f"the filament of trial {number} with its tab, without the line that primes",)
    return AskedFor(facts_of(tube, here).filament_mm, "part", settings.diameter_mm, said)


def diameters(options: argparse.Namespace, here: OnBench, asked: AskedFor) -> Diameters:
    """Return the strand's diameter and the slicer's: given, else as the logbook knows them."""
    slicer_mm = options.slicer or asked.slicer_mm or here.slicer_mm
    if options.diameter:
        return Diameters(slicer_mm, options.diameter)
    strand = measured_diameter(here.book, here.setup.spool) if here.setup else None
    if strand is None:
        return Diameters(slicer_mm)
    found = strand[1]
    return Diameters(slicer_mm or found.slicer_mm, found.diameter_mm, found.diameter_u95_mm)
