"""``metier part``: the printed part of a planned trial, shown or written to a file."""

import argparse
from collections.abc import Sequence

from metier.commands.part_kept import keep_as_printed, planned_trial
from metier.core.refusal import Refusal
from metier.parts.part import HeightRow, Part
from metier.show.sheet import Sheet, table
from metier.trials.kind import WantedLine
from metier.trials.on_bench import OnBench, bench_phrase
from metier.trials.part_files import PartFacts, facts_object, facts_of, made_part, part_rows
from metier.trials.part_path import GCODE, part_ending
from metier.trials.runner import measuring
from metier.whole_file import write_whole
from metier.words.arguments import length, speed, trial_number
from metier.words.parser import Answer, Parser, add_plot_options, command_parser, existing_logbook

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
        "  metier part 9 plate.3mf --plot plate.png\n"
        "  metier part --together 4 6 8 evening.gcode",
    )
    parser.add_argument(
        "number", nargs="?", type=trial_number, metavar="N", help="the planned trial"
    )
    parser.add_argument("file", nargs="?", metavar="FILE", help="3mf, stl, gcode or csv")
    line = parser.add_argument_group("the line it is printed with, where the plan leaves it open")
    line.add_argument("--width", type=length, metavar="MM", help="line width (as the bench prints)")
    line.add_argument("--layer", type=length, metavar="MM", help="layer height")
    line.add_argument("--speed", type=speed, metavar="MM/S", help="speed of the walls")
    parser.add_argument(
        "--together", nargs="+", metavar="N", help="parts of several planned trials as one print, "
        "and the file: one after the other where printer set --head-room allows, else layer by "
        "layer",
    )  # fmt: skip
    add_plot_options(parser, "draw it with its dimensions")
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier part``."""
    if options.together:
        options.together, options.file = _together(options)
        from metier.commands.part_together import together

        with existing_logbook(options.logbook) as book:
            return together(options, book)
    if options.number is None:
        raise Refusal("which planned trial? metier part N, or metier part --together N N FILE")
    with existing_logbook(options.logbook) as book:
        ending = part_ending(options.file, options.force) if options.file else ""
        if options.plot:
            from metier.show.plot_path import check_plot_path

            check_plot_path(options.plot, options.force)
        planned = planned_trial(book, options.number)
        kind, here = planned.kind, planned.here
        wanted = WantedLine(options.width, options.layer, options.speed)
        asked = kind.as_part(planned.plan, here, ending)
        if options.file:
            made = made_part(kind, asked, here, wanted, ending)
            with book.transaction() as moment:
                keep_as_printed(book, moment, planned, asked)
                write_whole(options.file, made.content, overwrite=options.force)
            part, facts = made.part, made.facts
        else:
            part = kind.part(asked, here, wanted)
            facts = facts_of(part, here)
        if options.plot:
            from metier.parts.picture import plot_part

            assert here.setup is not None
            title = f"{part.name.title()} of trial {part.number}: {bench_phrase(here.setup)}"
            plot_part(options.plot, title, part)
        sheet = _sheet(part, facts, here, options, ending)
        sheet.next("print it; then:", " ".join(measuring(kind, planned.number)))
        return Answer(
            {"trial": planned.number, **facts_object(part, facts, options.file)}, sheet.text()
        )


def _together(options: argparse.Namespace) -> tuple[list[int], str | None]:
    """Return the trials and the file that are named behind ``--together``."""
    words = [*([str(options.number)] if options.number is not None else []), *options.together]
    file: str | None = options.file
    if file is None and words and not words[-1].strip().isdigit():
        file = words.pop()
    try:
        return [trial_number(word) for word in words], file
    except argparse.ArgumentTypeError as error:
        raise Refusal(f"--together: {error}") from None


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
