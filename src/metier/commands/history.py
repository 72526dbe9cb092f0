"""``metier history``: the trials, newest first, as a table, a file or a picture."""

import argparse
from argparse import Namespace
from collections.abc import Sequence
from datetime import UTC, datetime

from metier.clock import stored
from metier.core.errors import BadInput
from metier.core.verdicts import Verdict
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.edits import edits_of
from metier.logbook.items import listed, named
from metier.logbook.machines import Printer, Spool
from metier.logbook.plain import to_plain
from metier.logbook.trials import (
    Trial,
    count_trials,
    moment_of,
    placed_readings,
    readings,
    replaced_readings,
    trial,
    trials,
)
from metier.packages import NotInstalled, require
from metier.show.figures import flat, labelled, short_date
from metier.show.sheet import Sheet, comma_separated, fitted, table, wrapped
from metier.trials.facts import Fact, edit_words, facts
from metier.trials.registry import KINDS, CsvRow, HistoryRow, kept_named, kind_named, settings_of
from metier.words.arguments import option, trial_number
from metier.words.parser import (
    Answer,
    Parser,
    add_plot_options,
    command_parser,
    existing_logbook,
    picture_words,
)

_HEAD = ("trial", "at", "test", "state", "printer", "nozzle", "spool", "temperature_c")


_TAIL = ("verdict", "u95", "width_mm", "layer_mm", "material", "note", "notes")
_UNITS = ("unit", "measured_unit")


_READING = ("trial", "at", "test", "state", "spool", "position", "side", "value", "typed", "was",
            "unit")  # fmt: skip


def trials_csv(book: Logbook, shown_trials: list[Trial]) -> str:
    """Return trials as comma-separated values, a row for each thing that was measured."""
    materials = {spool.name: spool.material for spool in listed(book, Spool, retired=True)}
    rows: list[Sequence[object]] = [(*_HEAD, *CsvRow._fields[1:-3], *_TAIL, *_UNITS)]
    for tried in shown_trials:
        settings = flat(tried.settings)
        of = (settings.get("width_mm"), settings.get("layer_mm"), materials.get(tried.spool))
        notes = "; ".join((tried.findings or {}).get("notes", ()))
        kept = kept_named(tried.test)
        measured = kept.csv_rows(tried) if tried.findings else [CsvRow(tried.test)]
        for test, *values, u95, unit, measured_unit in measured:
            head = (
                tried.number,
                tried.at,
                test,
                tried.state,
                tried.printer,
                tried.nozzle,
                tried.spool,
            )
            cells = (
                *head,
                tried.temperature_c,
                *values,
                tried.verdict,
                u95,
                *of,
                tried.note,
                notes,
            )
            cells += (unit or kept.unit, measured_unit or kept.measured_unit)
            rows.append(cells)
    return comma_separated(rows)


def readings_csv(book: Logbook, shown_trials: list[Trial]) -> str:
    """Return the readings of trials as comma-separated values, a row a reading."""
    rows: list[Sequence[object]] = [_READING]
    for tried in shown_trials:
        replaced = replaced_readings(book, tried.number)
        for position, reading in placed_readings(book, tried.number).items():
            head = (tried.number, tried.at, tried.test, tried.state, tried.spool, position)
            was = " ".join(replaced.get(position, ()))
            unit = kept_named(tried.test).reading_unit(tried, reading.side)
            rows.append((*head, reading.side, reading.value, reading.typed, was, unit))
    return comma_separated(rows)


_ALL = 10**9


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "history",
        "List the newest trials with what was typed in and changed between them, or show one whole "
        "with every reading.",
        "  metier history --kind flow --since 2026-11-01\n  metier history 3",
    )
    option(parser, "number N", "one trial", trial_number, nargs="?")
    option(parser, "--kind KIND", f"trials of one kind only: {', '.join(KINDS)}", tuple(KINDS))
    option(parser, "--printer PRINTER", "trials on one printer only")
    option(parser, "--spool SPOOL", "trials with one roll only")
    option(parser, "--since DATE", "from that day on, 2026-11-23", _day)
    option(parser, "--limit N", "how many (20; CSV: all)", trial_number)
    option(parser, "--why", "with N: the long form of it")
    add_plot_options(parser, "draw the walls of flow trials; with N that trial, whatever it is")
    option(parser, "--csv", "print comma-separated values")
    option(parser, "--readings", "the same of the readings, a row each")
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier history``."""
    if (options.csv or options.readings) and options.json:
        raise BadInput("--csv, --readings and --json are several forms: give one of them")
    if options.number is not None:
        _refuse_ignored(options)
    with existing_logbook(options.logbook) as book:
        if options.plot:
            from metier.words.parser import check_plot_path

            check_plot_path(options.plot, options.force)
        if options.number is not None:
            recorded = trial(book, options.number)
            if options.plot:
                from metier.trials.again import draw_recorded

                draw_recorded(book, recorded, options.plot)
            return shown(book, [recorded], options.why, options.plot)
        wanted = {
            "test": options.kind,
            "printer": options.printer and _printer_name(book, options.printer),
            "spool": options.spool and _spool_name(book, options.spool),
            "since": options.since,
        }
        limit = options.limit or (_ALL if options.csv or options.readings else 20)
        shown_trials = trials(book, limit, **wanted)
        if options.csv or options.readings:
            table = readings_csv if options.readings else trials_csv
            return Answer({}, table(book, shown_trials))
        if options.plot:
            from metier.trials.flow.picture import plot_recorded

            plot_recorded(options.plot, "Walls of the test cubes", book, shown_trials[::-1])
        count = count_trials(book, **wanted)
        done = (
            _done_between(book, shown_trials, count, options)
            if shown_trials or not any(wanted.values())
            else []
        )
        payload = {
            "trials": [trial_object(book, recorded) for recorded in shown_trials],
            "count": count,
            "done": [{"at": fact.at, "what": fact.what, "words": fact.words} for fact in done],
        }
        none = "No trials yet" if not any(wanted.values()) else "No such trials"
        text = f"{none}: metier alone shows the job in order."
        if shown_trials:
            moments = [moment_of(book, recorded.number) for recorded in shown_trials]
            text = _listed(shown_trials, count, done, moments)
        if options.plot:
            text += f"\n{picture_words(options.plot)}"
        return Answer(payload, text)


def _refuse_ignored(options: Namespace) -> None:
    """Refuse options that are for the list, beside the number of one trial."""
    of_list = ("kind", "printer", "spool", "since", "limit", "csv", "readings")
    ignored = [f"--{name}" for name in of_list if getattr(options, name)]
    if ignored:
        raise BadInput(f"{ignored[0]} is for the list of trials: leave it or the number out")


def shown(book: Logbook, recorded: list[Trial], why: bool, picture: str | None = None) -> Answer:
    """Show trials whole."""
    text = "\n\n".join(past_sheet(book, each, why).text() for each in recorded)
    if picture:
        text += f"\n  {picture_words(picture)}"
    return Answer({"trials": [trial_object(book, each) for each in recorded]}, text)


def _printer_name(book: Logbook, name: str) -> str:

    return named(book, Printer, name).name


def _spool_name(book: Logbook, name: str) -> str:

    return named(book, Spool, name).name


def _day(text: str) -> str:
    """Read a local day as the moment it began, in UTC."""
    try:
        began = datetime.strptime(text.strip(), "%Y-%m-%d").astimezone(UTC)
    except (ValueError, OverflowError):
        raise argparse.ArgumentTypeError(f"{text!r} is no day: write it 2026-11-23") from None
    return stored(began)


def _done_between(
    book: Logbook, shown_trials: list[Trial], count: int, options: Namespace
) -> list[Fact]:
    """Return what else was done since the oldest of these trials, newest first."""
    if options.kind:
        return []
    every = count <= len(shown_trials) or not shown_trials
    since = 0 if every else moment_of(book, shown_trials[-1].number)
    return [
        fact
        for fact in reversed(facts(book, since))
        if fact.what != "bench"
        and (options.since is None or fact.at >= options.since)
        and (options.printer is None or (fact.printer or "").lower() == options.printer.lower())
        and (options.spool is None or (fact.spool or "").lower() == options.spool.lower())
    ]


def _with_done(lines: list[str], done: list[Fact], moments: list[int]) -> list[str]:
    """Put what else was done between the trials, by the moment of each."""
    head, *rows = lines
    out, left = [head], list(done)
    for moment, row in zip(moments, rows, strict=True):
        while left and left[0].moment > moment:
            out += _done_lines(left.pop(0))
        out.append(row)
    for fact in left:
        out += _done_lines(fact)
    return out


def _done_lines(fact: Fact) -> list[str]:
    return wrapped(fact.words, f"     {short_date(fact.at):<6}  ", " " * 13)


def _listed(shown_trials: list[Trial], count: int, done: list[Fact], moments: list[int]) -> str:
    several = len({recorded.printer for recorded in shown_trials}) > 1
    rows: list[tuple[str, ...]] = []
    for recorded in shown_trials:
        verdict = recorded.verdict or "" if recorded.state == "measured" else recorded.state
        row = kept_named(recorded.test).row(recorded) if recorded.findings else HistoryRow()
        # Beside the printer there is no room for what each trial ran at.
        at = recorded.printer if several else row.at
        head = (str(recorded.number), short_date(recorded.at), recorded.test, recorded.spool, at)
        rows.append((*head, row.measured, row.off_by, row.new, verdict))
    second = "printer" if several else "at"
    header = ("no.", "date", "test", "spool", second, "measured", "off by", "new", "")
    names = (3, 4, 2) if several else (3, 2)
    lines = table(header, fitted(rows, header, names), right=(0,), margin=0)
    lines = _with_done(lines, done, moments)
    if count > len(shown_trials):
        lines.append(f"{count - len(shown_trials)} older ones: metier history --limit {count}")
    lines += wrapped("mm, steps/mm, mm³/s. metier history N shows one whole.", "", "")
    return "\n".join(lines)


class _Past(Sheet):
    """A sheet of what was said once: what was to be done next is done, or is not."""

    def next(self, text: str, command: str = "") -> None:
        """Leave it out."""


def past_sheet(book: Logbook, recorded: Trial, why: bool = False) -> Sheet:
    """Return one trial whole: what it says by what was known when it was made, its readings."""
    # The list of trials needs none of it.
    from metier.trials.on_bench import bench_phrase

    state = "" if recorded.state == "measured" else f", {recorded.state}"
    bench = bench_phrase(setup_of(book, recorded.number))
    title = f"Trial {recorded.number}: {recorded.test}, {short_date(recorded.at)}{state}; {bench}"
    sheet = _Past(title, why)
    _said(book, recorded, sheet)
    settings = flat(to_plain(settings_of(book, recorded)))
    for name, value in {**settings, **recorded.conditions._asdict()}.items():
        if value is not None and value != [] and name not in _HIDDEN:
            sheet.detail(*labelled(name, value))
    sheet.gap()
    _readings(book, recorded.number, sheet)
    if recorded.note:
        sheet.note(recorded.note)
    for mended in edits_of(book, "trial", recorded.number):
        sheet.note(f"{edit_words(book, mended)}, {short_date(mended.at)}", "mended")
    return sheet


def _said(book: Logbook, recorded: Trial, sheet: Sheet) -> None:
    """Write what a trial says by what was known when it was made; of a plan, what to set for it."""
    from metier.core.looks import contradicted, looks_in
    from metier.trials.judging import judged_again
    from metier.trials.kind import Settled
    from metier.trials.on_bench import on_bench

    number, findings, verdict = recorded.number, recorded.findings, recorded.verdict
    kind = kind_named(recorded.test).way_of(recorded.settings)
    if not findings or not verdict:
        settled = Settled(kind.form.of(book, recorded), recorded.conditions)
        for label, value in kind.recipe(settled, on_bench(book).moved_to(setup_of(book, number))):
            sheet.note(value, label)
        return
    try:
        require(kind.needs)
        judged = judged_again(book, recorded, readings(book, number))
    except (BadInput, NotInstalled):
        said = Verdict(verdict, findings["reason"], tuple(findings["remedies"]))
        sheet.judged(said, findings["notes"])
        return
    judged.kind.sheet(judged._replace(number=number), sheet)
    odd = contradicted(recorded.test, verdict, looks_in(recorded.settings.get("remarks", ())))
    if odd:
        sheet.note(odd, "looks")
    if verdict != judged.verdict.name:
        sheet.note(f"it said {verdict} when it was measured", "then")


# Kept to reckon with, not to read.
_HIDDEN = (
    *("version", "remarks", "instrument_mm", "scale_g", "wall_readings", "by_plan", "sections"),
    *("set_speeds", "widths_mm", "layers_mm", "fed", "features"),
)


def _readings(book: Logbook, number: int, sheet: Sheet) -> None:
    """Write the readings with their places, by which metier trial N --amend mends them."""
    replaced = replaced_readings(book, number)
    placed = placed_readings(book, number)
    sides: dict[str, list[str]] = {}
    for position in sorted({*replaced, *placed}):
        reading, was = placed.get(position), ", ".join(replaced.get(position, ()))
        text = f"{position}: {reading.typed}" if reading else f"{position}: dropped"
        side = reading.side if reading else ""
        sides.setdefault(side or "readings", []).append(f"{text} (was {was})" if was else text)
    room = max([8, *map(len, sides)])
    for side, typed in sides.items():
        lead = f"  {side:<{room}}  "
        sheet.lines(*wrapped("  ".join(typed), lead, " " * len(lead)))


def trial_object(book: Logbook, recorded: Trial) -> dict[str, object]:
    replaced = replaced_readings(book, recorded.number)
    return {
        **recorded._asdict(),
        "conditions": recorded.conditions._asdict(),
        "readings": [
            {**reading._asdict(), "position": position, "was": replaced.get(position, [])}
            for position, reading in placed_readings(book, recorded.number).items()
        ],
    }
