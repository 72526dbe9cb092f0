"""Trials and their readings as comma-separated values."""

from collections.abc import Sequence

from metier.logbook.book import Logbook
from metier.logbook.spools import spools
from metier.logbook.trials import Trial, placed_readings, replaced_readings
from metier.show.labels import flat
from metier.show.outside import comma_separated
from metier.trials.kept import CsvRow
from metier.trials.registry import kept_named

_HEAD = ("trial", "at", "test", "state", "printer", "nozzle", "spool", "temperature_c")


_TAIL = ("verdict", "u95", "width_mm", "layer_mm", "material", "note", "notes")


_READING = ("trial", "at", "test", "state", "spool", "position", "side", "value", "typed", "was")


def trials_csv(book: Logbook, listed: list[Trial]) -> str:
    """Return trials as comma-separated values, a row for each thing that was measured."""
    materials = {spool.name: spool.material for spool in spools(book, retired=True)}
    rows: list[Sequence[object]] = [(*_HEAD, *CsvRow._fields[1:-1], *_TAIL)]
    for one in listed:
        settings = flat(one.settings)
        of = (settings.get("width_mm"), settings.get("layer_mm"), materials.get(one.spool))
        notes = "; ".join((one.findings or {}).get("notes", ()))
        measured = kept_named(one.test).csv_rows(one) if one.findings else [CsvRow(one.test)]
        for test, *values, u95 in measured:
            head = (one.number, one.at, test, one.state, one.printer, one.nozzle, one.spool)
            cells = (*head, one.temperature_c, *values, one.verdict, u95, *of, one.note, notes)
            rows.append(cells)
    return comma_separated(rows)


def readings_csv(book: Logbook, listed: list[Trial]) -> str:
    """Return the readings of trials as comma-separated values, a row a reading."""
    rows: list[Sequence[object]] = [_READING]
    for one in listed:
        replaced = replaced_readings(book, one.number)
        for position, reading in placed_readings(book, one.number).items():
            head = (one.number, one.at, one.test, one.state, one.spool, position)
            was = " ".join(replaced.get(position, ()))
            rows.append((*head, reading.side, reading.value, reading.typed, was))
    return comma_separated(rows)
