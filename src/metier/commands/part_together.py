"""``metier part --together``: parts of several planned trials as one print."""

from argparse import Namespace
from typing import Any, NamedTuple

from metier.commands.part import Planned, keep_as_printed, planned_trial
from metier.core.errors import BadInput
from metier.core.line.runs import extent_of
from metier.formats.gcode_written import KEEP_FREE_MM, gcode_of, refuse_height, shift_on
from metier.logbook.book import Logbook
from metier.parts.part import Part
from metier.parts.together import Arranged, Block, HeadRoom, arranged
from metier.show.figures import proposed
from metier.show.sheet import Sheet
from metier.trials.kind import WantedLine
from metier.trials.on_bench import GCODE, OnBench, bench_phrase, needed_setup, part_ending
from metier.trials.part_files import Taken, headline, printed_layers, taken_by, takes_row
from metier.trials.printing import machine_of
from metier.trials.table import Plan
from metier.whole_file import write_whole
from metier.words.parser import Answer

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
        can_be = f"once {piece.part.name} {piece.planned.number} can be measured:"
        sheet.next(can_be, piece.planned.measuring)
    parts = [
        {"trial": piece.planned.number, "part": piece.part.name, **cost._asdict()}
        for piece, cost in zip(drawn, alone, strict=True)
    ]
    payload = {"file": path, "one_by_one": whole.one_by_one, "order": list(whole.order)}
    return Answer({**payload, "parts": parts, **taken._asdict()}, sheet.text())
