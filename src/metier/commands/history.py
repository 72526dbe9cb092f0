"""``metier history``: the trials, newest first, as a table, a file or a picture."""

import argparse
from argparse import Namespace
from collections.abc import Sequence
from datetime import UTC, datetime

from metier.core.errors import BadInput
from metier.core.verdicts import Verdict
from metier.logbook.book import Logbook
from metier.logbook.edits import edits_of
from metier.logbook.items import listed, named
from metier.logbook.machines import Printer, Spool
from metier.logbook.trials import (
    Trial,
    count_trials,
    moment_of,
    placed_readings,
    replaced_readings,
    trial,
    trials,
)
from metier.show.figures import flat, short_date
from metier.show.sheet import Sheet, comma_separated, fitted, table, wrapped
from metier.trials.facts import Fact, edit_words, facts
from metier.trials.registry import KINDS, CsvRow, HistoryRow, kept_named, settings_of
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


_READING = ("trial", "at", "test", "state", "spool", "position", "side", "value", "typed", "was")


def trials_csv(book: Logbook, shown_trials: list[Trial]) -> str:
    """Return trials as comma-separated values, a row for each thing that was measured."""
    materials = {spool.name: spool.material for spool in listed(book, Spool, retired=True)}
    rows: list[Sequence[object]] = [(*_HEAD, *CsvRow._fields[1:-1], *_TAIL)]
    for one in shown_trials:
        settings = flat(one.settings)
        of = (settings.get("width_mm"), settings.get("layer_mm"), materials.get(one.spool))
        notes = "; ".join((one.findings or {}).get("notes", ()))
        measured = kept_named(one.test).csv_rows(one) if one.findings else [CsvRow(one.test)]
        for test, *values, u95 in measured:
            head = (one.number, one.at, test, one.state, one.printer, one.nozzle, one.spool)
            cells = (*head, one.temperature_c, *values, one.verdict, u95, *of, one.note, notes)
            rows.append(cells)
    return comma_separated(rows)


def readings_csv(book: Logbook, shown_trials: list[Trial]) -> str:
    """Return the readings of trials as comma-separated values, a row a reading."""
    rows: list[Sequence[object]] = [_READING]
    for one in shown_trials:
        replaced = replaced_readings(book, one.number)
        for position, reading in placed_readings(book, one.number).items():
            head = (one.number, one.at, one.test, one.state, one.spool, position)
            was = " ".join(replaced.get(position, ()))
            rows.append((*head, reading.side, reading.value, reading.typed, was))
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
            return shown(book, [recorded], options.plot)
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
            "trials": [trial_object(book, one) for one in shown_trials],
            "count": count,
            "done": [{"at": fact.at, "what": fact.what, "words": fact.words} for fact in done],
        }
        none = "No trials yet" if not any(wanted.values()) else "No such trials"
        text = f"{none}: metier alone shows the job in order."
        if shown_trials:
            moments = [moment_of(book, one.number) for one in shown_trials]
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


def shown(book: Logbook, recorded: list[Trial], picture: str | None = None) -> Answer:
    """Show trials whole."""
    text = "\n\n".join(_whole(book, one) for one in recorded)
    if picture:
        text += f"\n  {picture_words(picture)}"
    return Answer({"trials": [trial_object(book, one) for one in recorded]}, text)


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
    return began.strftime("%Y-%m-%dT%H:%M:%SZ")


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
    several = len({one.printer for one in shown_trials}) > 1
    rows: list[tuple[str, ...]] = []
    for one in shown_trials:
        verdict = one.verdict or "" if one.state == "measured" else one.state
        row = kept_named(one.test).row(one) if one.findings else HistoryRow()
        # Beside the printer there is no room for what each trial ran at.
        at = one.printer if several else row.at
        head = (str(one.number), short_date(one.at), one.test, one.spool, at)
        rows.append((*head, row.measured, row.off_by, row.new, verdict))
    second = "printer" if several else "at"
    header = ("no.", "date", "test", "spool", second, "measured", "off by", "new", "")
    names = (3, 4, 2) if several else (3, 2)
    lines = [line[2:] for line in table(header, fitted(rows, header, names), right=(0,))]
    lines = _with_done(lines, done, moments)
    if count > len(shown_trials):
        lines.append(f"{count - len(shown_trials)} older ones: metier history --limit {count}")
    lines.append("mm, steps/mm, mm³/s. metier history N shows one whole.")
    return "\n".join(lines)


def _whole(book: Logbook, one: Trial) -> str:
    from metier.logbook.plain import to_plain
    from metier.show.figures import labelled, u95_key

    state = "" if one.state == "measured" else f", {one.state}"
    sheet = Sheet(f"Trial {one.number}: {one.test}, {short_date(one.at)}{state}")
    heat = "" if one.temperature_c is None else f", {one.temperature_c:g} °C"
    sheet.row("bench", f"{one.spool} on {one.printer} (nozzle {one.nozzle}{heat})")
    settings = flat(to_plain(settings_of(book, one)))
    for name, value in {**settings, **one.conditions._asdict()}.items():
        if value is not None and name not in _HIDDEN:
            sheet.row(*labelled(name, value), _EXPLAINED.get(name, ""))
    sides: dict[str, list[str]] = {}
    replaced = replaced_readings(book, one.number)
    placed = placed_readings(book, one.number)
    for position, reading in placed.items():
        was = f" (was {', '.join(replaced[position])})" if position in replaced else ""
        sides.setdefault(reading.side, []).append(f"{reading.typed}{was}")
    for position in sorted(set(replaced) - set(placed)):
        sides.setdefault("dropped", []).append(", ".join(replaced[position]))
    for side, typed in sides.items():
        sheet.row(side or "readings", "  ".join(typed))
    findings = one.findings or {}
    for name, value in findings.items():
        number = isinstance(value, int | float) and not isinstance(value, bool)
        if number and "_u95" not in name and name not in settings and name not in _HIDDEN:
            sheet.row(*labelled(name, value, findings.get(u95_key(name))))
    if one.note:
        sheet.note(one.note)
    for mended in edits_of(book, "trial", one.number):
        words = edit_words(book, mended)
        sheet.note(f"{words}, {short_date(mended.at)}", "mended")
    if one.verdict and one.findings:
        verdict = Verdict(one.verdict, findings["reason"], tuple(findings["remedies"]))
        sheet.judged(verdict, findings["notes"])
    return sheet.text()


# What a number means, where its name does not say it.
_EXPLAINED = {"accept_percent": "off by no more than that is kept"}
# Kept to reckon with, not to read.
_HIDDEN = (
    *(
        "instrument_mm",
        "scale_g",
        "u95_mm",
        "wall_u_mm",
        "wall_readings",
        "readings",
        "by_plan",
        "rough",
    ),
    *("set_speeds", "widths_mm", "layers_mm", "fed", "features"),
)


def trial_object(book: Logbook, one: Trial) -> dict[str, object]:
    replaced = replaced_readings(book, one.number)
    return {
        **one._asdict(),
        "conditions": one.conditions._asdict(),
        "readings": [
            {**reading._asdict(), "position": position, "was": replaced.get(position, [])}
            for position, reading in placed_readings(book, one.number).items()
        ],
    }
