"""What is told of a printer once, so that parts can be written ready to print on it."""

import argparse
import re

from metier.core.refusal import Refusal
from metier.formats.quantity import read_length_mm
from metier.logbook.book import Logbook
from metier.logbook.edits import Plain
from metier.logbook.machines import ORIGINS, STEPS_IN, Printer, note_shown
from metier.show.outside import clean
from metier.show.sheet import Sheet
from metier.words.arguments import celsius, length_or_zero, positive

# Whoever gives more than this names another file by mistake.
_LONGEST_START = 50_000
_LEAST_BED_MM, _LARGEST_BED_MM, _LARGEST_ROOM_MM = 20.0, 2000.0, 500.0
_KEPT_IN = {"file": "a file of its own", "start": "the start of each file"}
# What takes away the start or the end that was given.
_PLAIN = "plain"
_MOST_SHOWN = 60


def add_printing_options(parser: argparse.ArgumentParser) -> None:
    """Add what belongs to a printer and not to a part."""
    group = parser.add_argument_group("for printing parts")
    group.add_argument(
        "--bed", type=_bed, metavar="XxYxZ", help="size of the bed in mm and how high it prints, "
        "as 235x235x250; the height may be left out",
    )  # fmt: skip
    group.add_argument(
        "--head-room", type=_head_room, metavar="MMxMM", help="how far round the nozzle, and how "
        "high above its tip, the head keeps clear of a part, as 35x20: with it parts that are "
        "printed together are finished one after the other",
    )  # fmt: skip
    group.add_argument("--origin", choices=ORIGINS, help="where 0, 0 lies on it (corner)")
    group.add_argument(
        "--accel", type=positive, metavar="MM/S2", help="the acceleration it prints with"
    )
    group.add_argument(
        "--hottest",
        type=celsius,
        metavar="C",
        help="the nozzle's at most, in °C (else 300 on its cable)",
    )
    group.add_argument(
        "--hottest-bed",
        type=celsius,
        metavar="C",
        help="the bed's at most, in °C (else 130 on its cable)",
    )
    group.add_argument(
        "--steps-in", choices=STEPS_IN, help="where it keeps its e-steps: its memory, a file of "
        "its own, or nowhere, so that the start of each file sets them",
    )  # fmt: skip
    group.add_argument(
        "--retract", type=length_or_zero, metavar="MM", help="filament drawn back for travels (1)"
    )
    for name, what in (("start", "first"), ("end", "last")):
        group.add_argument(
            f"--{name}", metavar="FILE", help=f"your own G-code to come {what}, or plain; "
            + ("{nozzle} and {bed} stand for the temperatures; what loads a stored bed mesh goes "
               "there" if name == "start" else "else off and out of the way"),
        )  # fmt: skip


def printing_of(options: argparse.Namespace) -> dict[str, Plain]:
    """Return what is given of that.

    Raises:
        Refusal: a file that cannot be read, or is no G-code.
    """
    bed = options.bed or (None, None, None)
    room = options.head_room or (None, None)
    return {
        "bed_x_mm": bed[0],
        "bed_y_mm": bed[1],
        "bed_z_mm": bed[2],
        "head_round_mm": room[0],
        "head_above_mm": room[1],
        "origin": options.origin,
        "accel_mm_s2": options.accel,
        "hottest_c": options.hottest,
        "hottest_bed_c": options.hottest_bed,
        "steps_in": options.steps_in,
        "retract_mm": options.retract,
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
    except (Refusal, ValueError):
        return []


def _gcode(path: str | None, option: str) -> str | None:
    """Return the text of a file of G-code; empty for the plain one."""
    if path is None or path == _PLAIN:
        return None if path is None else ""
    try:
        with open(path, encoding="utf-8") as file:
            text = file.read(_LONGEST_START + 1)
    except OSError as error:
        raise Refusal(f"{option}: cannot read {path}: {error.strerror or error}") from None
    except ValueError:
        raise Refusal(f"{option}: {path} is no text") from None
    if len(text) > _LONGEST_START:
        raise Refusal(f"{option}: {path} is longer than any start: is it a whole print?")
    if not re.search(r"^\s*[GMT]\d", text, re.MULTILINE | re.IGNORECASE):
        raise Refusal(f"{option}: {path} is no G-code: no command such as G28 is in it")
    return text


def printing_rows(sheet: Sheet, printer: Printer) -> None:
    """Write what is told of that."""
    if printer.bed_x_mm is not None and printer.bed_y_mm is not None:
        where = "0, 0 in its middle" if printer.origin == "centre" else "0, 0 in its corner"
        sheet.row("bed", f"{printer.bed_x_mm:g} x {printer.bed_y_mm:g} mm", where)
    else:
        sheet.row("bed", "not known", "parts are meshes meanwhile: printer set --bed 235x235x250")
    if printer.bed_z_mm is not None:
        sheet.row("height", f"{printer.bed_z_mm:g} mm", "as high as it prints")
    if printer.head_round_mm is not None and printer.head_above_mm is not None:
        sheet.row(
            "head room", f"{printer.head_round_mm:g} x {printer.head_above_mm:g} mm",
            "round the nozzle and above it: parts are finished one by one",
        )  # fmt: skip
    if printer.accel_mm_s2 is not None:
        sheet.row("accel", f"{printer.accel_mm_s2:g} mm/s²", "of its moves")
    if printer.hottest_c is not None:
        sheet.row("hottest", f"{printer.hottest_c:g} °C", "its nozzle is not heated hotter")
    if printer.hottest_bed_c is not None:
        sheet.row("", f"{printer.hottest_bed_c:g} °C", "nor its bed")
    if printer.steps_in in _KEPT_IN:
        sheet.row("kept in", _KEPT_IN[printer.steps_in], "its e-steps")
    if printer.retract_mm is not None:
        sheet.row("drawn back", f"{printer.retract_mm:g} mm", "for travels")
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


def printing_object(printer: Printer) -> dict[str, object]:
    """Return what is told of that, as JSON has it."""
    names = (
        *("bed_x_mm", "bed_y_mm", "origin", "accel_mm_s2", "hottest_c", "hottest_bed_c"),
        *("retract_mm", "steps_in", "bed_z_mm", "head_round_mm", "head_above_mm"),
    )
    texts = ("start_gcode", "end_gcode")
    fields = printer._asdict()
    return {name: fields[name] for name in names} | {name: fields[name] or None for name in texts}
