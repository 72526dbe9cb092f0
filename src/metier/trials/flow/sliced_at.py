"""The flow a print is sliced at, its sections, and how it is reckoned: given, planned or known."""

import argparse
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.settling import rich
from metier.core.line.bead import LineModel
from metier.core.refusal import Refusal
from metier.trials.flow.given import GivenPrint, readings_by_walls
from metier.trials.flow.settings import FlowSettings, PrintedWalls, lines_text
from metier.trials.on_bench import OnBench


def asked_model(options: argparse.Namespace, width_mm: float, layer_mm: float) -> LineModel | None:
    """Ask for the line model where somebody sits at a terminal: it decides flow by a tenth."""
    from metier.words.question import may_ask

    if not may_ask(options.json):
        return None
    from metier.words.line_model import ask_line_model

    return ask_line_model(width_mm, layer_mm)


class SlicedAt(NamedTuple):
    """The flow a print is sliced at, whether the plan chose it, and the flow that is set."""

    value: float | None
    source: str
    notes: tuple[str, ...]
    by_plan: bool
    flow_set: float | None


def sliced_at(
    options: argparse.Namespace,
    here: OnBench,
    given: GivenPrint,
    planned: FlowSettings | None,
    sections: Sequence[PrintedWalls],
) -> SlicedAt:
    stands = here.stands("flow")
    if planned and planned.by_plan and given.flow is None:
        source = "as planned, for this print only"
        return SlicedAt(planned.flow, source, (), True, stands.in_force)
    if options.flows:
        return SlicedAt(max(options.flows), "of the lowest section", (), True, stands.in_force)
    several = max(one.walls for one in sections) > 1
    if options.plan and given.flow is None and several:
        estimate = stands.value or stands.in_force or 1.0
        chosen = rich(estimate, stands.trials > 0)
        return SlicedAt(chosen, "chosen for this print", (), True, stands.in_force)
    if given.flow is None and given.dose and stands.in_force is None and not planned:
        return SlicedAt(None, "not known, but the dose is", (), False, None)
    used = here.in_use("flow", given.flow, "--flow", planned and planned.flow)
    return SlicedAt(*used, False, used.value)


def counted(
    options: argparse.Namespace, sections: tuple[PrintedWalls, ...]
) -> tuple[PrintedWalls, ...]:
    """Return sections with how many of the readings given are of each."""
    if options.file and any(one.flow_percent for one in sections):
        raise Refusal("--from cannot tell sections of several flows apart: --read once for each")
    if options.file:
        return _sections_of_file(options.file) or sections
    if len(sections) == 1 or not (options.read or options.side):
        return sections
    taken = readings_by_walls(options, sections)
    if len(taken) != len(sections):
        named = " and ".join(lines_text(one.walls) for one in sections)
        raise Refusal(f"--walls is needed before the readings of each: {named} are planned")
    return tuple(
        one._replace(readings=len(mine)) for one, mine in zip(sections, taken, strict=True)
    )


def _sections_of_file(path: str) -> tuple[PrintedWalls, ...]:
    """Return the sections that a file's column of walls tells of; none without one."""
    from metier.formats.readings_csv import read_readings

    rows = read_readings(path)
    counts: dict[int, int] = {}
    for row in rows:
        if row.walls is not None:
            counts[row.walls] = counts.get(row.walls, 0) + 1
    return tuple(PrintedWalls(walls, count) for walls, count in counts.items())


def reckoned(options: argparse.Namespace, settings: FlowSettings) -> FlowSettings:
    """Return how to reckon: as given, else as it was settled."""
    if options.accept is not None:
        low, high = options.accept
        if not -50 <= low <= 0 <= high <= 50:
            raise Refusal(
                f"--accept: {low:g} {high:g} must be a LOW from -50 to 0 and a HIGH from 0 to 50"
            )
        settings = settings._replace(accept_percent=(low, high))
    if options.sure is not None:
        if not 50 <= options.sure <= 99:
            raise Refusal(f"--sure: {options.sure:g} must be from 50 to 99 percent")
        settings = settings._replace(sure_needed_percent=options.sure)
    if options.round_to is not None:
        if not 0.01 <= options.round_to <= 10:
            raise Refusal(f"--round-to: {options.round_to:g} must be from 0.01 to 10 percent")
        settings = settings._replace(round_to_percent=options.round_to)
    return settings._replace(round=options.round or settings.round)
