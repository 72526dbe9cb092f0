"""``metier sliced ramp``: the ramp that is in a file."""

import argparse

from metier.core.job.sliced_ramp import SlicedRamp
from metier.logbook.book import Logbook
from metier.show.command import proposed
from metier.show.sheet import Sheet, table
from metier.trials.limit.sliced import read_ramp_file
from metier.trials.on_bench import on_bench
from metier.words.parser import Answer

# More rows would scroll away.
_MOST_ROWS = 12


def sliced_ramp(options: argparse.Namespace, book: Logbook) -> Answer:
    """Answer which ramp is in a file."""
    found, notes = read_ramp_file(
        options.file, on_bench(book), options.accel, tool=options.tool, diameter_mm=options.diameter
    )
    payload = {
        "steps": [
            {
                "z_mm": step.z_mm,
                "flow_mm3_s": step.flow_mm3_s,
                "top_mm": step.top_mm,
                "at_speed": step.at_speed,
            }
            for step in found.steps
        ],
        "foot_mm": found.foot_mm,
        "from_mm3_s": found.from_mm3_s,
        "to_mm3_s": found.to_mm3_s,
        "step_mm3_s": found.step_mm3_s,
        "every_mm": found.every_mm,
        "rise_mm3_s_mm": found.rise_mm3_s_mm,
        "layer_mm": found.layer_mm,
        "capped": found.capped,
        "asked_mm3_s": found.asked_mm3_s,
        "spiral": found.spiral,
        "warnings": list(notes),
    }
    layers = "a spiral, its turns" if found.spiral else "layers"
    sheet = Sheet(f"Sliced ramp: {options.file}")
    sheet.row("from", f"{found.from_mm3_s:.4g} to {found.to_mm3_s:.4g} mm³/s")
    if found.step_mm3_s is not None:
        every = f"{found.step_mm3_s:.4g} mm³/s more every {found.every_mm:.4g} mm"
        sheet.row("steps", f"{len(found.steps)}", every)
    else:
        sheet.row("rises", f"{found.rise_mm3_s_mm:.4g} mm³/s", "each mm")
    sheet.row("foot", f"{found.foot_mm:.4g} mm", "does not count")
    sheet.row("height", f"{found.steps[-1].top_mm:.4g} mm", f"{layers} of {found.layer_mm:.4g} mm")
    for note in notes:
        sheet.note(note, "warning")
    sheet.gap()
    sheet.lines(*_steps(found))
    command = proposed("volumetric", "--sliced", options.file, "--gaps-at", "MM")
    sheet.next("once it is printed:", command)
    return Answer(payload, sheet.text())


def _steps(found: SlicedRamp) -> list[str]:
    every = max(1, -(-len(found.steps) // _MOST_ROWS))
    shown = [step for place, step in enumerate(found.steps) if place % every == 0]
    if found.steps[-1] not in shown:
        shown.append(found.steps[-1])
    rows = [
        (
            f"{step.z_mm:.4g}",
            f"{step.top_mm:.4g}",
            f"{step.flow_mm3_s:.4g}",
            f"{100 * step.at_speed:.0f} %",
        )
        for step in shown
    ]
    return table(("from mm", "to mm", "mm³/s", "of its way"), rows, right=(0, 1, 2, 3))
