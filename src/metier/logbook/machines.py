"""Printers, their nozzles, and what was changed on them."""

import json
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple, get_args

from metier.core.line.bead import LineModel
from metier.core.refusal import Refusal
from metier.core.values import What
from metier.logbook.book import Logbook, decoded
from metier.logbook.edits import Plain, edit
from metier.logbook.names import new_name, refuse_unknown

Origin = Literal["corner", "centre"]
ORIGINS: tuple[Origin, ...] = get_args(Origin)
# Where e-steps are kept: in the board's memory, in a file of the printer's own, or nowhere, so that
# each file has to begin with them.
StepsIn = Literal["memory", "file", "start"]
STEPS_IN: tuple[StepsIn, ...] = get_args(StepsIn)


class Printer(NamedTuple):
    """A printer or one tool head of it. ``line_model`` is None while the slicer's is not known.

    What stands behind ``note`` is for printing parts: the bed and where 0, 0 lies on it, its
    acceleration, what its nozzle may be heated to, how far it draws filament back, and G-code of
    the user's own to start and end with; then where its cable is plugged in, what its bed may be
    heated to, where its e-steps are kept, how high it prints, and how far its head needs room
    round the nozzle and above it. None where nobody said it.
    """

    id: int
    name: str
    decimals: int
    line_model: LineModel | None
    full_steps: float | None
    microsteps: float | None
    retired: int
    note: str | None
    bed_x_mm: float | None
    bed_y_mm: float | None
    origin: Origin | None
    accel_mm_s2: float | None
    hottest_c: float | None
    retract_mm: float | None
    start_gcode: str | None
    end_gcode: str | None
    port: str | None
    baud: int | None
    hottest_bed_c: float | None
    steps_in: StepsIn | None
    bed_z_mm: float | None
    head_round_mm: float | None
    head_above_mm: float | None


class Nozzle(NamedTuple):
    """A nozzle by name; ``worn`` is the moment it was found so, if it was."""

    id: int
    printer: int
    name: str
    bore_mm: float
    material: str | None
    hot_end: str | None
    worn: int | None
    retired: int
    note: str | None


class HardwareChange(NamedTuple):
    """Something changed on a printer, and the values it touches."""

    moment: int
    at: str
    what: What
    nozzle: int | None
    affects: tuple[str, ...]
    note: str | None


_PRINTER = (
    "SELECT id, name, decimals, line_model, full_steps, microsteps, retired, note, bed_x_mm,"
    " bed_y_mm, origin, accel_mm_s2, hottest_c, retract_mm, start_gcode, end_gcode, port,"
    " baud, hottest_bed_c, steps_in, bed_z_mm, head_round_mm, head_above_mm FROM printer"
)
_NOZZLE = "SELECT id, printer, name, bore_mm, material, hot_end, worn, retired, note FROM nozzle"


def add_printer(book: Logbook, moment: int, name: str, decimals: int) -> Printer:
    """Add a printer; its further properties by `set_printer`."""
    name = new_name(book.connection, "printer", name)
    book.connection.execute(
        "INSERT INTO printer (name, decimals, added) VALUES (?, ?, ?)", (name, decimals, moment)
    )
    return printer_named(book, name)


def set_printer(
    book: Logbook, moment: int, printer: Printer, given: Mapping[str, Plain]
) -> Printer:
    """Change the properties that are given, leaving the others; what they were stays known."""
    fields = {name: value for name, value in given.items() if value is not None}
    edit(book, moment, "printer", printer.id, fields)
    return printer_by_id(book, printer.id)


def own_gcode(printer: Printer) -> dict[str, str]:
    """Return the G-code of the user's own that files begin and end with, where there is some."""
    texts = {"start": printer.start_gcode, "end": printer.end_gcode}
    return {name: text for name, text in texts.items() if text}


def unseen_gcode(book: Logbook, printer: Printer) -> list[str]:
    """Return which of them nobody has seen in this copy: it came with an import."""
    known = {text for (text,) in book.connection.execute("SELECT gcode FROM shown")}
    return [name for name, text in own_gcode(printer).items() if text not in known]


def note_shown(book: Logbook, printer: Printer) -> None:
    """Note that they were shown to whoever sits here."""
    if unseen_gcode(book, printer):
        with book.transaction(marked=False):
            book.connection.executemany(
                "INSERT OR IGNORE INTO shown (gcode) VALUES (?)",
                [(text,) for text in own_gcode(printer).values()],
            )


def printers(book: Logbook, retired: bool = False) -> list[Printer]:
    """Return the printers in use by name; with ``retired`` all of them."""
    where = "" if retired else "WHERE retired = 0"
    return [Printer(*row) for row in book.connection.execute(f"{_PRINTER} {where} ORDER BY name")]


def printer_named(book: Logbook, name: str) -> Printer:
    """Return a printer.

    Raises:
        Refusal: unknown, naming the nearest.
    """
    row = book.connection.execute(f"{_PRINTER} WHERE name = ?", (name.strip(),)).fetchone()
    if row is None:
        raise refuse_unknown(book.connection, "printer", name)
    return Printer(*row)


def printer_by_id(book: Logbook, printer: int) -> Printer:
    """Return a printer that the logbook itself refers to."""
    return Printer._make(book.row(f"{_PRINTER} WHERE id = ?", printer))


def add_nozzle(
    book: Logbook,
    moment: int,
    printer: Printer,
    name: str,
    bore_mm: float,
    material: str | None = None,
    hot_end: str | None = None,
) -> Nozzle:
    """Add a nozzle that sits, or may sit, in ``printer``."""
    name = new_name(book.connection, "nozzle", name)
    book.connection.execute(
        "INSERT INTO nozzle (printer, name, bore_mm, material, hot_end, added)"
        " VALUES (?, ?, ?, ?, ?, ?)",
        (printer.id, name, bore_mm, material, hot_end, moment),
    )
    return nozzle_named(book, name)


def nozzles(book: Logbook, printer: Printer | None = None, retired: bool = False) -> list[Nozzle]:
    """Return the nozzles in use of one printer, or of all, by name; with ``retired`` all."""
    of_printer, values = ("printer = ?", [printer.id]) if printer else ("1", [])
    in_use = "1" if retired else "retired = 0"
    rows = book.connection.execute(
        f"{_NOZZLE} WHERE {of_printer} AND {in_use} ORDER BY name", values
    )
    return [Nozzle(*row) for row in rows]


def nozzle_named(book: Logbook, name: str) -> Nozzle:
    """Return a nozzle.

    Raises:
        Refusal: unknown, naming the nearest.
    """
    row = book.connection.execute(f"{_NOZZLE} WHERE name = ?", (name.strip(),)).fetchone()
    if row is None:
        raise refuse_unknown(book.connection, "nozzle", name)
    return Nozzle(*row)


def nozzle_by_id(book: Logbook, nozzle: int) -> Nozzle:
    """Return a nozzle that the logbook itself refers to."""
    return Nozzle._make(book.row(f"{_NOZZLE} WHERE id = ?", nozzle))


def record_change(
    book: Logbook,
    moment: int,
    printer: Printer,
    what: What,
    affects: Sequence[str],
    nozzle: Nozzle | None = None,
    note: str | None = None,
) -> None:
    """Record a hardware change; with ``nozzle``, the one fitted or found worn.

    Raises:
        Refusal: a nozzle of another printer.
    """
    if nozzle is not None and nozzle.printer != printer.id:
        other = printer_by_id(book, nozzle.printer)
        raise Refusal(f"nozzle '{nozzle.name}' belongs to {other.name}, not to {printer.name}")
    book.connection.execute(
        "INSERT INTO change (moment, printer, what, nozzle, affects, note)"
        " VALUES (?, ?, ?, ?, ?, ?)",
        (moment, printer.id, what, nozzle and nozzle.id, json.dumps(list(affects)), note),
    )


def mark_worn(book: Logbook, moment: int, nozzle: Nozzle) -> None:
    """Remember that a nozzle was found worn."""
    edit(book, moment, "nozzle", nozzle.id, {"worn": moment})


def changes(book: Logbook, printer: Printer) -> list[HardwareChange]:
    """Return the hardware history of a printer, oldest first."""
    rows = book.connection.execute(
        "SELECT change.moment, moment.at, what, nozzle, affects, note"
        " FROM change JOIN moment ON moment.id = change.moment"
        " WHERE printer = ? AND withdrawn IS NULL ORDER BY 1",
        (printer.id,),
    )
    return [
        HardwareChange(moment, at, what, nozzle, tuple(decoded(book, affects, list)), note)
        for moment, at, what, nozzle, affects, note in rows
    ]


def fitted_nozzle(book: Logbook, printer: Printer) -> Nozzle | None:
    """Return the nozzle last said to be fitted, else the only one; None when that is open."""
    row = book.connection.execute(
        "SELECT nozzle FROM change WHERE printer = ? AND what = 'nozzle' AND nozzle IS NOT NULL"
        " AND withdrawn IS NULL ORDER BY moment DESC LIMIT 1",
        (printer.id,),
    ).fetchone()
    if row:
        return nozzle_by_id(book, row[0])
    own = nozzles(book, printer)
    return own[0] if len(own) == 1 else None
