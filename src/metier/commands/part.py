"""``metier part``: the printed part of a planned trial, or several as one print."""

import argparse
import json
from argparse import Namespace
from collections.abc import Sequence
from typing import Any, NamedTuple

from metier.core.errors import BadInput
from metier.core.line.runs import extent_of
from metier.formats.gcode_written import KEEP_FREE_MM, gcode_of, refuse_height, shift_on
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.edits import edit
from metier.logbook.trials import Trial, trial
from metier.parts.part import HeightRow, Part
from metier.parts.together import Arranged, Block, HeadRoom, arranged
from metier.show.figures import proposed
from metier.show.sheet import Sheet, table
from metier.trials.kind import Kind, WantedLine
from metier.trials.on_bench import GCODE, OnBench, bench_phrase, needed_setup, on_bench, part_ending
from metier.trials.part_files import (
    PartFacts,
    Taken,
    facts_object,
    facts_of,
    headline,
    made_part,
    part_rows,
    printed_layers,
    taken_by,
    takes_row,
)
from metier.trials.printing import machine_of
from metier.trials.registry import kind_named
from metier.trials.runner import measuring
from metier.trials.table import Plan
from metier.whole_file import write_whole
from metier.words.arguments import layer_height, line_width, option, speed, trial_number
from metier.words.parser import Answer, Parser, add_plot_options, command_parser, existing_logbook


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
        "  metier part 9 plate.3mf --plot plate.png\n"
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
            return together(options, book)
    if options.number is None:
        raise BadInput("which planned trial? metier part N, or metier part --together N N FILE")
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
        sheet.next("print it; then:", " ".join(measuring(kind, planned.number)))
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


def _sheet(part: Part, facts: PartFacts, bench: OnBench, options: Namespace, ending: str) -> Sheet:
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


def _by_height(rows: Sequence[HeightRow]) -> list[str]:
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


_LEAST = 2


class _Drawn(NamedTuple):
    """A planned trial, how it is printed now, and its part."""

    planned: Planned
    asked: Plan[Any]
    part: Part
    block: Block


def together(options: Namespace, book: Logbook) -> Answer:
    """Write the parts of several trials into one file.

    Raises:
        BadInput: fewer than two, not all planned for one bench, or they do not fit.
    """
    numbers, path = options.together, options.file
    if len(set(numbers)) < max(_LEAST, len(numbers)):
        raise BadInput(f"--together: {' '.join(map(str, numbers))}: two trials or more, each once")
    if options.plot or options.width or options.layer or options.speed:
        raise BadInput("--together prints parts as they are planned: leave line and --plot out")
    if path is not None and part_ending(path, options.force) != GCODE:
        raise BadInput(f"--together: {path} must end in {GCODE}: a slicer puts meshes together")
    trials = [planned_trial(book, number) for number in numbers]
    bench = trials[0].bench
    for other in trials[1:]:
        if other.bench.setup != bench.setup:
            assert bench.setup is not None
            assert other.bench.setup is not None
            raise BadInput(
                f"trial {numbers[0]} is for {bench_phrase(bench.setup)} and trial {other.number} "
                f"for {bench_phrase(other.bench.setup)}: one print has one bench"
            )
    drawn = [_drawn(planned) for planned in trials]
    machine = machine_of(bench)
    printer = needed_setup(bench.chosen).printer
    room = None
    if printer.head_round_mm is not None and printer.head_above_mm is not None:
        room = HeadRoom(printer.head_round_mm, printer.head_above_mm)
    primed = machine.start is None
    free_mm = KEEP_FREE_MM if primed else 0.0
    for piece in drawn:
        refuse_height(machine.bed.high_mm, piece.block.high_mm)
    bed = machine.bed
    whole = arranged(
        [piece.block for piece in drawn], bed.wide_mm, bed.deep_mm - free_mm, room, machine.nozzle_c
    )
    taken = taken_by(whole.layers, bench)
    if path is not None:
        half_mm = max(piece.part.line.width_mm for piece in drawn) / 2
        extent = extent_of(tuple(whole.layers)).grown(half_mm)
        shift = shift_on(bed, extent, max(piece.block.high_mm for piece in drawn), primed=primed)
        named = " and ".join(f"{piece.part.name} of trial {piece.part.number}" for piece in drawn)
        text = gcode_of(whole.layers, machine, shift, [headline(named, bench)])
        with book.transaction() as moment:
            for piece in drawn:
                keep_as_printed(book, moment, piece.planned, piece.asked)
            write_whole(path, text, overwrite=options.force)
    return _answer(drawn, whole, taken, bench, path)


def _drawn(planned: Planned) -> _Drawn:
    kind, bench = planned.kind, planned.bench
    asked = kind.as_part(planned.plan, bench, GCODE)
    part = kind.part(asked, bench, WantedLine())
    layers = tuple(printed_layers(part, bench))
    extent = extent_of(layers).grown(part.line.width_mm / 2)
    return _Drawn(planned, asked, part, Block(planned.number, layers, extent))


def _answer(
    drawn: list[_Drawn], whole: Arranged, taken: Taken, bench: OnBench, path: str | None
) -> Answer:
    setup = needed_setup(bench.chosen)
    names = ", ".join(str(number) for number in whole.order)
    sheet = Sheet(f"Parts of trials {names} in one print: {bench_phrase(setup)}")
    alone = [taken_by(piece.block.layers, bench) for piece in drawn]
    for piece, cost in zip(drawn, alone, strict=True):
        wide, deep = piece.block.extent.size_mm
        grams = "" if cost.grams is None else f", {cost.grams:.1f} g"
        sheet.row(
            piece.part.name,
            f"{wide:.0f} x {deep:.0f} x {piece.block.high_mm:.1f} mm",
            f"trial {piece.planned.number}, {cost.time_s / 60:.0f} min{grams} of it",
        )
    takes_row(sheet, taken)
    if whole.one_by_one:
        sheet.note(f"one after the other: {names}", "order")
    else:
        sheet.note("all of them layer by layer", "order")
        if setup.printer.head_round_mm is None:
            room = proposed("printer", "set", setup.printer.name, "--head-room", "35x20")
            sheet.remark(
                f"Where the head has room, each is finished before the next: {room}, with its own "
                "mm round the nozzle and above it."
            )
    if path is None:
        sheet.remark(f"To write it, name a file: {GCODE} to print.")
    else:
        sheet.note(f"written to {path}", "file")
    for piece in drawn:
        command = " ".join(measuring(piece.planned.kind, piece.planned.number))
        sheet.next(f"once {piece.part.name} {piece.planned.number} can be measured:", command)
    parts = [
        {"trial": piece.planned.number, "part": piece.part.name, **cost._asdict()}
        for piece, cost in zip(drawn, alone, strict=True)
    ]
    payload = {"file": path, "one_by_one": whole.one_by_one, "order": list(whole.order)}
    return Answer({**payload, "parts": parts, **taken._asdict()}, sheet.text())
