"""What a workshop has, as TOML or as comma-separated values: printers, nozzles, rolls, and the
values of an old notebook with their dates."""

import tomllib
from collections.abc import Iterable, Mapping
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.formats.tables import read_table

# What may be told of each, and what has to be.
KEYS: dict[str, tuple[str, ...]] = {
    "printer": ("name", "nozzle_mm", "steps"),
    "nozzle": ("name", "printer", "bore_mm"),
    "spool": ("name", "material", "maker", "colour", "batch", "diameter_mm", "foaming", "flexible"),
    "value": ("kind", "value", "printer", "nozzle", "spool", "temperature_c", "date", "how"),
}
_NEEDED: dict[str, tuple[str, ...]] = {
    "printer": ("name", "nozzle_mm"),
    "nozzle": ("name", "printer", "bore_mm"),
    "spool": ("name", "material"),
    "value": ("kind", "value", "printer", "date"),
}
_WHAT = "what"
TEMPLATE = """\
# What the workshop has, and what stood in the notebook. Take what fits, leave the rest out.

[[printer]]
name = "heron"
nozzle_mm = 0.5          # makes nozzle heron-0.5
steps = 412              # e-steps it carries; leave it out where they are not known

[[nozzle]]               # another one of a printer
name = "heron-wide"
printer = "heron"
bore_mm = 0.8

[[spool]]
name = "fern-1"
material = "PLA"
maker = "Saltmarsh"
colour = "green"         # batch, diameter_mm, foaming = true, flexible = true besides

[[value]]                # diameter, esteps, temperature, flow, limit, hole, contour
kind = "flow"
value = 94               # as it was typed: flow in percent, lengths in mm
printer = "heron"
nozzle = "heron-0.5"     # where the printer has several
spool = "fern-1"         # not for esteps
temperature_c = 210      # for a limit
date = 2026-05-03
how = "typed in"         # or "read off": e-steps that the printer's console showed
"""


class WorkshopRow(NamedTuple):
    """One thing that a file tells: where it stands, what it is, and its cells as text."""

    where: str
    what: str
    cells: dict[str, str]

    def get(self, key: str) -> str | None:
        """Return a cell; None where it is empty or not there."""
        return self.cells.get(key) or None


def read_workshop(path: str) -> list[WorkshopRow]:
    """Read such a file, in the order of printers, nozzles, rolls, values.

    Raises:
        BadInput: it is none; names the line, or the table.
    """
    rows = list(_of_toml(path) if path.lower().endswith(".toml") else _of_csv(path))
    for row in rows:
        lacking = next((key for key in _NEEDED[row.what] if not row.get(key)), None)
        if lacking:
            raise BadInput(f"{row.where} ({row.what}) has no {lacking}")
    if not rows:
        raise BadInput(f"{path} tells nothing: metier workshop template shows what may be told")
    order = list(KEYS)
    return sorted(rows, key=lambda row: order.index(row.what))


def _of_csv(path: str) -> Iterable[WorkshopRow]:
    also = tuple(dict.fromkeys(key for keys in KEYS.values() for key in keys))
    for row in read_table(path, (_WHAT,), also):
        what = row.cells[_WHAT].strip().lower()
        if what not in KEYS:
            raise BadInput(f"{row.where}: '{what[:20]}' is none of {', '.join(KEYS)}")
        cells = {key: row.cells[key].strip() for key in also if row.cells[key].strip()}
        _refuse_others(row.where, what, cells)
        yield WorkshopRow(row.where, what, cells)


def _of_toml(path: str) -> Iterable[WorkshopRow]:
    try:
        with open(path, "rb") as file:
            told = tomllib.load(file)
    except OSError as error:
        raise BadInput(f"cannot read {path}: {error.strerror or error}") from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise BadInput(f"{path} is no TOML: {error}") from None
    for what, tables in told.items():
        if what not in KEYS or not isinstance(tables, list):
            raise BadInput(f"{path}: '{what[:20]}' is none of {_tables()}")
        for number, table in enumerate(tables, 1):
            where = f"{path}, [[{what}]] {number}"
            if not isinstance(table, dict):
                raise BadInput(f"{where} is no table")
            cells = {key: str(value).strip() for key, value in table.items()}
            _refuse_others(where, what, cells)
            yield WorkshopRow(where, what, cells)


def _tables() -> str:
    return ", ".join(f"[[{what}]]" for what in KEYS)


def _refuse_others(where: str, what: str, cells: Mapping[str, str]) -> None:
    for key in cells:
        if key not in KEYS[what]:
            known = ", ".join(KEYS[what])
            raise BadInput(f"{where}: a {what} has no '{key[:20]}': {known}")


def workshop_text(rows: Iterable[tuple[str, Mapping[str, object]]]) -> str:
    """Return things as TOML of that form: what each is, and what is told of it."""
    import tomlkit

    document = tomlkit.document()
    tables: dict[str, tomlkit.items.AoT] = {}
    for what, cells in rows:
        table = tomlkit.table()
        for key in KEYS[what]:
            if cells.get(key) is not None:
                table.add(key, cells[key])
        tables.setdefault(what, tomlkit.aot()).append(table)
    for what, listed in tables.items():
        document.add(what, listed)
    return tomlkit.dumps(document)
