"""``metier sliced ramp`` and ``volumetric --sliced``: the ramp that is in a file."""

import argparse

from metier.commands.on_bench import OnBench, on_bench
from metier.commands.options import Answer
from metier.commands.sliced_file import diameter_of, only_tool, read_notes, sliced_file
from metier.core.ramp import Ramp
from metier.core.sliced_ramp import SlicedRamp, read_ramp
from metier.logbook.book import Logbook
from metier.show.sheet import Sheet, table

_CAPPED = (
    "the upper end is flat at {:.4g} mm³/s: the slicer capped it, and nothing above was tested; "
    "lift its volumetric limit and slice again"
)
# More rows would scroll away.
_MOST_ROWS = 12


def sliced_ramp(options: argparse.Namespace, book: Logbook) -> Answer:
    """Answer which ramp is in a file."""
    found, notes = _read(options.file, on_bench(book), options.tool, options.diameter)
    payload = {
        "steps": [
            {"z_mm": one.z_mm, "flow_mm3_s": one.flow_mm3_s, "top_mm": one.top_mm}
            for one in found.steps
        ],
        "foot_mm": found.foot_mm,
        "from_mm3_s": found.from_mm3_s,
        "to_mm3_s": found.to_mm3_s,
        "step_mm3_s": found.step_mm3_s,
        "every_mm": found.every_mm,
        "rise_mm3_s_mm": found.rise_mm3_s_mm,
        "layer_mm": found.layer_mm,
        "capped": found.capped,
        "warnings": list(notes),
    }
    sheet = Sheet(f"Sliced ramp: {options.file}")
    sheet.row("from", f"{found.from_mm3_s:.4g} to {found.to_mm3_s:.4g} mm³/s")
    if found.step_mm3_s is not None:
        every = f"{found.step_mm3_s:.4g} mm³/s more every {found.every_mm:.4g} mm"
        sheet.row("steps", f"{len(found.steps)}", every)
    else:
        sheet.row("rises", f"{found.rise_mm3_s_mm:.4g} mm³/s", "each mm")
    sheet.row("foot", f"{found.foot_mm:.4g} mm", "does not count")
    sheet.row("height", f"{found.steps[-1].top_mm:.4g} mm", f"layers of {found.layer_mm:.4g} mm")
    for note in notes:
        sheet.note(note, "warning")
    sheet.gap()
    sheet.lines(*_steps(found))
    sheet.next("once it is printed:", f"metier volumetric --sliced {options.file} --gaps-at MM")
    return Answer(payload, sheet.text())


def ramp_of_file(options: argparse.Namespace, here: OnBench) -> tuple[Ramp, tuple[str, ...]]:
    """Return the ramp of ``--sliced``, and what is to be said of it.

    Raises:
        Refusal: not such a file, or no ramp in it.
    """
    found, notes = _read(options.sliced, here)
    ramp = found.ramp()
    # What a file gives beyond that is noise of its decimals.
    rounded = {name: round(value, 4) for name, value in ramp._asdict().items() if value is not None}
    if found.step_mm3_s is not None:
        steps = round((found.to_mm3_s - found.from_mm3_s) / found.step_mm3_s)
        rounded["to_mm3_s"] = rounded["from_mm3_s"] + steps * rounded["step_mm3_s"]
    return ramp._replace(**rounded), notes


def _read(
    path: str, here: OnBench, tool: int | None = None, diameter_mm: float | None = None
) -> tuple[SlicedRamp, tuple[str, ...]]:
    sliced = only_tool(sliced_file(path), tool)
    diameter_mm, notes = diameter_of(diameter_mm, here, sliced)
    found = read_ramp(sliced.moves, diameter_mm)
    capped = (_CAPPED.format(found.to_mm3_s),) if found.capped else ()
    return found, (*read_notes(sliced), *notes, *capped)


def _steps(found: SlicedRamp) -> list[str]:
    every = max(1, -(-len(found.steps) // _MOST_ROWS))
    shown = [one for place, one in enumerate(found.steps) if place % every == 0]
    if found.steps[-1] not in shown:
        shown.append(found.steps[-1])
    rows = [(f"{one.z_mm:.4g}", f"{one.top_mm:.4g}", f"{one.flow_mm3_s:.4g}") for one in shown]
    return table(("from mm", "to mm", "mm³/s"), rows, right=(0, 1, 2))
