"""``metier cable print``: a file of G-code, line by line to the printer."""

import argparse
import sys
import time

from metier.bar import worded_bar
from metier.cable.failure import CableFailure
from metier.cable.job import job_of
from metier.cable.printing import Progress, print_job
from metier.cable.talking import read_steps
from metier.logbook.inforce import steps_in_force
from metier.show.outside import clean_error
from metier.show.sheet import Sheet
from metier.trials.cabled import cabled, steps_differ
from metier.words.ending import ending_as_by_ctrl_c
from metier.words.parser import Answer, existing_logbook
from metier.words.question import may_ask


def print_file(options: argparse.Namespace) -> Answer:
    """Run ``metier cable print``."""
    job = job_of(options.file)
    with existing_logbook(options.logbook) as book:
        spoken_to = cabled(book, options)
        known = steps_in_force(book, spoken_to.printer) if spoken_to.printer else None
    # A terminal that is closed must not leave a hot nozzle on a part.
    with ending_as_by_ctrl_c(), spoken_to.linked() as link:
        try:
            differ = steps_differ(spoken_to.printer, read_steps(link), known)
        except CableFailure as failure:
            differ = str(failure)
        if differ and may_ask(options.json):
            # Said now to somebody who watches, and once more at the end.
            print(clean_error(f"Note: {differ}."), file=sys.stderr)
        begun = time.monotonic()
        with worded_bar("printing") as tell:

            def watch(now: Progress) -> None:
                tell(now.done_s, now.of_s, _words(now, time.monotonic() - begun))

            printed = print_job(link, job, watch)
    sheet = Sheet(f"Printed {options.file} on {spoken_to.name}")
    sheet.row("took", _minutes(printed.time_s), f"{printed.lines} lines")
    sheet.row("height", f"{printed.height_mm:g} mm")
    if printed.again:
        sheet.row("again", f"{printed.again} lines", "asked for again by the printer: a noisy line")
    if differ:
        sheet.note(differ)
    payload = {
        "printer": spoken_to.name,
        "file": options.file,
        "lines": printed.lines,
        "again": printed.again,
        "time_s": printed.time_s,
        "height_mm": printed.height_mm,
        "note": differ or None,
    }
    return Answer(payload, sheet.text())


def _words(now: Progress, taken_s: float) -> str:
    heat = f"{now.heat.nozzle_c:.0f} °C" if now.heat else ""
    left = ""
    if now.done_s > 0 and now.done > 10:
        # Its moves take longer than their speeds say: as much longer as they did so far.
        left = f"{_minutes(taken_s * (now.of_s - now.done_s) / now.done_s)} left"
    return ", ".join(part for part in (f"{now.height_mm:g} mm", heat, left) if part)


def _minutes(seconds: float) -> str:
    if seconds < 100:
        return f"{seconds:.0f} s"
    hours, minutes = divmod(round(seconds / 60), 60)
    return f"{hours} h {minutes:02d} min" if hours else f"{minutes} min"
