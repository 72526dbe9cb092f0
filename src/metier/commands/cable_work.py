"""What a printer on its cable is told to do: steps, heat, feed, print."""

import sys
import time
from argparse import Namespace
from collections.abc import Sequence

from metier.bar import progress_bar
from metier.cable.link import Link
from metier.cable.port import Untold
from metier.cable.printing import Job, Progress, job_lines, surveyed
from metier.cable.talking import read_steps, same_steps, store_steps
from metier.core.errors import BadInput
from metier.logbook.book import Logbook
from metier.logbook.machines import Printer
from metier.show.figures import proposed
from metier.show.sheet import Sheet, clean, clean_error
from metier.trials.cabled import (
    Cabled,
    Kept,
    cabled,
    kept_steps,
    note_where,
    steps_differ,
    still_hot,
    to_write,
)
from metier.trials.on_bench import on_bench
from metier.trials.stations import show_next
from metier.words.arguments import read_value
from metier.words.doubt import doubt_of, meant
from metier.words.missing import may_ask
from metier.words.parser import Answer, existing_logbook
from metier.words.question import forget_typed_ahead, said_firmly
from metier.words.typed_line import typed_line

# Further than this from what is known, relative, it is asked whether it is meant; and so much more
# or less is hardly ever meant.
_NEAR, _TENFOLD = 0.20, 8.0


def steps(options: Namespace) -> Answer:
    """Run ``metier cable steps``."""
    with existing_logbook(options.logbook) as book:
        spoken_to = cabled(book, options)
        if options.value is None and not options.advised:
            return _read(book, spoken_to)
        printer = spoken_to.printer
        if printer is None:
            raise BadInput(
                "whose e-steps are these? name it with --printer, so that it is recorded"
            )
        wanted = round(_wanted(book, options, printer), printer.decimals)
        line = spoken_to.linked()
        with line as link:
            set_now = _set(link, options, spoken_to, printer, wanted)
        if set_now is None:
            answer = _in_a_file(book, printer, wanted)
        else:
            before, in_memory = set_now
            answer = _stored(book, printer, before, kept_steps(book, printer, wanted, in_memory))
        return answer.with_line(still_hot(line.left))


def _set(
    link: Link, options: Namespace, spoken_to: Cabled, printer: Printer, wanted: float
) -> tuple[float, bool] | None:
    """Set and store e-steps; return those before and whether they are stored, None for a printer
    that has them in a file of its own.

    Raises:
        BadInput: they are far from what is known, and not meant.
    """
    try:
        before = read_steps(link)
    except Untold:
        return None
    in_force = spoken_to.steps_per_mm
    known = [before] if in_force is None else [in_force, before]
    if not options.anyway and _far(wanted, known):
        _refuse_far(wanted, before, in_force, may_ask(options.json), link)
    return before, store_steps(link, wanted, printer.decimals)


def _wanted(book: Logbook, options: Namespace, printer: Printer) -> float:
    if options.advised:
        if options.value is not None:
            raise BadInput("give a value or --advised, not both")
        now = on_bench(book).stands("esteps")
        on = on_bench(book).chosen.printer
        if now.status != "advised" or now.value is None or on is None or on.id != printer.id:
            raise BadInput(f"no e-steps are advised for {printer.name} and still to be set")
        return now.value
    value = read_value("esteps", options.value)
    return meant(value, doubt_of("esteps", value, None), options)


def _far(wanted: float, known: Sequence[float]) -> bool:
    """Tell whether steps are far from all that are known, or tenfold one of them.

    >>> _far(417, [412, 404]), _far(92.8, [412, 94.6]), _far(300, [412]), _far(4120, [412, 4100])
    (False, False, True, True)
    """
    near = any(abs(wanted / known_value - 1) <= _NEAR + 1e-9 for known_value in known)
    return not near or any(
        max(wanted, known_value) >= _TENFOLD * min(wanted, known_value) for known_value in known
    )


def _refuse_far(
    wanted: float, carries: float, in_force: float | None, asks: bool, link: Link
) -> None:
    """Ask whether such steps are meant.

    Raises:
        BadInput: they are not, or nobody can say so.
    """
    have = f"the printer carries {carries:g}"
    if in_force is not None:
        have += f", the logbook has {in_force:g} in force"
    if not asks:
        raise BadInput(f"{wanted:g} steps/mm: {have}; --anyway says it is meant")
    if not said_firmly(f"{wanted:g} steps/mm is far from that: {have}. Set it?", link.idle):
        raise BadInput("nothing was set")


def _read(book: Logbook, spoken_to: Cabled) -> Answer:
    printer, known = spoken_to.printer, spoken_to.steps_per_mm
    carries: float | None = None
    line = spoken_to.linked()
    with line as link:
        try:
            carries = read_steps(link)
        except Untold as untold:
            if printer is None:
                raise
            said = str(untold)
    if carries is None:
        assert printer is not None
        note_where(book, printer, "file")
        sheet = Sheet(f"E-steps of {printer.name}")
        sheet.remark(f"{said[0].upper()}{said[1:]}: they are in a file of its own.")
        if known is not None:
            sheet.row("logbook", f"{known:.{printer.decimals}f}", "in force")
    else:
        sheet = _compared(spoken_to, carries, known)
    same = None if carries is None or known is None else same_steps(carries, known)
    payload = {
        "printer": spoken_to.name,
        "carries": carries,
        "logbook": known,
        "same": False if same is None else same,
    }
    return Answer(payload, sheet.text()).with_line(still_hot(line.left))


def _compared(spoken_to: Cabled, carries: float, known: float | None) -> Sheet:
    printer = spoken_to.printer
    decimals = printer.decimals if printer else 2
    shown = f"{carries:.{decimals}f}"
    sheet = Sheet(f"E-steps of {spoken_to.name}: {shown} steps/mm")
    if printer is None:
        sheet.remark(
            "No printer in the logbook is meant, so there is nothing to hold them against."
        )
    elif known is None:
        sheet.remark("The logbook does not know any yet.")
        sheet.next("say so:", proposed("printer", "found", printer.name, "--steps", shown))
    elif same_steps(carries, known):
        sheet.remark("That is what the logbook has in force.")
    else:
        before = f"{known:.{decimals}f}"
        sheet.row("logbook", before, "in force")
        text = steps_differ(printer, carries, known)
        sheet.remark(f"{text[0].upper()}{text[1:]}.")
        sheet.next(f"to have {before} back:", proposed("cable", "steps", before))
        where = f"or, where {shown} is meant:"
        words = ("esteps", shown, "--printer", printer.name)
        sheet.otherwise(where, proposed("entered", *words))
    return sheet


def _in_a_file(book: Logbook, printer: Printer, wanted: float) -> Answer:
    """Say where to write what no command can set."""
    note_where(book, printer, "file")
    shown = f"{wanted:.{printer.decimals}f}"
    sheet = Sheet(f"E-steps of {printer.name}: {shown} steps/mm, to be written by hand")
    to_write(sheet, printer, wanted)
    payload = {"printer": printer.name, "before": None, "carries": None, "recorded": False}
    return Answer(payload, sheet.text())


def _stored(book: Logbook, printer: Printer, before: float, kept: Kept) -> Answer:
    shown = f"{kept.steps_per_mm:.{printer.decimals}f}"
    done = "set and stored" if kept.in_memory else "set"
    sheet = Sheet(f"E-steps of {printer.name}: {shown} steps/mm, {done}")
    sheet.row("before", f"{before:.{printer.decimals}f}", "as the printer had it")
    after = "after it was stored; " if kept.in_memory else ""
    sheet.row("read back", shown, f"{after}recorded as entered")
    if not kept.in_memory:
        kept.write(sheet)
    bench = on_bench(book)
    if bench.setup and bench.setup.printer.id == printer.id:
        show_next(sheet, bench)
    payload = {
        "printer": printer.name,
        "before": before,
        "carries": kept.steps_per_mm,
        "stored": kept.in_memory,
        "recorded": True,
    }
    return Answer(payload, sheet.text())


def print_file(options: Namespace) -> Answer:
    """Run ``metier cable print``."""
    with existing_logbook(options.logbook) as book:
        spoken_to = cabled(book, options)
    survey = surveyed(options.file, spoken_to.allowed)
    line = spoken_to.linked()
    with line as link:
        try:
            differ = steps_differ(spoken_to.printer, read_steps(link), spoken_to.steps_per_mm)
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
        ends_hot = link.guard.left_on
        link.guard.keeps = options.keep_hot
    # Or it began what heats after its last word.
    ends_hot = ends_hot or bool(line.left)
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
    forget_typed_ahead()
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
