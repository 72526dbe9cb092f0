"""``metier part``: the printed part of a planned trial, shown or written to a file."""

import argparse
import json
from collections.abc import Sequence
from typing import Any

from metier.core.refusal import Refusal
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.edits import edit
from metier.logbook.trials import Trial, trial
from metier.parts.part import HeightRow, Part
from metier.show.sheet import Sheet, table
from metier.trials.kind import Kind, Plan, WantedLine
from metier.trials.on_bench import OnBench, bench_phrase, on_bench
from metier.trials.part_files import PartFacts, facts_object, facts_of, made_part, part_rows
from metier.trials.part_path import GCODE, part_ending
from metier.trials.registry import kind_named
from metier.trials.runner import measuring
from metier.whole_file import write_whole
from metier.words.arguments import length, speed, trial_number
from metier.words.parser import Answer, Parser, add_plot_options, command_parser, existing_logbook

AnyKind = Kind[Any, Any, Any]

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
        "  metier part 9 plate.3mf --plot plate.png",
    )
    parser.add_argument("number", type=trial_number, metavar="N", help="the planned trial")
    parser.add_argument("file", nargs="?", metavar="FILE", help="3mf, stl, gcode or csv")
    line = parser.add_argument_group("the line it is printed with, where the plan leaves it open")
    line.add_argument("--width", type=length, metavar="MM", help="line width (as the bench prints)")
    line.add_argument("--layer", type=length, metavar="MM", help="layer height")
    line.add_argument("--speed", type=speed, metavar="MM/S", help="speed of the walls")
    add_plot_options(parser, "draw it with its dimensions")
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier part``."""
    with existing_logbook(options.logbook) as book:
        ending = part_ending(options.file, options.force) if options.file else ""
        if options.plot:
            from metier.show.plot_path import check_plot_path

            check_plot_path(options.plot, options.force)
        found = trial(book, options.number)
        if found.state != "planned":
            raise Refusal(
                f"trial {found.number} is {found.state}: a part is of a trial that is planned"
            )
        kind = kind_named(found.test).way_of(found.settings)
        here = on_bench(book).moved_to(setup_of(book, found.number))
        plan = Plan(found.number, kind.form.of(book, found), found.conditions)
        wanted = WantedLine(options.width, options.layer, options.speed)
        if options.file:
            asked = kind.as_part(plan, here, ending)
            made = made_part(kind, asked, here, wanted, ending)
            with book.transaction() as moment:
                _keep(book, moment, kind, found, plan, asked)
                write_whole(options.file, made.content, overwrite=options.force)
            part, facts = made.part, made.facts
        else:
            part = kind.part(kind.as_part(plan, here, ""), here, wanted)
            facts = facts_of(part, here)
        if options.plot:
            from metier.parts.picture import plot_part

            assert here.setup is not None
            title = f"{part.name.title()} of trial {part.number}: {bench_phrase(here.setup)}"
            plot_part(options.plot, title, part)
        sheet = _sheet(part, facts, here, options, ending)
        sheet.next("print it; then:", " ".join(measuring(kind, found.number)))
        return Answer(
            {"trial": found.number, **facts_object(part, facts, options.file)}, sheet.text()
        )


def _keep(
    book: Logbook, moment: int, kind: AnyKind, found: Trial, plan: Plan[Any], asked: Plan[Any]
) -> None:
    """Keep how the trial is printed now; what the plan said before stays known."""
    if asked == plan:
        return
    kept = kind.form.keep(asked.settings, found.settings.get("remarks", ()))
    speed_mm_s = asked.conditions.speed_mm_s
    edit(book, moment, "trial", found.number, {"settings": json.dumps(kept)})
    edit(book, moment, "trial", found.number, {"speed_mm_s": speed_mm_s})


def _sheet(
    part: Part, facts: PartFacts, here: OnBench, options: argparse.Namespace, ending: str
) -> Sheet:
    assert here.setup is not None
    sheet = Sheet(f"Part of trial {part.number}: {part.name}, {bench_phrase(here.setup)}")
    part_rows(sheet, part, facts, here, ending)
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


def _by_height(rows: Sequence[HeightRow]) -> list[str]:
    every = max(1, -(-len(rows) // _MOST_ROWS))
    shown = [row for place, row in enumerate(rows) if place % every == 0]
    told = rows[0].told
    cells = [
        tuple(f"{value:{_COLUMNS[name][1]}}" for name, value in one.told.items())
        for one in (shown if rows[-1] in shown else [*shown, rows[-1]])
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
