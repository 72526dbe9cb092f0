"""``metier shelf``: every roll with its values, by printer and nozzle."""

from argparse import Namespace
from collections.abc import Iterable, Iterator
from itertools import islice
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.standing import Standing
from metier.core.values import VALUES
from metier.logbook.bench import Bench, Setup, setup
from metier.logbook.book import Logbook
from metier.logbook.items import by_id, listed, named, natural
from metier.logbook.machines import Nozzle, Printer, Spool, akin
from metier.show.figures import short_date
from metier.show.sheet import comma_separated, fitted, table, wrapped
from metier.trials.on_bench import OnBench, on_bench_of
from metier.trials.stations import next_due
from metier.words.arguments import option, trial_number
from metier.words.parser import Answer, Parser, command_parser, existing_logbook

# What a screen holds, and a second finds.
_MOST = 30
_SHOWN = ("flow", "limit", "diameter")
_CSV = ("spool", "material", "maker", "colour", "printer", "nozzle", "temperature_c")


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
    option(parser, "--limit N", "at most so many, those used last", trial_number, default=_MOST)
    option(parser, "--csv", "print comma-separated values")
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier shelf``."""
    if options.csv and options.json:
        raise BadInput("--csv and --json are two forms: give one of them")
    with existing_logbook(options.logbook) as book, book.snapshot():
        used_last = list(islice(_places(book, options.printer, options.spool), options.limit + 1))
        places = _in_order(used_last[: options.limit])
        payload = {"shelf": [_object(place) for place in places]}
        if options.csv:
            return Answer({}, _as_csv(payload["shelf"]))
        if not places:
            return Answer(payload, "No roll has a value yet: metier next says what to do first.")
        text = _text(places)
        if len(used_last) > options.limit:
            more = f"These were used last. More of them: metier shelf --limit {10 * options.limit}"
            text += "\n" + "\n".join(wrapped(more, "", ""))
        return Answer(payload, text)


def asked_benches(book: Logbook, options: Namespace) -> list[OnBench]:
    """Return the bench that is asked for; with --all every roll on every printer and nozzle that
    knows it, in the order of their names.

    Raises:
        BadInput: an unknown name, or no roll has a value yet.
    """
    if not options.all:
        return [on_bench_of(book, options)]
    if options.nozzle:
        raise BadInput("--nozzle is of one bench: leave --all out")
    benches = [place.bench for place in _in_order(_places(book, options.printer, options.spool))]
    if not benches:
        raise BadInput("no roll has a value yet: metier next says what to do first")
    return benches


def _places(book: Logbook, printer: str | None, spool: str | None) -> Iterator[Place]:
    """Yield every roll on every printer and nozzle that tried or entered something of it, the one
    used last first; then those on which a kindred roll has something to lend."""
    wanted = named(book, Printer, printer) if printer else None
    only = named(book, Spool, spool) if spool else None
    used = _used(book, wanted, only)
    for owner_id, nozzle_id, spool_id in used:
        yield _place(
            book, by_id(book, Printer, owner_id), by_id(book, Nozzle, nozzle_id),
            by_id(book, Spool, spool_id),
        )  # fmt: skip
    seen = set(used)
    for owner in [wanted] if wanted else listed(book, Printer):
        for fitted_nozzle in listed(book, Nozzle, printer=owner.id):
            for roll in [only] if only else listed(book, Spool):
                key = (owner.id, fitted_nozzle.id, roll.id)
                if key not in seen and akin(book, roll, owner.id, fitted_nozzle.id):
                    yield _place(book, owner, fitted_nozzle, roll)


def _used(
    book: Logbook, printer: Printer | None, spool: Spool | None
) -> list[tuple[int, int, int]]:
    """Return printer, nozzle and roll, all in use, of what was measured or entered."""
    rows = book.connection.execute(
        "SELECT tried.printer, tried.nozzle, tried.spool FROM ("
        " SELECT printer, nozzle, spool, max(measured) AS moment FROM trial"
        " WHERE state = 'measured' GROUP BY 1, 2, 3"
        " UNION ALL SELECT printer, nozzle, spool, max(moment) FROM entry"
        " WHERE withdrawn IS NULL AND nozzle IS NOT NULL AND spool IS NOT NULL GROUP BY 1, 2, 3"
        ") AS tried JOIN printer ON printer.id = tried.printer"
        " JOIN nozzle ON nozzle.id = tried.nozzle JOIN spool ON spool.id = tried.spool"
        " WHERE NOT (printer.retired OR nozzle.retired OR spool.retired)"
        " AND coalesce(:printer, printer.id) = printer.id AND coalesce(:spool, spool.id) = spool.id"
        " GROUP BY 1, 2, 3 ORDER BY max(moment) DESC",
        {"printer": printer and printer.id, "spool": spool and spool.id},
    )
    return rows.fetchall()


def _place(book: Logbook, printer: Printer, nozzle: Nozzle, spool: Spool) -> Place:
    chosen = Bench(printer, nozzle, spool, spool.temperature_c)
    ready = setup(chosen)
    assert ready is not None
    bench = OnBench(book, chosen, ready)
    values = {name: bench.stands(name) for name in _SHOWN}
    return Place(bench, ready, values, next_due(bench).step)


def _in_order(places: Iterable[Place]) -> list[Place]:
    def called(place: Place) -> tuple[object, ...]:
        ready = place.ready
        return tuple(natural(item.name) for item in (ready.printer, ready.nozzle, ready.spool))

    return sorted(places, key=called)


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
    lines = table(header, fitted(rows, header, (0, 1, 9)), right=(2, 3, 5), margin=0)
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
        "maker": spool.maker,
        "colour": spool.colour,
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
            "unit": VALUES[name].unit,
        }
    shown["due"] = place.due
    return shown


def _as_csv(shelf: list[dict[str, object]]) -> str:
    parts = ("value", "u95", "status", "since", "unit")
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
