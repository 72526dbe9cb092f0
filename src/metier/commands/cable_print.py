"""``metier cable print``: a file of G-code, line by line to the printer."""

import argparse
import sys
import time

from metier.bar import progress_bar
from metier.cable.failure import Untold
from metier.cable.job import job_lines, surveyed
from metier.cable.link import Link
from metier.cable.printing import Job, Progress
from metier.cable.talking import read_steps
from metier.show.outside import clean, clean_error
from metier.show.sheet import Sheet
from metier.trials.cabled import cabled, steps_differ, still_hot
from metier.words.parser import Answer, existing_logbook
from metier.words.question import may_ask
from metier.words.typed_line import typed_line


def print_file(options: argparse.Namespace) -> Answer:
    """Run ``metier cable print``."""
    with existing_logbook(options.logbook) as book:
        spoken_to = cabled(book, options)
    survey = surveyed(options.file, spoken_to.allowed)
    line = spoken_to.linked()
    with line as link:
        try:
            known = spoken_to.steps_per_mm
            differ = steps_differ(spoken_to.printer, read_steps(link), known)
        except Untold:
            # They stand in a file of its own.
            differ = ""
        if differ and may_ask(options.json):
            # Said now to somebody who watches, and once more at the end.
            print(clean_error(f"Note: {differ}."), file=sys.stderr)
        begun = time.monotonic()
        with progress_bar("printing") as tell:

            def watch(now: Progress) -> None:
                tell(now.done_s, now.of_s, _words(now, time.monotonic() - begun))

            def paused(says: str, height_mm: float) -> bool:
                return may_ask(options.json) and _goes_on(link, says, height_mm)

            job = Job(link, survey, watch, paused)
            printed = job.print(job_lines(options.file, spoken_to.allowed))
        ends_hot = link.guard.on
        link.guard.keeps = options.keep_hot
    sheet = Sheet(f"Printed {options.file} on {spoken_to.name}")
    sheet.row("took", _minutes(printed.time_s), f"{printed.lines} lines")
    sheet.row("height", f"{printed.height_mm:g} mm")
    if printed.again:
        sheet.row("again", f"{printed.again} lines", "asked for again by the printer: a noisy line")
    if differ:
        sheet.note(differ)
    if ends_hot and not options.keep_hot:
        sheet.note(f"the file ends hot: {line.left} now (--keep-hot leaves them on)")
    payload = {
        "printer": spoken_to.name,
        "file": options.file,
        "lines": printed.lines,
        "again": printed.again,
        "time_s": printed.time_s,
        "height_mm": printed.height_mm,
        "ends_hot": ends_hot,
        "note": differ or None,
    }
    return Answer(payload, sheet.text()).with_line(still_hot(line.left if options.keep_hot else ""))


def _goes_on(link: Link, says: str, height_mm: float) -> bool:
    """Ask whether a print that the printer paused goes on, its heat watched meanwhile."""
    print(
        clean(f"\nThe printer asks for a pause at {height_mm:g} mm: «{says[:80]}»."),
        file=sys.stderr,
    )
    while True:
        print("g goes on, e cools and ends > ", end="", file=sys.stderr, flush=True)
        typed = typed_line(link.idle).strip().lower()
        if typed in ("g", "go", "e", "end"):
            return typed.startswith("g")


def _words(now: Progress, taken_s: float) -> str:
    heat = f"{now.heat.nozzle_c:.0f} °C" if now.heat else ""
    left = ""
    if now.done_s > 0 and now.done > 10:
        # Its moves take longer than their speeds say: as much longer as they did so far.
        left = f"{_minutes(taken_s * (now.of_s - now.done_s) / now.done_s)} left"
    return ", ".join(part for part in (f"{now.height_mm:g} mm", heat, left) if part)


def _minutes(seconds: float) -> str:
    """Return how long something took, to the nearest minute.

    >>> _minutes(99), _minutes(12.6 * 60), _minutes(61.6 * 60)
    ('99 s', '13 min', '1 h 02 min')
    """
    if seconds < 100:
        return f"{seconds:.0f} s"
    hours, minutes = divmod(round(seconds / 60), 60)
    return f"{hours} h {minutes:02d} min" if hours else f"{minutes} min"
