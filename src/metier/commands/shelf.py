"""``metier shelf``: every roll with its values, by printer and nozzle."""

from argparse import Namespace
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.standing import Standing
from metier.core.values import VALUES
from metier.logbook.bench import Bench, Setup, setup
from metier.logbook.book import Logbook
from metier.logbook.items import listed, named
from metier.logbook.machines import Nozzle, Printer, Spool, akin
from metier.show.figures import short_date
from metier.show.sheet import comma_separated, fitted, table, wrapped
from metier.trials.on_bench import OnBench
from metier.trials.stations import next_due
from metier.words.arguments import option
from metier.words.parser import Answer, Parser, command_parser, existing_logbook

_SHOWN = ("flow", "limit", "diameter")
_CSV = ("spool", "material", "printer", "nozzle", "temperature_c")


class Place(NamedTuple):
    """A roll on a printer and nozzle that knows it: how its values stand, what is due."""

    bench: OnBench
    ready: Setup
    values: dict[str, Standing]
    due: str


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "shelf",
        "Show every roll at a glance, by printer and nozzle: flow, limit, diameter, how each "
        "stands, since when, and what is due.",
        "  metier shelf\n  metier shelf --printer heron --csv",
    )
    option(parser, "--printer PRINTER", "on one printer only")
    option(parser, "--spool SPOOL", "one roll only")
    option(parser, "--csv", "print comma-separated values")
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier shelf``."""
    if options.csv and options.json:
        raise BadInput("--csv and --json are two forms: give one of them")
    with existing_logbook(options.logbook) as book:
        places = _places(book, options)
        payload = {"shelf": [_object(place) for place in places]}
        if options.csv:
            return Answer({}, _as_csv(payload["shelf"]))
        if not places:
            return Answer(payload, "No roll has a value yet: metier next says what to do first.")
        return Answer(payload, _text(places))


def _places(book: Logbook, options: Namespace) -> list[Place]:
    """Return every roll on every printer and nozzle that tried or entered something of it."""
    wanted = named(book, Printer, options.printer) if options.printer else None
    only = named(book, Spool, options.spool) if options.spool else None
    places = []
    for printer in [wanted] if wanted else listed(book, Printer):
        for nozzle in listed(book, Nozzle, printer=printer.id):
            for spool in [only] if only else listed(book, Spool):
                if not _known(book, spool, printer.id, nozzle.id):
                    continue
                chosen = Bench(printer, nozzle, spool, spool.temperature_c)
                ready = setup(chosen)
                assert ready is not None
                bench = OnBench(book, chosen, ready)
                values = {name: bench.stands(name) for name in _SHOWN}
                places.append(Place(bench, ready, values, next_due(bench).step))
    return places


def _known(book: Logbook, spool: Spool, printer: int, nozzle: int) -> bool:
    row = book.connection.execute(
        "SELECT EXISTS (SELECT 1 FROM trial WHERE printer = ? AND nozzle = ? AND spool = ?"
        " AND state = 'measured') OR EXISTS (SELECT 1 FROM entry WHERE printer = ?"
        " AND nozzle = ? AND spool = ? AND withdrawn IS NULL)",
        2 * (printer, nozzle, spool.id),
    ).fetchone()
    return bool(row[0]) or bool(akin(book, spool, printer, nozzle))


def _text(places: list[Place]) -> str:
    header = ("roll", "on", "°C", "flow", "", "limit", "", "strand", "since", "due")
    rows = []
    for place in places:
        newest = max((now.since for now in place.values.values() if now.since), default=None)
        heat = place.ready.temperature_c
        rows.append(
            (
                place.ready.spool.name,
                place.ready.nozzle.name,
                "" if heat is None else f"{heat:g}",
                *_cells("flow", place.values["flow"]),
                *_cells("limit", place.values["limit"]),
                _shown("diameter", place.values["diameter"]),
                short_date(newest) if newest else "",
                place.due,
            )
        )
    lines = [line[2:] for line in table(header, fitted(rows, header, (0, 1, 9)), right=(2, 3, 5))]
    legend = ", ".join(f"{mark} {status}" for status, mark in _MARKS.items())
    words = wrapped(f"flow in %, limit in mm³/s, strand in mm; {legend}", "", "")
    return "\n".join([*lines, *words])


_MARKS = {"verified": "v", "entered": "e", "advised": "a", "carried": "c", "doubtful": "?"}


def _cells(name: str, now: Standing) -> tuple[str, str]:
    return _shown(name, now), _MARKS.get(now.status, "")


def _shown(name: str, now: Standing) -> str:
    return "-" if now.value is None else f"{round(VALUES[name].seen(now.value), 2):g}"


def _object(place: Place) -> dict[str, object]:
    printer, nozzle, spool, heat = place.ready
    shown: dict[str, object] = {
        "spool": spool.name,
        "material": spool.material,
        "printer": printer.name,
        "nozzle": nozzle.name,
        "temperature_c": heat,
    }
    for name, now in place.values.items():
        shown[name] = {
            "value": None if now.value is None else VALUES[name].seen(now.value),
            "u95": None if now.u95 is None else VALUES[name].seen(now.u95),
            "status": now.status,
            "since": now.since,
            "why": now.why,
        }
    shown["due"] = place.due
    return shown


def _as_csv(shelf: list[dict[str, object]]) -> str:
    parts = ("value", "u95", "status", "since")
    rows: list[list[object]] = [
        [*_CSV, *(f"{name}_{part}" for name in _SHOWN for part in parts), "due"]
    ]
    for row in shelf:
        cells = [row[name] for name in _CSV]
        for name in _SHOWN:
            value = row[name]
            assert isinstance(value, dict)
            cells += [value[part] for part in parts]
        rows.append([*cells, row["due"]])
    return comma_separated(rows)
