"""A part on its printer: the lines that suit the bench, and what has to be known to print it."""

from typing import TYPE_CHECKING

from metier.core.errors import BadInput
from metier.core.limit.plan import MOST_LAYER
from metier.core.line.bead import PrintedLine, line_for_bore
from metier.core.materials import material_of, melts_mm3_s
from metier.core.measure.thresholds import exceeds, round_to
from metier.logbook.bench import Setup
from metier.logbook.machines import own_gcode, unseen_gcode
from metier.show.figures import proposed
from metier.trials.kind import WantedLine
from metier.trials.limit.lines import known_sizes
from metier.trials.on_bench import OnBench, bed_c_of, needed_setup

if TYPE_CHECKING:
    from metier.formats.gcode_written import Bed, Machine

# Where nobody says how fast walls are printed; how near to the limit then, and how much faster what
# lies inside.
_SPEED_MM_S, _OF_LIMIT, _INNER = 40.0, 0.7, 2.2
_RETRACT_MM = 1.0
# The nozzle is primed at no more than this part of the limit.
_OF_LIMIT_PRIMED = 0.5


def part_line(bench: OnBench, wanted: WantedLine) -> PrintedLine:
    """Return the line that a part is printed with: as wanted, else as this bench prints, else as
    suits its nozzle; at the flow that is set or carried.

    Raises:
        BadInput: one that its nozzle does not print.
    """
    ready = needed_setup(bench.chosen)
    bore_mm = ready.nozzle.bore_mm
    known = known_sizes(bench)
    width_mm, layer_mm = known[0] if known else line_for_bore(bore_mm)
    if wanted.width_mm is None:
        width_mm = max(width_mm, bore_mm)
    if wanted.layer_mm is None:
        layer_mm = min(layer_mm, round_to(MOST_LAYER * bore_mm, 0.01, "down"))
    stands = bench.stands("flow")
    line = PrintedLine(
        wanted.width_mm or width_mm,
        wanted.layer_mm or layer_mm,
        "rounded",
        stands.in_force or stands.value or 1.0,
    )
    refuse_line(line, bore_mm)
    return line


def refuse_line(line: PrintedLine, bore_mm: float) -> None:
    """Refuse a line that a nozzle does not print.

    Raises:
        BadInput: narrower than its bore, or layers over 80 % of it.
    """
    if exceeds(bore_mm, line.width_mm):
        raise BadInput(
            f"lines of {line.width_mm:g} mm are narrower than the {bore_mm:g} mm bore: a part is "
            f"not written so; give --width {bore_mm:g} or more"
        )
    if exceeds(line.layer_mm, MOST_LAYER * bore_mm):
        most = round_to(MOST_LAYER * bore_mm, 0.01, "down")
        raise BadInput(
            f"layers of {line.layer_mm:g} mm are over 80 % of the {bore_mm:g} mm bore: a part is "
            f"not written so; give --layer {most:g} or less"
        )


def part_speed(bench: OnBench, line: PrintedLine, wanted_mm_s: float | None) -> float:
    """Return the speed that walls are printed at: as wanted, else a calm one below the limit, or
    below what a plain hot end melts where no limit is known.

    Raises:
        BadInput: faster than the limit in force lets it melt.
    """
    limit_mm3_s = bench.stands("limit").in_force
    if wanted_mm_s is not None:
        if limit_mm3_s and exceeds(wanted_mm_s * line.area_mm2, limit_mm3_s):
            most = line.speed_mm_s(limit_mm3_s)
            raise BadInput(
                f"{wanted_mm_s:g} mm/s take {wanted_mm_s * line.area_mm2:.3g} mm³/s, over the "
                f"limit of {limit_mm3_s:g}: print at {most:.0f} mm/s or less"
            )
        return wanted_mm_s
    return min(_SPEED_MM_S, _calm_mm_s(bench, line))


def inner_speed(bench: OnBench, line: PrintedLine, walls_mm_s: float) -> float:
    """Return the speed of lines that nobody measures or sees: faster, as the limit lets them."""
    return max(walls_mm_s, min(_INNER * walls_mm_s, _calm_mm_s(bench, line)))


def _calm_mm_s(bench: OnBench, line: PrintedLine) -> float:
    """Return the highest speed that melts with ease."""
    return max(1.0, round_to(line.speed_mm_s(_OF_LIMIT * melted_mm3_s(bench)), 1, "down"))


def melted_mm3_s(bench: OnBench) -> float:
    """Return the limit in force, else what a plain hot end melts of this plastic."""
    ready = needed_setup(bench.chosen)
    known = bench.stands("limit").in_force
    return known or melts_mm3_s(ready.spool.material, ready.nozzle.bore_mm)


def bed_of(ready: Setup) -> "Bed":
    """Return the bed of a printer.

    Raises:
        BadInput: nobody said how large it is.
    """
    printer = ready.printer
    if printer.bed_x_mm is None or printer.bed_y_mm is None:
        command = proposed("printer", "set", printer.name, "--bed", "235x235x250")
        raise BadInput(f"the bed of {printer.name} is not known: {command}, with its own size")
    origin = printer.origin or "corner"
    from metier.formats.gcode_written import Bed

    return Bed(printer.bed_x_mm, printer.bed_y_mm, origin, printer.bed_z_mm)


def retract_of(ready: Setup) -> float:
    """Return how far filament is drawn back for travels."""
    return _RETRACT_MM if ready.printer.retract_mm is None else ready.printer.retract_mm


def machine_of(bench: OnBench) -> "Machine":
    """Return all that belongs to printer and roll, for G-code that is ready to print.

    Raises:
        BadInput: something is not known, or hotter than roll or printer allow.
    """
    ready = needed_setup(bench.chosen)
    printer, spool = ready.printer, ready.spool
    bed = bed_of(ready)
    unseen = unseen_gcode(bench.book, printer)
    if unseen:
        lines = sum(len(own_gcode(printer)[name].splitlines()) for name in unseen)
        shown = proposed("printer", "show", printer.name)
        raise BadInput(
            f"the {' and the '.join(unseen)} of each file on {printer.name} ({lines} lines of "
            f"G-code) came with an import: read it once with {shown}"
        )
    nozzle_c = ready.temperature_c
    if nozzle_c is None:
        raise BadInput("the nozzle temperature is not known: metier bench --temperature C")
    bed_c = bed_c_of(spool)
    if bed_c is None:
        command = proposed("spool", "set", spool.name, "--bed-temperature", "60")
        raise BadInput(f"the bed temperature of {spool.name} is not known: {command}, or its own")
    for name, told_c, hottest_c, option in (
        (spool.name, nozzle_c, spool.hottest_c, "bench --temperature C, or --hottest"),
        (printer.name, nozzle_c, printer.hottest_c, "bench --temperature C, or --hottest"),
        (f"the bed of {printer.name}", bed_c, printer.hottest_bed_c,
         "spool set --bed-temperature C, or --hottest-bed"),
    ):  # fmt: skip
        if hottest_c is not None and exceeds(told_c, hottest_c):
            raise BadInput(
                f"{told_c:g} °C are too hot for {name}, which takes {hottest_c:g}: metier {option} "
                "where it is set"
            )
    fan, steps = spool.fan_percent, bench.stands("esteps").in_force
    forgets = printer.steps_in == "start" and steps is not None
    from metier.formats.gcode_written import Machine

    return Machine(
        bed=bed,
        nozzle_c=nozzle_c,
        bed_c=bed_c,
        filament_mm=bench.slicer_mm or spool.diameter_mm,
        bore_mm=ready.nozzle.bore_mm,
        prime_mm3_s=_OF_LIMIT_PRIMED * melted_mm3_s(bench),
        fan_percent=material_of(spool.material).fan_percent if fan is None else fan,
        accel_mm_s2=printer.accel_mm_s2,
        retract_mm=retract_of(ready),
        # Empty is the plain one, said on purpose.
        start=printer.start_gcode or None,
        end=printer.end_gcode or None,
        steps=f"{steps:.{printer.decimals}f}" if forgets else None,
    )
