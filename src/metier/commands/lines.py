"""The lines a bench prints: width, layer height, line model and flow, given or as known."""

import argparse

from metier.commands.on_bench import OnBench
from metier.commands.options import flow, length, small_text
from metier.commands.volumetric_record import PrintedLine
from metier.core.bead import LINE_MODELS, check_line
from metier.core.refusal import Refusal
from metier.core.speeds import LINES, SetSpeed
from metier.core.threshold import exceeds, round_to
from metier.formats.quantity import read_length_mm, read_positive
from metier.logbook.trials import Trial, latest_on
from metier.show.values import value_text

_LAYERS_OF_BORE = (0.25, 0.4, 0.6)


def add_line_options(parser: argparse.ArgumentParser) -> None:
    """Add what turns a limit into speeds."""
    group = parser.add_argument_group("the speeds it means (else for lines as the bench prints)")
    group.add_argument("--width", nargs="+", type=length, metavar="MM", help="line width, or some")
    group.add_argument(
        "--layer", nargs="+", type=length, metavar="MM", help="layer height, or some"
    )
    group.add_argument("--flow", type=flow, metavar="PERCENT", help="flow (else the one in force)")
    group.add_argument("--line-model", choices=LINE_MODELS, help="how the slicer doses a line")
    group.add_argument(
        "--speeds",
        nargs="+",
        type=small_text,
        metavar="LINE=MM/S",
        help=f"speeds set: {', '.join(LINES)}; outer=150@0.45x0.2 for its own line",
    )


def printed_line(
    options: argparse.Namespace, here: OnBench, plan: Trial | None = None
) -> tuple[PrintedLine | None, tuple[str, ...]]:
    """Return the line that speeds are reckoned for, and notes on what was taken for it.

    None where neither options nor logbook know width and layer height.

    Raises:
        Refusal: a line that cannot be printed.
    """
    known = _known_lines(here, plan)
    width_mm = options.width[0] if options.width else known[0][0] if known else None
    layer_mm = options.layer[0] if options.layer else known[0][1] if known else None
    if width_mm is None or layer_mm is None:
        if bool(options.width) != bool(options.layer):
            raise Refusal("--width and --layer go together: the size of a line")
        return None, ()
    check_line(width_mm, layer_mm)
    printer = here.bench.printer
    model = options.line_model or (printer and printer.line_model) or "plain"
    ratio, notes = flow_in_use(options, here)
    return PrintedLine(width_mm, layer_mm, model, ratio), notes


def flow_in_use(options: argparse.Namespace, here: OnBench) -> tuple[float, tuple[str, ...]]:
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


def _known_lines(here: OnBench, plan: Trial | None) -> list[tuple[float, float]]:
    """Return the line sizes this bench was seen to print, the newest first."""
    trials = [plan] if plan else []
    if here.setup:
        for test in ("volumetric", "flow"):
            trials += latest_on(here.book, here.setup, test, 10)
    sizes = [(one.settings.get("width_mm"), one.settings.get("layer_mm")) for one in trials]
    return list(dict.fromkeys((w, h) for w, h in sizes if w is not None and h is not None))


def table_sizes(
    options: argparse.Namespace, here: OnBench, line: PrintedLine
) -> tuple[list[float], list[float]]:
    """Return the widths and layer heights to show speeds for, each in rising order."""
    known = _known_lines(here, None)
    widths = set(options.width or [line.width_mm, *(width for width, _ in known[:3])])
    layers = set(options.layer or [line.layer_mm, *(layer for _, layer in known[:3])])
    if not options.layer:
        bore_mm = here.setup.nozzle.bore_mm if here.setup else line.width_mm
        usual = [round_to(part * bore_mm, 0.05) for part in _LAYERS_OF_BORE]
        layers |= {layer for layer in usual if layer and not exceeds(layer, min(widths))}
    return sorted(widths), sorted(layers)


def read_speeds(options: argparse.Namespace, line: PrintedLine | None) -> tuple[SetSpeed, ...]:
    """Read ``outer=150`` or ``outer=150@0.45x0.2``.

    Raises:
        Refusal: no such form, or no line to reckon with.
    """
    found: list[SetSpeed] = []
    for text in options.speeds or ():
        name, equals, rest = text.partition("=")
        speed, at, size = rest.partition("@")
        if not equals or not name:
            raise Refusal(f"--speeds: {text!r}: write it outer=150")
        width, by, layer = size.partition("x")
        width_mm = line and line.width_mm
        layer_mm = line and line.layer_mm
        if at:
            width_mm = read_length_mm(width, f"--speeds {name}: width")
            layer_mm = read_length_mm(layer, f"--speeds {name}: layer") if by else layer_mm
        if width_mm is None or layer_mm is None:
            raise Refusal("--speeds needs the line: give --width and --layer")
        check_line(width_mm, layer_mm)
        speed_mm_s = read_positive(speed, f"--speeds {name}", ("mm/s",))
        name = name.strip().lower()
        if name not in LINES:
            raise Refusal(f"--speeds: there is no '{name}': give {', '.join(LINES)}")
        if name in (one.name for one in found):
            raise Refusal(f"--speeds: {name} is given twice")
        found.append(SetSpeed(name, speed_mm_s, width_mm, layer_mm))
    return tuple(found)
