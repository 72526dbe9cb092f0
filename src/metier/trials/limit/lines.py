"""The line and the speeds that a limit is turned into, as typed and as sheets say them."""

from argparse import Namespace
from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.line.bead import LINES, PrintedLine, SetSpeed, check_line
from metier.core.measure.thresholds import exceeds, round_to
from metier.core.verdicts import Verdict
from metier.formats.quantity import read_length_mm, read_positive
from metier.logbook.trials import latest_on
from metier.show.figures import value_text
from metier.show.sheet import Sheet, table
from metier.trials.limit.base import limit_to_type
from metier.trials.limit.settings import KeptLine
from metier.trials.on_bench import OnBench
from metier.trials.registry import settings_of

_LAYERS_OF_BORE = (0.25, 0.4, 0.6)
# The kinds of trials that tell how wide and high this bench prints its lines.
_TELLING = ("volumetric", "flow")


def printed_line(
    options: Namespace, bench: OnBench, planned: PrintedLine | None = None
) -> tuple[PrintedLine | None, tuple[str, ...]]:
    """Return the line that speeds are reckoned for, and notes on what was taken for it.

    None where neither options nor plan nor logbook know width and layer height.

    Raises:
        BadInput: a line that cannot be printed.
    """
    known = [(planned.width_mm, planned.layer_mm)] if planned else known_sizes(bench)
    width_mm = options.width[0] if options.width else known[0][0] if known else None
    layer_mm = options.layer[0] if options.layer else known[0][1] if known else None
    if width_mm is None or layer_mm is None:
        if bool(options.width) != bool(options.layer) and not options.plan:
            raise BadInput("--width and --layer go together: the size of a line")
        return None, ()
    check_line(width_mm, layer_mm)
    printer = bench.chosen.printer
    model = options.line_model or (printer and printer.line_model)
    ratio, notes = flow_in_use(options, bench)
    return PrintedLine(width_mm, layer_mm, model, ratio), notes


def read_speeds(texts: Sequence[str], line: PrintedLine | None) -> tuple[SetSpeed, ...]:
    """Read ``outer=150`` or ``outer=150@0.45x0.2``.

    Raises:
        BadInput: no such form, or no line to reckon with.
    """
    speeds: dict[str, SetSpeed] = {}
    for text in texts:
        speed = _set_speed(text, line)
        if speed.name in speeds:
            raise BadInput(f"--speeds: {speed.name} is given twice")
        speeds[speed.name] = speed
    return tuple(speeds.values())


def _set_speed(text: str, line: PrintedLine | None) -> SetSpeed:
    name, equals, rest = text.partition("=")
    speed, at, size = rest.partition("@")
    if not equals or not name:
        raise BadInput(f"--speeds: {text!r}: write it outer=150")
    width, by, layer = size.partition("x")
    width_mm = line and line.width_mm
    layer_mm = line and line.layer_mm
    if at:
        width_mm = read_length_mm(width, f"--speeds {name}: width")
        layer_mm = read_length_mm(layer, f"--speeds {name}: layer") if by else layer_mm
    if width_mm is None or layer_mm is None:
        raise BadInput("--speeds needs the line: give --width and --layer")
    check_line(width_mm, layer_mm)
    speed_mm_s = read_positive(speed, f"--speeds {name}", ("mm/s",))
    name = name.strip().lower()
    if name not in LINES:
        raise BadInput(f"--speeds: there is no '{name}': give {', '.join(LINES)}")
    return SetSpeed(name, speed_mm_s, width_mm, layer_mm)


def flow_in_use(options: Namespace, bench: OnBench) -> tuple[float, tuple[str, ...]]:
    """Return the flow that speeds are worked out at, and a note where it is not settled."""
    if options.flow is not None:
        return options.flow, ()
    stands = bench.stands("flow")
    ratio = stands.in_force or stands.value
    if ratio is None:
        return 1.0, ("flow is not known: speeds are worked out at 100 %",)
    if stands.status in ("entered", "verified"):
        return ratio, ()
    text = value_text("flow", ratio, bench.writing)
    standing = f"{stands.status}: {stands.why}"
    return ratio, (f"speeds are worked out at flow {text}; flow is {standing}",)


def known_sizes(bench: OnBench) -> list[tuple[float, float]]:
    """Return width and height of the lines this bench was seen to print, the newest first."""
    sizes: dict[tuple[float, float], None] = {}
    if bench.setup is None:
        return []
    for name in _TELLING:
        for trial in latest_on(bench.book, bench.setup, name, 10):
            settings = settings_of(bench.book, trial)
            # A cube has the sizes itself, a trial of the limit has the line it reckons with.
            line = getattr(settings, "line", settings)
            if getattr(line, "width_mm", None) is not None:
                sizes[line.width_mm, line.layer_mm] = None
    return list(sizes)


def table_sizes(
    bench: OnBench, line: PrintedLine, widths_mm: Sequence[float], layers_mm: Sequence[float]
) -> tuple[list[float], list[float]]:
    """Return the widths and layer heights to show speeds for, each in rising order.

    Those asked for, else those that the bench prints and the usual layers of its bore.
    """
    known = known_sizes(bench)
    widths = set(widths_mm or [line.width_mm, *(width for width, _ in known[:3])])
    layers = set(layers_mm or [line.layer_mm, *(layer for _, layer in known[:3])])
    if not layers_mm:
        bore_mm = bench.setup.nozzle.bore_mm if bench.setup else line.width_mm
        usual = [round_to(part * bore_mm, 0.05) for part in _LAYERS_OF_BORE]
        layers |= {layer for layer in usual if layer and not exceeds(layer, min(widths))}
    return sorted(widths), sorted(layers)


def limit_act(
    sheet: Sheet, verdict: Verdict, limit_mm3_s: float | None, limit_now_mm3_s: float | None
) -> None:
    """Add the limit to type, or what to leave."""
    to_type = limit_to_type(verdict, limit_mm3_s, limit_now_mm3_s)
    if verdict.name == "correct" and to_type is not None:
        was = "" if limit_now_mm3_s is None else f" (was {limit_now_mm3_s:g})"
        remark = f"volumetric speed limit, in the slicer{was}"
        sheet.act("type", f"{to_type:g} mm³/s", remark)
    elif to_type is not None:
        remark = "nothing to type" if verdict.name == "keep" else "for now: nothing to type yet"
        sheet.act("leave", f"{to_type:g} mm³/s", remark)
    elif limit_mm3_s is not None and verdict.name != "recheck":
        sheet.act("guess", f"{limit_mm3_s:g} mm³/s", "on the safe side, until it is settled")
    elif verdict.name == "unclear":
        sheet.act("type", "nothing", "it cannot be told yet")


def what_next(
    sheet: Sheet, number: int | None, verdict: Verdict, limit_mm3_s: float | None
) -> None:
    """Add what to do once a limit is found."""
    if verdict.name != "correct" or limit_mm3_s is None:
        return
    if number is None:
        sheet.next("type it in; it bounds every speed of this filament.")


def speed_table(bench: OnBench, limit_mm3_s: float | None, kept: KeptLine) -> list[str]:
    """Return the speeds a limit means, layer heights down and line widths across."""
    line = kept.printed
    if limit_mm3_s is None or line is None:
        return []
    widths, layers = table_sizes(bench, line, kept.widths_mm, kept.layers_mm)
    flow = value_text("flow", line.flow, bench.writing)
    rows = []
    for layer_mm in layers:
        cells = [
            f"{line._replace(width_mm=width, layer_mm=layer_mm).speed_mm_s(limit_mm3_s):.0f}"
            if width >= layer_mm
            else "-"
            for width in widths
        ]
        rows.append((f"{layer_mm:g}", *cells))
    header = ("layer", *(f"width {width:g}" for width in widths))
    lead = f"  The speeds that {limit_mm3_s:g} mm³/s means, in mm/s (flow {flow}):"
    return [lead, *table(header, rows, right=tuple(range(len(header))))]
