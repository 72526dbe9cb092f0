"""What is told of a printer once, so that parts can be written ready to print on it."""

import argparse
import re

from metier.core.refusal import Refusal
from metier.formats.quantity import read_length_mm
from metier.logbook.edits import Plain
from metier.logbook.machines import ORIGINS, STEPS_IN, Printer
from metier.show.sheet import Sheet
from metier.words.arguments import celsius, length_or_zero, positive

# Whoever gives more than this names another file by mistake.
_LONGEST_START = 50_000
_LARGEST_BED_MM = 2000.0
_KEPT_IN = {"file": "a file of its own", "start": "the start of each file"}
# What takes away the start or the end that was given.
_PLAIN = "plain"


def add_printing_options(parser: argparse.ArgumentParser) -> None:
    """Add what belongs to a printer and not to a part."""
    group = parser.add_argument_group("for printing parts")
    group.add_argument("--bed", type=_bed, metavar="XxY", help="size of the bed in mm, as 235x235")
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
            + ("{nozzle} and {bed} stand for the temperatures" if name == "start" else
               "else off and out of the way"),
        )  # fmt: skip


def printing_of(options: argparse.Namespace) -> dict[str, Plain]:
    """Return what is given of that.

    Raises:
        Refusal: a file that cannot be read, or is no G-code.
    """
    bed = options.bed or (None, None)
    return {
        "bed_x_mm": bed[0],
        "bed_y_mm": bed[1],
        "origin": options.origin,
        "accel_mm_s2": options.accel,
        "hottest_c": options.hottest,
        "hottest_bed_c": options.hottest_bed,
        "steps_in": options.steps_in,
        "retract_mm": options.retract,
        "start_gcode": _gcode(options.start, "--start"),
        "end_gcode": _gcode(options.end, "--end"),
    }


def _bed(text: str) -> tuple[float, float]:
    parts = re.split("[x×*]", text.strip().lower().removesuffix("mm"))
    try:
        wide, deep = (read_length_mm(part, "") for part in parts)
    except (Refusal, ValueError):
        raise argparse.ArgumentTypeError(f"{text[:20]!r} is no bed: write 235x235") from None
    if not (30 <= wide <= _LARGEST_BED_MM and 30 <= deep <= _LARGEST_BED_MM):
        raise argparse.ArgumentTypeError(f"{wide:g} x {deep:g} mm is no bed that prints")
    return wide, deep


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
        sheet.row("bed", "not known", "parts are meshes meanwhile: printer set --bed 235x235")
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


def printing_object(printer: Printer) -> dict[str, object]:
    """Return what is told of that, as JSON has it."""
    names = (
        *("bed_x_mm", "bed_y_mm", "origin", "accel_mm_s2", "hottest_c", "hottest_bed_c"),
        *("retract_mm", "steps_in"),
    )
    texts = ("start_gcode", "end_gcode")
    fields = printer._asdict()
    return {name: fields[name] for name in names} | {name: fields[name] or None for name in texts}
