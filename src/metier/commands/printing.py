"""What is told of a printer once, so that parts can be written ready to print on it."""

import argparse
import re
from argparse import Namespace

from metier.commands.machine import Property
from metier.core.errors import BadInput
from metier.formats.quantity import read_length_mm
from metier.logbook.book import Logbook, Plain
from metier.logbook.machines import ORIGINS, STEPS_IN, Printer, note_shown
from metier.show.sheet import Sheet, clean
from metier.words.arguments import celsius, length_or_zero, positive

# Whoever gives more than this names another file by mistake.
_LONGEST_START = 50_000


_LEAST_BED_MM, _LARGEST_BED_MM, _LARGEST_ROOM_MM = 20.0, 2000.0, 500.0


_KEPT_IN = {"file": "a file of its own", "start": "the start of each file"}


# What takes away the start or the end that was given.
_PLAIN = "plain"


_MOST_SHOWN = 60


def printing_of(options: Namespace) -> dict[str, Plain]:
    """Return what is given of that.

    Raises:
        BadInput: a file that cannot be read, or is no G-code.
    """
    bed: tuple[float | None, ...] = options.bed or (None, None, None)
    room: tuple[float | None, ...] = options.head_room or (None, None)
    told = {row.column: row.given(options) for row in PRINTING if row.column}
    return {
        **dict(zip(("bed_x_mm", "bed_y_mm", "bed_z_mm"), bed, strict=True)),
        **dict(zip(("head_round_mm", "head_above_mm"), room, strict=True)),
        **told,
        "start_gcode": _gcode(options.start, "--start"),
        "end_gcode": _gcode(options.end, "--end"),
    }


def _bed(text: str) -> tuple[float, float, float | None]:
    sizes = _sizes(text)
    if len(sizes) not in (2, 3):
        raise argparse.ArgumentTypeError(f"{text[:20]!r} is no bed: write 235x235x250, or 235x235")
    if not all(_LEAST_BED_MM <= size <= _LARGEST_BED_MM for size in sizes):
        raise argparse.ArgumentTypeError(
            f"{' x '.join(f'{size:g}' for size in sizes)} mm is no bed that prints"
        )
    return sizes[0], sizes[1], sizes[2] if len(sizes) == 3 else None


def _head_room(text: str) -> tuple[float, float]:
    sizes = _sizes(text)
    if len(sizes) != 2 or not all(1 <= size <= _LARGEST_ROOM_MM for size in sizes):
        raise argparse.ArgumentTypeError(
            f"{text[:20]!r} is no room round a head: write 35x20, mm round the nozzle and above it"
        )
    return sizes[0], sizes[1]


def _sizes(text: str) -> list[float]:
    """Return lengths that are written with an x between them; none where one cannot be read."""
    try:
        parts = re.split("[x×*]", text.strip().lower().removesuffix("mm"))
        return [read_length_mm(part, "") for part in parts]
    except (BadInput, ValueError):
        return []


def _gcode(path: str | None, option: str) -> str | None:
    """Return the text of a file of G-code; empty for the plain one."""
    if path is None or path == _PLAIN:
        return None if path is None else ""
    try:
        with open(path, encoding="utf-8") as file:
            text = file.read(_LONGEST_START + 1)
    except OSError as error:
        raise BadInput(f"{option}: cannot read {path}: {error.strerror or error}") from None
    except ValueError:
        raise BadInput(f"{option}: {path} is no text") from None
    if len(text) > _LONGEST_START:
        raise BadInput(f"{option}: {path} is longer than any start: is it a whole print?")
    if not re.search(r"^\s*[GMT]\d", text, re.MULTILINE | re.IGNORECASE):
        raise BadInput(f"{option}: {path} is no G-code: no command such as G28 is in it")
    return text


_ROWS = (
    ("bed_z_mm", "height", "{} mm", "as high as it prints"),
    (
        "head_round_mm",
        "head room",
        "{} mm",
        "round the nozzle and above it: parts are finished one by one",
    ),
    ("accel_mm_s2", "accel", "{} mm/s²", "of its moves"),
    ("hottest_c", "hottest", "{} °C", "its nozzle is not heated hotter"),
    ("hottest_bed_c", "", "{} °C", "nor its bed"),
    ("steps_in", "kept in", "{}", "its e-steps"),
    ("retract_mm", "drawn back", "{} mm", "for travels"),
)


def printing_rows(sheet: Sheet, printer: Printer) -> None:
    """Write what is told of that."""
    if printer.bed_x_mm is not None and printer.bed_y_mm is not None:
        where = "0, 0 in its middle" if printer.origin == "centre" else "0, 0 in its corner"
        sheet.row("bed", f"{printer.bed_x_mm:g} x {printer.bed_y_mm:g} mm", where)
    else:
        sheet.row("bed", "not known", "parts are meshes meanwhile: printer set --bed 235x235x250")
    for column, label, form, remark in _ROWS:
        value = getattr(printer, column)
        if value is not None and column == "head_round_mm":
            value = f"{value:g} x {printer.head_above_mm:g}"
        elif column == "steps_in":
            value = _KEPT_IN.get(value)
        elif value is not None:
            value = f"{value:g}"
        if value is not None:
            sheet.row(label, form.format(value), remark)
    for name, text in (("start", printer.start_gcode), ("end", printer.end_gcode)):
        if text:
            sheet.row(name, f"{len(text.splitlines())} lines", "of your own G-code")


def write_own_gcode(book: Logbook, sheet: Sheet, printer: Printer) -> None:
    """Write out the G-code of the user's own that parts begin and end with; from then on it counts
    as seen."""
    note_shown(book, printer)
    for name, text in (("start", printer.start_gcode), ("end", printer.end_gcode)):
        if text:
            sheet.gap()
            sheet.lines(f"{name.capitalize()} of each file:", *_shown(text))


def _shown(text: str) -> list[str]:
    lines = [f"  {clean(line)}" for line in text.splitlines()]
    if len(lines) <= _MOST_SHOWN:
        return lines
    return [*lines[:_MOST_SHOWN], f"  … and {len(lines) - _MOST_SHOWN} lines more"]


_GROUP = "for printing parts"
_OWN = "your own G-code to come {}, or plain; {}"
PRINTING = tuple(
    Property(column, written, read, help, group=_GROUP)
    for column, written, read, help in (
        ("", "--bed XxYxZ", _bed, "size of the bed in mm and how high it prints, as 235x235x250; "
         "the height may be left out"),
        ("", "--head-room MMxMM", _head_room, "how far round the nozzle, and how high above its "
         "tip, the head keeps clear of a part, as 35x20: with it parts that are printed together "
         "are finished one after the other"),
        ("origin", "--origin", ORIGINS, "where 0, 0 lies on it (corner)"),
        ("accel_mm_s2", "--accel MM/S2", positive, "the acceleration it prints with"),
        ("hottest_c", "--hottest C", celsius, "the nozzle's at most, in °C (else 300 on its "
         "cable)"),
        ("hottest_bed_c", "--hottest-bed C", celsius, "the bed's at most, in °C (else 130 on its "
         "cable)"),
        ("steps_in", "--steps-in", STEPS_IN, "where it keeps its e-steps: its memory, a file of "
         "its own, or nowhere, so that the start of each file sets them"),
        ("retract_mm", "--retract MM", length_or_zero, "filament drawn back for travels (1)"),
        ("", "--start FILE", None, _OWN.format("first", "{nozzle} and {bed} stand for the "
         "temperatures; what loads a stored bed mesh goes there")),
        ("", "--end FILE", None, _OWN.format("last", "else off and out of the way")),
    )
)  # fmt: skip
