"""``metier trial``: mend what was said of recorded trials; what it was before stays visible."""

import argparse
import json
from argparse import Namespace
from collections.abc import Sequence
from typing import NamedTuple

from metier.clock import local_day
from metier.core.errors import BadInput
from metier.logbook.bench import Bench, Setup, setup, setup_of
from metier.logbook.book import Logbook, Plain
from metier.logbook.check import latest_touched, put_at
from metier.logbook.edits import edit
from metier.logbook.inforce import scope_of
from metier.logbook.recording import DROPPED
from metier.logbook.trials import Trial, placed_readings, trial
from metier.show.figures import numbers_text, proposed
from metier.show.sheet import Sheet
from metier.trials.dated import past_moment, refuse_before_plan
from metier.trials.facts import facts
from metier.trials.judging import amend, judge_mended
from metier.trials.on_bench import Names, chosen, on_bench
from metier.trials.registry import kept_named, kind_named
from metier.trials.runner import parser as kind_parser
from metier.trials.table import Plan
from metier.trials.witness import witnessed
from metier.words.arguments import nozzle_heat, option, small_text, trial_number
from metier.words.parser import Answer, Parser, add_common, existing_logbook


class _Parser(Parser):
    """A parser that leaves the settings of the print to the kind of trial that has them."""

    def parse_args(  # type: ignore[override]
        self, args: Sequence[str] | None = None, namespace: Namespace | None = None
    ) -> Namespace:
        options, rest = self.parse_known_args(args, namespace)
        options.settings = rest
        return options


def parser() -> Parser:
    """Return the parser of this command."""
    parser = _Parser(
        "metier trial",
        "Mend what was said of recorded trials: the roll, the day, a reading, how it was printed. "
        "They are judged anew; what stood before stays visible. Settings of the print are given "
        "as to the test itself, --width 0.45 for one.",
        "  metier trial 4 5 6 --spool fern-2     the wrong roll was on the bench\n"
        "  metier trial 4 --width 0.45           sliced otherwise than said\n"
        "  metier trial 5 --amend 2=0.54 --drop 3 --add 0.55",
    )
    add_common(parser)
    option(parser, "numbers N …", read=trial_number)
    option(parser, "--printer PRINTER", "the printer it was made on")
    option(parser, "--nozzle NOZZLE", "the nozzle it was made with")
    option(parser, "--spool SPOOL", "the roll it was made of")
    option(parser, "--temperature C", "of the nozzle, in °C", nozzle_heat)
    option(parser, "--at DATE", "when it was measured", past_moment)
    option(parser, "--note TEXT", "a word to keep with it", small_text)
    option(parser, "--why", "the long form of what is shown")
    readings = parser.add_argument_group("readings, by their place in metier history N")
    option(readings, "--amend N=MM …", read=_placed, default=[])
    option(readings, "--add MM …", default=[])
    option(readings, "--drop N …", read=trial_number, default=[])
    return parser


class _Placed(NamedTuple):
    position: int
    reading: str


def _placed(text: str) -> _Placed:
    position, is_there, value = text.partition("=")
    if not is_there:
        raise argparse.ArgumentTypeError(f"{text!r} is no place and reading: write 2=0.54")
    return _Placed(trial_number(position), value)


def run(options: Namespace) -> Answer:
    """Run ``metier trial``."""
    if not _anything(options):
        from metier.commands.history import shown

        with existing_logbook(options.logbook) as book:
            return shown(book, [trial(book, number) for number in options.numbers], options.why)
    readings = options.amend or options.add or options.drop
    if readings and len(options.numbers) > 1:
        raise BadInput("readings are of one trial: give one number beside --amend, --add or --drop")
    with existing_logbook(options.logbook) as book:
        with book.transaction() as moment:
            numbers = set(options.numbers)
            before = {number: trial(book, number) for number in sorted(numbers)}
            for judged in before.values():
                _mend(book, moment, judged, options)
            anew = judge_mended(book, numbers)
            mended = [fact for fact in facts(book, moment, moment) if fact.what == "mended"]
            # The order of moments is another one from here on.
            if options.at:
                # Those after it, where it stood and where it stands from now on.
                numbers |= latest_touched(book, numbers)
                (uid,) = book.row("SELECT uid FROM moment WHERE id = ?", moment)
                for judged in before.values():
                    _date(book, uid, judged, options.at)
                anew = sorted({*anew, *judge_mended(book, numbers)})
        return _answer(book, before, [fact.words for fact in mended], anew, options)


def _anything(options: Namespace) -> bool:
    given = (options.printer, options.nozzle, options.spool, options.temperature, options.at)
    return any((*given, options.note, options.amend, options.add, options.drop, options.settings))


def _mend(book: Logbook, moment: int, judged: Trial, options: Namespace) -> None:
    if judged.state == "withdrawn":
        raise BadInput(
            f"trial {judged.number} is withdrawn: metier undo --redo {judged.number} first"
        )
    fields = _bench_fields(book, setup_of(book, judged.number), options)
    if options.note:
        fields["note"] = options.note
    edit(book, moment, "trial", judged.number, fields)
    if options.settings:
        _settings(book, moment, judged, options.settings)
    if options.amend or options.add or options.drop:
        _readings(book, judged, options)


def _bench_fields(book: Logbook, ready: Setup, options: Namespace) -> dict[str, Plain]:
    # A nozzle named alone brings the printer that it belongs to.
    printer = None if options.nozzle else ready.printer
    names = Names(options.printer, options.nozzle, options.spool, options.temperature)
    bench = chosen(book, Bench(printer, ready.nozzle, ready.spool, ready.temperature_c), names)
    moved = setup(bench)
    assert moved is not None
    # Another roll does not change what this trial was printed at.
    heat = ready.temperature_c if options.temperature is None else options.temperature
    return scope_of(moved._replace(temperature_c=heat))


def _settings(book: Logbook, moment: int, judged: Trial, words: Sequence[str]) -> None:
    """Settle the trial again with what is given, and take over just what that makes different."""
    options = kind_parser(judged.test).parse_args(words)
    kind = kind_named(judged.test).way_of(judged.settings)
    if kind.given(options):
        raise BadInput("readings are mended with --amend, --add and --drop")
    bench = on_bench(book).moved_to(setup_of(book, judged.number))
    plan = Plan(judged.number, kind.form.of(book, judged), judged.conditions)
    bare = kind.settle(kind_parser(judged.test).parse_args([]), bench, plan)
    told = kind.settle(options, bench, plan)
    before = tuple(judged.settings.get("remarks", ()))
    remarks = witnessed(before, options, hasattr(plan.settings, "photo"))
    kept = kind.form.keep(plan.settings, remarks)
    was, now = (kind.form.keep(settled.settings, ()) for settled in (bare, told))
    different = {name: value for name, value in now.items() if was.get(name) != value}
    conditions = {
        name: value
        for name, value in told.conditions._asdict().items()
        if bare.conditions._asdict()[name] != value
    }
    if not different and not conditions and remarks == before:
        return
    settings = json.dumps({**kept, **different})
    edit(book, moment, "trial", judged.number, {"settings": settings, **conditions})


def _readings(book: Logbook, judged: Trial, options: Namespace) -> None:
    if judged.state != "measured":
        raise BadInput(f"trial {judged.number} is {judged.state}: it has no readings yet")
    placed = placed_readings(book, judged.number)
    for position in [*(placed_one.position for placed_one in options.amend), *options.drop]:
        if position not in placed:
            why = f"trial {judged.number} has no reading {position}"
            raise BadInput(f"{why}: metier history {judged.number} shows them")
    last = max(placed)
    kept = kept_named(judged.test)
    for position, text in options.amend:
        amend(book, trial(book, judged.number), position, kept.mended(placed[position], text))
    for number, text in enumerate(options.add, 1):
        reading = kept.mended(placed[last], text)
        amend(book, trial(book, judged.number), _beyond(book, judged.number) + number, reading)
    for position in options.drop:
        amend(
            book, trial(book, judged.number), position, DROPPED._replace(side=placed[position].side)
        )


def _beyond(book: Logbook, number: int) -> int:
    """Return the last place that a reading ever had."""
    (last,) = book.row("SELECT max(position) FROM reading WHERE trial = ?", number)
    return int(last)


def _date(book: Logbook, now: str, judged: Trial, at: str) -> None:
    """Give a trial another moment; ``now`` is the uid of this one, whose number moves along."""
    planned, measured = book.row("SELECT planned, measured FROM trial WHERE id = ?", judged.number)
    item = planned if measured is None else measured
    if item != planned:
        refuse_before_plan(book, judged.number, at)
    (moment,) = book.connection.execute("SELECT id FROM moment WHERE uid = ?", (now,)).fetchone()
    edit(book, moment, "moment", item, {"at": at})
    put_at(book.connection, item, at)


def _answer(
    book: Logbook, before: dict[int, Trial], words: list[str], anew: list[int], options: Namespace
) -> Answer:
    sheet = Sheet(f"Mended: trial{'s' if len(before) > 1 else ''} {numbers_text(list(before))}")
    for text in words:
        sheet.note(text, "now")
    if options.at:
        earlier = local_day(min(before.values()).at)
        sheet.note(f"measured {local_day(options.at)} (was {earlier})", "now")
    after = {number: trial(book, number) for number in before}
    for number, mended in after.items():
        was = before[number].verdict
        if mended.verdict:
            said = "as before" if was == mended.verdict else f"was {was}"
            sheet.row(f"trial {number}", mended.verdict, said)
    others = [number for number in anew if number not in before]
    if others:
        sheet.note(f"trials {numbers_text(others)}, which it bears on", "anew")
    sheet.next("the whole trial:", proposed("history", str(next(iter(before)))))
    payload = {
        "trials": [
            {"trial": number, "verdict": judged.verdict, "was": before[number].verdict}
            for number, judged in after.items()
        ],
        "mended": words,
        "judged_anew": anew,
    }
    return Answer(payload, sheet.text())
