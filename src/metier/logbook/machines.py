"""Printers, their nozzles, and what was changed on them; rolls of filament."""

import json
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple, get_args

from metier.core.errors import BadInput
from metier.core.values import VALUES, LineModel, What
from metier.logbook.book import Logbook, Plain, decoded
from metier.logbook.edits import edit
from metier.logbook.items import by_id, found, listed

Origin = Literal["corner", "centre"]
ORIGINS: tuple[Origin, ...] = get_args(Origin)
# Where e-steps are kept: in the board's memory, in a file of the printer's own, or nowhere, so that
# each file has to begin with them.
StepsIn = Literal["memory", "file", "start"]
STEPS_IN: tuple[StepsIn, ...] = get_args(StepsIn)


class Printer(NamedTuple):
    """A printer or one tool head of it. ``line_model`` is None while the slicer's is not known,
    ``line_model_shown`` tells that a file of it showed it.

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
    line_model_shown: int


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


def set_printer(
    book: Logbook, moment: int, printer: Printer, given: Mapping[str, Plain]
) -> Printer:
    """Change the properties that are given, leaving the others; what they were stays known."""
    fields = {name: value for name, value in given.items() if value is not None}
    edit(book, moment, "printer", printer.id, fields)
    return by_id(book, Printer, printer.id)


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
        BadInput: a nozzle of another printer.
    """
    if nozzle is not None and nozzle.printer != printer.id:
        other = by_id(book, Printer, nozzle.printer)
        raise BadInput(f"nozzle '{nozzle.name}' belongs to {other.name}, not to {printer.name}")
    book.connection.execute(
        "INSERT INTO change (moment, printer, what, nozzle, affects, note)"
        " VALUES (?, ?, ?, ?, ?, ?)",
        (moment, printer.id, what, nozzle and nozzle.id, json.dumps(list(affects)), note),
    )


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
        return by_id(book, Nozzle, row[0])
    own = listed(book, Nozzle, printer=printer.id)
    return own[0] if len(own) == 1 else None


class Spool(NamedTuple):
    """One roll. ``diameter_mm`` is the nominal one that the slicer reckons with; ``temperature_c``
    that of the nozzle when it was last on the bench, ``hottest_c`` what it may be printed at;
    ``bed_c`` and ``fan_percent`` are for printing parts; ``density_g_cm3`` is the maker's;
    ``dried`` is the moment at which it was told that it was, ``dried_how`` how. None where nobody
    said it."""

    id: int
    name: str
    material: str
    maker: str | None
    colour: str | None
    batch: str | None
    diameter_mm: float
    foaming: bool
    flexible: bool
    retired: int
    note: str | None
    temperature_c: float | None
    bed_c: float | None
    fan_percent: float | None
    hottest_c: float | None
    density_g_cm3: float | None
    dried: int | None
    dried_how: str | None


def akin(
    book: Logbook, spool: Spool, printer: int, nozzle: int, value: str | None = None
) -> list[tuple[Spool, str]]:
    """Return other spools tried on this printer and nozzle whose values may serve, nearest first;
    with ``value``, only those of which that was tried or entered.

    First rolls of the same filament (maker, material and colour), then of the same maker in
    another colour, then of the same material; the newest first. Foaming and flexible rolls only
    ever stand in for their like.
    """
    others = found(
        book,
        Spool,
        "WHERE id <> ? AND material = ? COLLATE NOCASE AND foaming = ? AND flexible = ?"
        " AND (EXISTS (SELECT 1 FROM trial WHERE printer = ? AND nozzle = ? AND spool = spool.id"
        f"  AND {'test = ? AND ' if value else ''}state = 'measured')"
        " OR EXISTS (SELECT 1 FROM entry WHERE printer = ? AND nozzle = ? AND spool = spool.id"
        f"  {'AND kind = ?' if value else ''})) ORDER BY added DESC",
        (
            *(spool.id, spool.material, spool.foaming, spool.flexible),
            *(printer, nozzle, *([VALUES[value].measured_by] if value else [])),
            *(printer, nozzle, *([value] if value else [])),
        ),
    )
    kinds = ("the same filament", "the same maker and material", "the same material")

    def nearness(other: Spool) -> int:
        if spool.maker is None or (other.maker or "").lower() != spool.maker.lower():
            return 2
        return 0 if (other.colour or "").lower() == (spool.colour or "").lower() else 1

    nearest = sorted(others, key=nearness)[:_MOST_KIN]
    return [(other, kinds[nearness(other)]) for other in nearest]


# More rolls than these add little to what is known of one; how rolls differ takes some more.
_MOST_KIN, _MOST_ROLLS = 12, 20


def kindred_spools(book: Logbook, spool: Spool, printer: int, nozzle: int) -> list[Spool]:
    """Return the newest other rolls of the same maker and material, of whatever colour, whose flow
    was tried on this printer and nozzle; newest first."""
    return found(
        book,
        Spool,
        "WHERE id <> ? AND maker = ? COLLATE NOCASE AND material = ? COLLATE NOCASE"
        " AND foaming = ? AND flexible = ? AND EXISTS (SELECT 1 FROM trial WHERE printer = ?"
        " AND nozzle = ? AND spool = spool.id AND test = 'flow' AND state = 'measured')"
        " ORDER BY added DESC LIMIT ?",
        (
            spool.id,
            spool.maker,
            spool.material,
            spool.foaming,
            spool.flexible,
            printer,
            nozzle,
            _MOST_ROLLS,
        ),
    )
