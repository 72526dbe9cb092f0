"""From prints to a plot of their walls, for ``flow --plot`` and ``history --plot``."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.trials import Section
from metier.core.flow.verdict import FlowFinding
from metier.core.line.bead import wall_mm
from metier.core.measure.thresholds import same
from metier.logbook.book import Logbook
from metier.logbook.trials import Reading, Trial, readings
from metier.trials.flow.earlier import FlowContext, by_section, sections_of
from metier.trials.flow.kept import KEPT
from metier.trials.flow.settings import FORM, FlowSettings, lines_text
from metier.trials.kind import Measured


class Printed(NamedTuple):
    """A print to draw: its number, settings, readings, what it advises, and of which roll."""

    number: int | None
    settings: FlowSettings
    readings: Sequence[Reading]
    advised_percent: float | None = None
    spool: str = ""


def plot_measured(
    path: str, title: str, trial: Measured[FlowSettings, FlowContext, FlowFinding]
) -> None:
    """Draw a print that was just measured after those it was judged with."""
    before = [
        Printed(print_.number, print_.settings, print_.readings)
        for print_ in reversed(trial.context.pooled(trial.settings))
    ]
    to_type = trial.finding.flow_to_type
    advised = None if to_type is None else 100 * to_type
    _plot(path, title, [*before, Printed(trial.number, trial.settings, trial.readings, advised)])


def plot_recorded(path: str, title: str, book: Logbook, trials: Sequence[Trial]) -> None:
    """Draw recorded flow trials, oldest first.

    Raises:
        BadInput: none of them was measured, or the file cannot be written.
    """
    _plot(
        path,
        title,
        [
            Printed(
                trial.number,
                FORM.of(book, trial),
                readings(book, trial.number),
                (trial.findings or {}).get("flow_to_type_percent"),
                trial.spool,
            )
            for trial in trials
            if trial.test == KEPT.name and trial.state == "measured"
        ],
    )


def _plot(path: str, title: str, prints: Sequence[Printed]) -> None:
    from metier.show.flow_plots import WallPoint, plot_walls

    points = []
    several = len({print_.spool for print_ in prints}) > 1
    for number, settings, taken, advised, spool in prints:
        for section, mine in by_section(sections_of(settings, taken), taken):
            target_mm = _target_mm(settings, section)
            if target_mm is None:
                continue
            low, high = settings.accept_percent
            several_here = len({(kept.walls, kept.width_mm) for kept in settings.sections}) > 1
            wide_mm = section.width_mm
            wide = wide_mm and settings.width_mm and not same(wide_mm, settings.width_mm)
            of = f" of {wide_mm:g} mm" if wide else ""
            lines = f", {lines_text(section.walls)}{of}" if several_here else ""
            at_flow = "" if section.flow is None else f"{100 * section.flow:.4g} %"
            at_flow += ", rich" if settings.by_plan and section.walls > 1 else ""
            label = f"{number}\n" if number else ""
            label += f"{spool}\n" if several else ""
            zero_mm = settings.instrument_mm.zero_mm
            points.append(
                WallPoint(
                    f"{label}{at_flow}{lines}",
                    section.wall.value,
                    section.wall.u95,
                    target_mm,
                    target_mm * (1 + low / 100),
                    target_mm * (1 + high / 100),
                    [(r.side.rpartition(", ")[2], r.value - zero_mm) for r in mine],
                    "" if advised is None else f"type {advised:g} %",
                    _own_mm(settings, section),
                )
            )
    if not points:
        raise BadInput("--plot: there is no measured flow trial to draw")
    plot_walls(path, title, points)


def _own_mm(settings: FlowSettings, section: Section) -> float | None:
    """Return what a section should measure that was printed richer, or leaner, on purpose."""
    apart_mm = section.apart_mm(settings.layer_mm, settings.line_model or "rectangular")
    if not settings.flow or not section.flow or not apart_mm or same(section.flow, settings.flow):
        return None
    return wall_mm(section.walls, apart_mm * section.flow / settings.flow, settings.layer_mm)


def _target_mm(settings: FlowSettings, section: Section) -> float | None:
    apart_mm = section.apart_mm(settings.layer_mm, settings.line_model or "rectangular")
    return apart_mm and wall_mm(section.walls, apart_mm, settings.layer_mm)
