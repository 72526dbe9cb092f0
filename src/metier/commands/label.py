"""``metier label``: a label for the roll, with its values as words and in a QR code."""

import argparse
import os
from argparse import Namespace
from typing import TYPE_CHECKING

from metier.commands.shelf import asked_benches
from metier.core.errors import BadInput
from metier.core.values import VALUES
from metier.formats.quantity import read_length_mm
from metier.logbook.bench import Setup
from metier.packages import CODES, PLOTS, require
from metier.show.figures import unit_text, value_text
from metier.show.sheet import Sheet
from metier.trials.on_bench import OnBench, add_elsewhere_options, bench_phrase, needed_setup
from metier.whole_file import as_file_name, check_target
from metier.words.arguments import option, walls
from metier.words.parser import FORMATS, Answer, Parser, command_parser, existing_logbook

if TYPE_CHECKING:
    from metier.show.label import Label

# What a roll carries, line by line; e-steps are the printer's.
_ON_LABEL = (("flow",), ("limit", "diameter"), ("hole", "contour"))
# What is not as sure as it looks, and what is said of it.
_MARKS = {"doubtful": "?", "carried": "~"}
_MEANS = {
    "?": "is doubtful: metier next says what to do about it",
    "~": "is carried from another roll, or rescaled: not measured on this one",
}
_SIZE_MM = (62.0, 29.0)


def _size(text: str) -> tuple[float, float]:
    """Read a size, as 62x29, in mm."""
    wide, _, high = text.lower().replace("×", "x").removesuffix("mm").strip().partition("x")
    try:
        size = read_length_mm(wide, "size"), read_length_mm(high, "size")
    except BadInput:
        raise argparse.ArgumentTypeError(f"{text[:20]!r} is no size: write 62x29, in mm") from None
    if not all(10 <= side <= 1000 for side in size):
        raise argparse.ArgumentTypeError(f"{text[:20]}: from 10 to 1000 mm a side")
    return size


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "label",
        "Write a label for the roll: its name and values, date, nozzle and temperature, and a QR "
        "code that holds them as text. Print it at 100 %.",
        "  metier label\n"
        "  metier label fern.png --size 50x25\n"
        "  metier label rolls.pdf --all            every roll's, on sheets of A4",
    )
    option(parser, "file FILE", "pdf, svg or png; else the name of the roll, as pdf", nargs="?")
    option(parser, "--size WxH", "in mm (62x29)", _size, default=_SIZE_MM)
    option(parser, "--sheet WxH", "several on sheets of that size (with --all: 210x297)", _size)
    option(parser, "--copies N", "so many of each, on a sheet", walls, default=1)
    option(parser, "--all", "every roll on every printer and nozzle that knows it")
    option(parser, "--force", "write over a file that exists")
    add_elsewhere_options(parser)
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier label``."""
    require((*PLOTS, *CODES))
    with existing_logbook(options.logbook) as book, book.snapshot():
        rolls = asked_benches(book, options)
        ready = [needed_setup(bench.chosen) for bench in rolls]
        named = "labels" if options.all else as_file_name(ready[0].spool.name)
        path = options.file or f"{named}.pdf"
        if os.path.splitext(path)[1].lower() not in FORMATS:
            raise BadInput(f"{path} must end in {', '.join(FORMATS)}")
        check_target(path, overwrite=options.force)
        # Slow to load.
        from metier.show.label import Size, write_labels

        labels = [_label(bench, setup) for bench, setup in zip(rolls, ready, strict=True)]
    sheet = options.sheet or ((210.0, 297.0) if options.all or options.copies > 1 else None)
    written = [label for label in labels for _ in range(options.copies)]
    size = Size(*options.size)
    sheets = write_labels(
        path, written, size, Size(*sheet) if sheet else None, overwrite=options.force
    )
    titled = bench_phrase(ready[0]) if len(ready) == 1 else f"{len(ready)} rolls"
    shown = Sheet(f"Label: {titled}")
    many = f"{len(written)} of " if len(written) > 1 else ""
    of = f"{many}{size.width_mm:g} x {size.height_mm:g} mm"
    on = f", on {sheets} sheet{'s' if sheets > 1 else ''}" if sheet else ""
    shown.row("written", path, f"{of}{on}; print at 100 %")
    ends = {word[-1] for label in labels for words in label.words[1:-1] for word in words}
    for mark, means in _MEANS.items():
        if mark in ends:
            shown.note(f"{mark} marks what {means}")
    if len(labels) == 1:
        shown.lines("", *(f"  {line}" for line in labels[0].code.split("\n")))
    payload = {
        "written": path,
        "sheets": sheets,
        "labels": [{"name": label.name, "code": label.code} for label in labels],
    }
    return Answer(payload, shown.text())


def _label(bench: OnBench, ready: Setup) -> "Label":
    """Return what stands on a roll's label, and in its code: in letters that every reader has."""
    spool, nozzle, heat_c = ready.spool, ready.nozzle, ready.temperature_c
    filament = " ".join(filter(None, (spool.material, spool.maker, spool.colour)))
    heat = [] if heat_c is None else [f"{heat_c:g}"]
    words: list[tuple[str, ...]] = [(filament,)]
    coded = []
    for names in _ON_LABEL:
        shown = [f"{celsius} °C" for celsius in heat if names == _ON_LABEL[0]]
        for name in names:
            now, called = bench.stands(name), VALUES[name].called
            if now.value is None:
                continue
            text = value_text(name, now.value, bench.writing).partition(" (")[0]
            unit = unit_text(name).partition(" per")[0]
            told = f"{called} {text} {unit}".strip()
            mark = _MARKS.get(now.status, "")
            shown.append(f"{told}{mark}")
            coded.append(told.replace("³", "3") + (f" ({now.status})" if mark else ""))
        words += [tuple(shown)] if shown else []
    words.append((nozzle.name, bench.today))
    code = [f"{spool.name}: {filament}", *(f"nozzle {celsius} C" for celsius in heat), *coded]
    code += [f"on {nozzle.name}, {nozzle.bore_mm:g} mm", f"{bench.now.astimezone():%Y-%m-%d}"]
    from metier.show.label import Label

    return Label(spool.name, tuple(words), "\n".join(code))
