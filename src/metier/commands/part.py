"""``metier part``: the printed part of a planned trial, or several as one print."""

import argparse
import json
from argparse import Namespace
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from metier.core.errors import BadInput
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.edits import edit
from metier.logbook.trials import Trial, trial
from metier.show.sheet import Sheet, table
from metier.trials.kind import Kind, WantedLine
from metier.trials.on_bench import GCODE, OnBench, bench_phrase, on_bench, part_ending
from metier.trials.registry import kind_named
from metier.trials.table import Plan
from metier.whole_file import write_whole
from metier.words.arguments import layer_height, line_width, option, speed, trial_number
from metier.words.parser import Answer, Parser, add_plot_options, command_parser, existing_logbook

if TYPE_CHECKING:
    from metier.parts.part import HeightRow, Part
    from metier.trials.part_files import PartFacts


class Planned(NamedTuple):
    """A planned trial by its kind, on the bench that it is for."""

    trial: Trial
    kind: Kind[Any, Any, Any]
    plan: Plan[Any]
    bench: OnBench

    @property
    def number(self) -> int:
        """The trial's number."""
        return self.trial.number

    @property
    def measuring(self) -> str:
        """The command that measures it."""
        return self.kind.kept.measuring(self.number, self.trial.settings)


def planned_trial(book: Logbook, number: int) -> Planned:
    """Return a planned trial.

    Raises:
        BadInput: there is none of that number, or it is not planned.
    """
    known = trial(book, number)
    if known.state != "planned":
        raise BadInput(
            f"trial {known.number} is {known.state}: a part is of a trial that is planned"
        )
    kind = kind_named(known.test).way_of(known.settings)
    bench = on_bench(book).moved_to(setup_of(book, known.number))
    return Planned(
        known, kind, Plan(known.number, kind.form.of(book, known), known.conditions), bench
    )


def keep_as_printed(book: Logbook, moment: int, planned: Planned, asked: Plan[Any]) -> None:
    """Keep how a trial is printed now; what the plan said before stays known."""
    if asked == planned.plan:
        return
    kept = planned.kind.form.keep(asked.settings, planned.trial.settings.get("remarks", ()))
    speed_mm_s = asked.conditions.speed_mm_s
    edit(book, moment, "trial", planned.number, {"settings": json.dumps(kept)})
    edit(book, moment, "trial", planned.number, {"speed_mm_s": speed_mm_s})


# More rows would scroll away.
_MOST_ROWS = 12


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "part",
        "Show the part of a planned trial: its sizes, what it takes, how to slice it. With a FILE "
        "it is written, as a mesh for your slicer (.3mf, .stl), as G-code that is ready to print "
        "(.gcode), or what is to be set by height as a table (.csv). Its shape is chosen where it "
        "is planned; any --plan takes --part FILE and does both at once.",
        "  metier part 4                  what it is\n"
        "  metier part 4 tube.gcode       ready to print\n"
        "  metier part 8 plate.3mf --plot plate.png\n"
        "  metier part --together 4 6 8 evening.gcode",
    )
    option(parser, "number N", "the planned trial", trial_number, nargs="?")
    option(parser, "file FILE", "3mf, stl, gcode or csv", nargs="?")
    line = parser.add_argument_group("the line it is printed with, where the plan leaves it open")
    option(line, "--width MM", "line width (as the bench prints)", line_width)
    option(line, "--layer MM", "layer height", layer_height)
    option(line, "--speed MM/S", "speed of the walls", speed)
    option(parser, "--together N …", "parts of several planned trials as one print, and the "
           "file: one after the other where printer set --head-room allows, else layer by "
           "layer")  # fmt: skip
    add_plot_options(parser, "draw it with its dimensions")
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier part``."""
    if options.together:
        options.together, options.file = _together(options)
        with existing_logbook(options.logbook) as book:
            from metier.commands.part_together import together

            return together(options, book)
    if options.number is None:
        raise BadInput("which planned trial? metier part N, or metier part --together N N FILE")
    from metier.trials.part_files import facts_object, facts_of, made_part

    with existing_logbook(options.logbook) as book:
        ending = part_ending(options.file, options.force) if options.file else ""
        if options.plot:
            from metier.words.parser import check_plot_path

            check_plot_path(options.plot, options.force)
        planned = planned_trial(book, options.number)
        kind, bench = planned.kind, planned.bench
        wanted = WantedLine(options.width, options.layer, options.speed)
        asked = kind.as_part(planned.plan, bench, ending)
        if options.file:
            made = made_part(kind, asked, bench, wanted, ending)
            with book.transaction() as moment:
                keep_as_printed(book, moment, planned, asked)
                write_whole(options.file, made.content, overwrite=options.force)
            part, facts = made.part, made.facts
        else:
            part = kind.part(asked, bench, wanted)
            facts = facts_of(part, bench)
        if options.plot:
            from metier.parts.picture import plot_part

            assert bench.setup is not None
            title = f"{part.name.title()} of trial {part.number}: {bench_phrase(bench.setup)}"
            plot_part(options.plot, title, part)
        sheet = _sheet(part, facts, bench, options, ending)
        sheet.next("print it; then:", planned.measuring)
        return Answer(
            {"trial": planned.number, **facts_object(part, facts, options.file)}, sheet.text()
        )


def _together(options: Namespace) -> tuple[list[int], str | None]:
    """Return the trials and the file that are named behind ``--together``."""
    words = [*([str(options.number)] if options.number is not None else []), *options.together]
    file: str | None = options.file
    if file is None and words and not words[-1].strip().isdigit():
        file = words.pop()
    try:
        return [trial_number(word) for word in words], file
    except argparse.ArgumentTypeError as error:
        raise BadInput(f"--together: {error}") from None


def _sheet(
    part: "Part", facts: "PartFacts", bench: OnBench, options: Namespace, ending: str
) -> Sheet:
    from metier.trials.part_files import part_rows

    assert bench.setup is not None
    sheet = Sheet(f"Part of trial {part.number}: {part.name}, {bench_phrase(bench.setup)}")
    part_rows(sheet, part, facts, bench, ending)
    if options.file:
        sheet.note(f"written to {options.file}", "file")
    if options.plot:
        sheet.note(f"written to {options.plot}", "picture")
    rows = [] if ending == GCODE else part.table()
    if rows:
        sheet.gap()
        sheet.lines(*_by_height(rows))
    if not options.file:
        sheet.gap()
        mesh = ".3mf or .stl for a slicer, " if part.sliceable else ""
        sheet.remark(f"To write it, name a file: {mesh}.gcode to print.")
    return sheet


def _by_height(rows: "Sequence[HeightRow]") -> list[str]:
    every = max(1, -(-len(rows) // _MOST_ROWS))
    shown = [row for place, row in enumerate(rows) if place % every == 0]
    told = rows[0].told
    cells = [
        tuple(f"{value:{_COLUMNS[name][1]}}" for name, value in height_row.told.items())
        for height_row in (shown if rows[-1] in shown else [*shown, rows[-1]])
    ]
    head = tuple(_COLUMNS[name][0] for name in told)
    return table(head, cells, right=tuple(range(len(head))))


# What stands above a column of what is set by height, and how its numbers are written.
_COLUMNS = {
    "from_mm": ("from mm", ".4g"),
    "to_mm": ("to mm", ".4g"),
    "flow_mm3_s": ("mm³/s", ".4g"),
    "speed_mm_s": ("mm/s", ".1f"),
    "nozzle_c": ("nozzle °C", "g"),
}
