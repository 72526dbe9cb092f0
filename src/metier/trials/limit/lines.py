"""The line that speeds are reckoned for, and the figures of a ramp printed with it."""

import argparse
from argparse import Namespace
from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.limit.plan import Proposal
from metier.core.limit.verdict import LimitFinding
from metier.core.line.bead import (
    LINE_MODELS,
    LINES,
    CappedSpeed,
    PrintedLine,
    cap_speeds,
    check_line,
)
from metier.core.measure.thresholds import exceeds, round_to
from metier.logbook.trials import latest_on
from metier.show.figures import value_text
from metier.trials.limit.settings import RampSettings
from metier.trials.on_bench import OnBench
from metier.trials.registry import settings_of
from metier.words.arguments import flow, length, option, small_text

_LAYERS_OF_BORE = (0.25, 0.4, 0.6)
# The kinds of trials that tell how wide and high this bench prints its lines.
_TELLING = ("volumetric", "flow")


def add_line_options(parser: argparse.ArgumentParser) -> None:
    """Add what turns a limit into speeds."""
    group = parser.add_argument_group("the speeds it means (else for lines as the bench prints)")
    option(group, "--width MM …", "line width, or some", length)
    option(group, "--layer MM …", "layer height, or some", length)
    option(group, "--flow PERCENT", "flow (else the one in force)", flow)
    option(group, "--line-model", "how the slicer doses a line", LINE_MODELS)
    option(group, "--speeds LINE=MM/S …", f"speeds set: {', '.join(LINES)}; outer=150@0.45x0.2 "
           f"for its own line", small_text)  # fmt: skip


def printed_line(
    options: Namespace, here: OnBench, planned: PrintedLine | None = None
) -> tuple[PrintedLine | None, tuple[str, ...]]:
    """Return the line that speeds are reckoned for, and notes on what was taken for it.

    None where neither options nor plan nor logbook know width and layer height.

    Raises:
        BadInput: a line that cannot be printed.
    """
    known = [(planned.width_mm, planned.layer_mm)] if planned else known_sizes(here)
    width_mm = options.width[0] if options.width else known[0][0] if known else None
    layer_mm = options.layer[0] if options.layer else known[0][1] if known else None
    if width_mm is None or layer_mm is None:
        if bool(options.width) != bool(options.layer) and not options.plan:
            raise BadInput("--width and --layer go together: the size of a line")
        return None, ()
    check_line(width_mm, layer_mm)
    printer = here.bench.printer
    model = options.line_model or (printer and printer.line_model)
    ratio, notes = flow_in_use(options, here)
    return PrintedLine(width_mm, layer_mm, model, ratio), notes


def flow_in_use(options: Namespace, here: OnBench) -> tuple[float, tuple[str, ...]]:
    """Return the flow that speeds are reckoned at, and a note where it is not settled."""
    if options.flow is not None:
        return options.flow, ()
    stands = here.stands("flow")
    ratio = stands.in_force or stands.value
    if ratio is None:
        return 1.0, ("flow is not known: speeds are reckoned at 100 %",)
    if stands.status in ("entered", "verified"):
        return ratio, ()
    text = value_text("flow", ratio, here.writing)
    standing = f"{stands.status}: {stands.why}"
    return ratio, (f"speeds are reckoned at flow {text}; flow is {standing}",)


def known_sizes(here: OnBench) -> list[tuple[float, float]]:
    """Return width and height of the lines this bench was seen to print, the newest first."""
    found: dict[tuple[float, float], None] = {}
    if here.setup is None:
        return []
    for name in _TELLING:
        for trial in latest_on(here.book, here.setup, name, 10):
            settings = settings_of(here.book, trial)
            # A cube has the sizes itself, a trial of the limit has the line it reckons with.
            line = getattr(settings, "line", settings)
            if getattr(line, "width_mm", None) is not None:
                found[line.width_mm, line.layer_mm] = None
    return list(found)


def table_sizes(
    here: OnBench, line: PrintedLine, widths_mm: Sequence[float], layers_mm: Sequence[float]
) -> tuple[list[float], list[float]]:
    """Return the widths and layer heights to show speeds for, each in rising order.

    Those asked for, else those that the bench prints and the usual layers of its bore.
    """
    known = known_sizes(here)
    widths = set(widths_mm or [line.width_mm, *(width for width, _ in known[:3])])
    layers = set(layers_mm or [line.layer_mm, *(layer for _, layer in known[:3])])
    if not layers_mm:
        bore_mm = here.setup.nozzle.bore_mm if here.setup else line.width_mm
        usual = [round_to(part * bore_mm, 0.05) for part in _LAYERS_OF_BORE]
        layers |= {layer for layer in usual if layer and not exceeds(layer, min(widths))}
    return sorted(widths), sorted(layers)


def at_speed(settings: RampSettings, finding: LimitFinding) -> float | None:
    """Return the share of the outline that the last good flow was printed at, where known."""
    line, reach, good = settings.line.printed, settings.reach, finding.last_good_mm3_s
    if line is None or reach is None or good is None:
        return None
    return reach.share(line.speed_mm_s(good))


def capped(settings: RampSettings, finding: LimitFinding) -> tuple[CappedSpeed, ...]:
    """Return what the limit leaves of the set speeds."""
    line, limit = settings.line.printed, finding.limit_mm3_s
    if not settings.set_speeds or limit is None or line is None:
        return ()
    return cap_speeds(limit, settings.set_speeds, line.line_model, line.flow)


def figures_of(proposal: Proposal) -> dict[str, object]:
    """Return what printing a planned ramp takes."""
    return {
        "outline": proposal.reach.outline.shape,
        "outline_mm": proposal.reach.outline.size_mm,
        "accel_mm_s2": proposal.reach.accel_mm_s2,
        "at_speed": proposal.at_speed,
        "height_mm": proposal.height_mm,
        "time_s": proposal.time_s,
        "filament_mm": proposal.filament_mm,
        "volume_mm3": proposal.volume_mm3,
        "from_mm_s": proposal.from_mm_s,
        "to_mm_s": proposal.to_mm_s,
        "least_layer_s": proposal.least_layer_s,
    }
