"""``metier volumetric speeds``: flow into speed and back, for a line, without any trial."""

import argparse

from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.show.sheet import Sheet
from metier.trials.limit.lines import printed_line
from metier.trials.limit.settings import KeptLine
from metier.trials.limit.sheet import speed_table
from metier.trials.on_bench import on_bench
from metier.words.parser import Answer


def turned(options: argparse.Namespace, book: Logbook) -> Answer:
    """Return the speed that a flow means for a line, or the flow that a speed takes.

    Raises:
        Refusal: not one of the two, or a line that is not known.
    """
    here = on_bench(book)
    line, notes = printed_line(options, here)
    if line is None:
        raise Refusal("--width and --layer are needed: the line that is printed")
    limit_mm3_s, speed_mm_s = options.limit, options.speed
    if limit_mm3_s is not None and speed_mm_s is not None:
        raise Refusal("--limit and --speed are turned into each other: give one of them")
    if limit_mm3_s is None and speed_mm_s is None:
        limit_mm3_s = here.stands("limit").in_force
        if limit_mm3_s is None:
            raise Refusal("give --limit in mm³/s, or --speed in mm/s; no limit is in force here")
    size = f"{line.width_mm:g} x {line.layer_mm:g} mm"
    sheet = Sheet(f"Flow and speed of a line of {size}")
    if speed_mm_s is None:
        assert limit_mm3_s is not None
        speed_mm_s = line.speed_mm_s(limit_mm3_s)
        sheet.row("at", f"{limit_mm3_s:g} mm³/s", f"it may be printed at {speed_mm_s:.0f} mm/s")
    else:
        limit_mm3_s = speed_mm_s * line.area_mm2
        sheet.row("at", f"{speed_mm_s:g} mm/s", f"it takes {limit_mm3_s:.2f} mm³/s")
    model = line.line_model or "not known: width times layer is taken"
    sheet.row("line", f"{line.area_mm2 / line.flow:.4f} mm²", f"line model {model}")
    for note in notes:
        sheet.note(note)
    sheet.gap()
    kept = KeptLine.of(line, options.width, options.layer)
    sheet.lines(*speed_table(here, limit_mm3_s, kept))
    payload = {"flow_mm3_s": limit_mm3_s, "speed_mm_s": speed_mm_s, "area_mm2": line.area_mm2}
    payload |= {
        "width_mm": line.width_mm,
        "layer_mm": line.layer_mm,
        "flow_percent": 100 * line.flow,
    }
    return Answer({**payload, "notes": list(notes)}, sheet.text())
