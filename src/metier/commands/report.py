"""``metier report``: one page of a bench, or of every roll: what to type, how sure, what it rests
on."""

from argparse import Namespace
from collections.abc import Sequence
from typing import NamedTuple

from metier.commands.profile import PLACES, standings, why_text
from metier.commands.shelf import asked_benches
from metier.core.errors import BadInput
from metier.core.standing import Standing
from metier.core.values import VALUES, Value
from metier.logbook.bench import Setup
from metier.logbook.book import Logbook
from metier.logbook.trials import Trial, latest_on, newest_like, trial
from metier.show.figures import short_date, u95_text, unit_text, value_text
from metier.show.page import Element, element, figure_of, of_sheet, page
from metier.show.sheet import Sheet, columns_elsewhere
from metier.trials.on_bench import (
    OnBench,
    add_elsewhere_options,
    bench_object,
    bench_phrase,
    needed_setup,
)
from metier.trials.registry import KINDS, kept_named, kind_named
from metier.trials.stations import next_due
from metier.trials.witness import photo_of
from metier.whole_file import as_file_name, check_target, write_whole
from metier.words.arguments import option
from metier.words.parser import Answer, Parser, command_parser, existing_logbook

_PLACES = {**PLACES, "": "Not typed in anywhere:"}
# What has a value; other kinds still say how the bench does.
_OF_VALUES = {value.measured_by for value in VALUES.values()}
# As many as are judged together.
_MOST_TRIALS = 6
# As wide as the tables of a trial are written for a page.
_COLUMNS = 84


class _Roll(NamedTuple):
    """A roll on a printer and nozzle, and how its values stand."""

    bench: OnBench
    ready: Setup
    values: dict[str, Standing]

    @classmethod
    def of(cls, bench: OnBench) -> "_Roll":
        return cls(bench, needed_setup(bench.chosen), standings(bench))

    @property
    def anchor(self) -> str:
        """The name of its place on the page."""
        return as_file_name(f"{self.ready.spool.name}_{self.ready.nozzle.name}")

    def doubtful(self) -> dict[str, Standing]:
        """Return the values that became doubtful."""
        return {name: now for name, now in self.values.items() if now.status == "doubtful"}


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "report",
        "Write one page for a browser or for paper: what to type where, how sure it is, the trials "
        "behind each value with their pictures, notes and photos, what became doubtful, what is "
        "next. It is whole in one file and loads nothing.",
        "  metier report\n"
        "  metier report fern.html --spool fern-1\n"
        "  metier report shelf.html --all        every roll, without its trials",
    )
    option(parser, "file FILE.html", "else the name of the roll, or shelf.html", nargs="?")
    option(parser, "--all", "every roll on every printer and nozzle that knows it")
    option(parser, "--force", "write over a file that exists")
    add_elsewhere_options(parser)
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier report``."""
    with existing_logbook(options.logbook) as book, book.snapshot(), columns_elsewhere(_COLUMNS):
        rolls = [_Roll.of(bench) for bench in asked_benches(book, options)]
        named = "shelf" if options.all else as_file_name(rolls[0].ready.spool.name)
        path = options.file or f"{named}.html"
        if not path.lower().endswith((".html", ".htm")):
            raise BadInput(f"{path}: a page for a browser ends in .html")
        check_target(path, overwrite=options.force)
        lacking: list[str] = []
        body = _shelf(rolls) if options.all else _bench(book, rolls[0], lacking)
    write_whole(path, page(body[0], *body[1]), overwrite=options.force)
    sheet = Sheet(f"Report: {body[0]}")
    sheet.row("page", path, "for a browser, or A4 paper; nothing in it is loaded from elsewhere")
    for name, now in _all_doubtful(rolls):
        sheet.note(f"{name}: {now.why}", "doubtful")
    for line in dict.fromkeys(lacking):
        sheet.note(line)
    payload = {
        "written": path,
        "benches": [bench_object(roll.ready) for roll in rolls],
        "doubtful": [name for name, _ in _all_doubtful(rolls)],
        "lacking": lacking,
    }
    return Answer(payload, sheet.text())


def _all_doubtful(rolls: Sequence[_Roll]) -> list[tuple[str, Standing]]:
    """Return what became doubtful, with its roll where there are several."""
    several = len(rolls) > 1
    return [
        (f"{roll.ready.spool.name}, {name}" if several else VALUES[name].called, now)
        for roll in rolls
        for name, now in roll.doubtful().items()
    ]


def _bench(book: Logbook, roll: _Roll, lacking: list[str]) -> tuple[str, list[Element]]:
    """Return the title and what is on the page of one bench."""
    phrase = bench_phrase(roll.ready)
    body = [_heading(roll, "h1"), _next(roll), *_values(roll), *_doubts(roll)]
    for kind in KINDS:
        body += _trials_of(book, roll, kind, lacking)
    return phrase, [*body, _footer(roll.bench)]


def _shelf(rolls: Sequence[_Roll]) -> tuple[str, list[Element]]:
    """Return the title and what is on the page of a shelf."""
    rows = [
        element(
            "li",
            element("a", bench_phrase(roll.ready), href=f"#{roll.anchor}"),
            f": {', '.join(VALUES[name].called for name in doubtful)} doubtful" if doubtful else "",
        )
        for roll in rolls
        for doubtful in [roll.doubtful()]
    ]
    body = [element("h1", "The shelf"), element("ul", *rows)]
    for roll in rolls:
        body += [_heading(roll, "h2"), _next(roll), *_values(roll), *_doubts(roll)]
    return "the shelf", [*body, _footer(rolls[0].bench)]


def _heading(roll: _Roll, tag: str) -> Element:
    printer, nozzle, spool, heat_c = roll.ready
    filament = " ".join(filter(None, (spool.maker, spool.material, spool.colour)))
    told = [filament, f"nozzle {nozzle.name}, {nozzle.bore_mm:g} mm bore"]
    told += [f"{heat_c:g} °C"] if heat_c is not None else []
    told += [f"batch {spool.batch}"] if spool.batch else []
    told += [roll.bench.today]
    return element(
        "header",
        element(tag, f"{spool.name} on {printer.name}"),
        element("p", " · ".join(told), kind="quiet"),
        id=roll.anchor,
    )


def _next(roll: _Roll) -> Element:
    due = next_due(roll.bench)
    why = due.why[:1].upper() + due.why[1:]
    first = element("p", element("strong", "Next: " + due.step), f". {why}.")
    if due.step == "done":
        first = element("p", element("strong", f"{why}."))
    hand = element("p", f"{due.hand[:1].upper()}{due.hand[1:]}.") if due.hand else None
    command = element("p", element("code", due.command)) if due.command else None
    return element("div", first, hand, command, kind="next")


def _values(roll: _Roll) -> list[Element]:
    writing = roll.bench.writing
    head = ("", "type", "how sure", "since", "why")
    rows: list[Element] = []
    places = {name: VALUES[name].place * VALUES[name].by_hand for name in roll.values}
    for place, heading in _PLACES.items():
        mine = [name for name, at in places.items() if at == place]
        if mine:
            label = element("th", heading.rstrip(":"), colspan=str(len(head)), scope="colgroup")
            rows.append(element("tr", label, kind="place"))
        for name in mine:
            now, value = roll.values[name], VALUES[name]
            shown: list[Element | str] = ["-"]
            if now.value is not None:
                shown = [
                    f"{value_text(name, now.value, writing)} {unit_text(name)}".strip(),
                    element("small", f" {u95_text(name, now.u95)}"),
                ]
            rows.append(
                element(
                    "tr",
                    element("th", value.also[:1].upper() + value.also[1:], scope="row"),
                    element("td", *shown, kind="value"),
                    element("td", element("span", now.status, kind=f"status {now.status}")),
                    element("td", short_date(now.since) if now.since else "", kind="since"),
                    element("td", why_text(roll.bench, name, now), kind="why"),
                )
            )
    header = element("tr", *(element("th", name, scope="col") for name in head))
    table = element("table", element("thead", header), element("tbody", *rows), kind="values")
    return [element("h2", "What to type, and where"), table]


def _doubts(roll: _Roll) -> list[Element]:
    doubtful = roll.doubtful()
    if not doubtful:
        return []
    whys: dict[str, list[str]] = {}
    for name, now in doubtful.items():
        whys.setdefault(now.why, []).append(VALUES[name].called)
    rows = [
        element("li", element("strong", ", ".join(named)), f": {why}")
        for why, named in whys.items()
    ]
    return [element("h2", "What became doubtful"), element("ul", *rows)]


def _trials_of(book: Logbook, roll: _Roll, kind: str, lacking: list[str]) -> list[Element]:
    """Return the trials of a kind that a value of this bench rests on, the newest first; of a
    kind without a value, the newest there is."""
    rest_on = latest_on(book, roll.ready, kind, 1) if kind not in _OF_VALUES else []
    for name, now in roll.values.items():
        if VALUES[name].measured_by == kind and now.status != "unset":
            rest_on += _behind(book, roll.ready, VALUES[name], now)
    rest_on = list({recorded.number: recorded for recorded in rest_on}.values())
    if not rest_on:
        return []
    values = [now for name, now in VALUES.items() if now.measured_by == kind]
    named = " and ".join(value.called for value in values if value.by_hand) or kind
    title = f"What {named} rests on" if values else kind_named(kind).title
    shown = [element("h2", title)]
    for place, recorded in enumerate(rest_on):
        shown.append(_trial(book, recorded, lacking, pictured=place == 0))
    return shown


def _behind(book: Logbook, ready: Setup, value: Value, now: Standing) -> list[Trial]:
    """Return the trials that a value rests on, the newest first; a carried one has another's."""
    printer, nozzle, spool = (
        owner if name in value.scope else None
        for name, owner in zip(("printer", "nozzle", "spool"), ready.ids, strict=True)
    )
    mine = newest_like(
        book, value.measured_by, _MOST_TRIALS, printer=printer, nozzle=nozzle, spool=spool
    )[::-1]
    if value.of_temperature:
        mine = [recorded for recorded in mine if recorded.temperature_c == ready.temperature_c]
    # Walls are judged with those before them, however each came out.
    pooled = getattr(kept_named(value.measured_by).of(mine[0]), "trials_pooled", 1) if mine else 1
    mine = mine[: max(now.trials, pooled)]
    if now.trial and now.trial not in [recorded.number for recorded in mine]:
        mine.append(trial(book, now.trial))
    return mine


def _trial(book: Logbook, recorded: Trial, lacking: list[str], *, pictured: bool) -> Element:
    """Return one trial; the picture of the newest of its kind has those before it, too."""
    from metier.commands.history import past_sheet

    title = f"Trial {recorded.number}: {recorded.test}, {short_date(recorded.at)}"
    title += "" if recorded.state == "measured" else f", {recorded.state}"
    parts = of_sheet(past_sheet(book, recorded))
    picture = _picture(book, recorded, lacking) if pictured else None
    return element("article", element("h3", title), *parts, picture, _photo(recorded, lacking))


def _picture(book: Logbook, recorded: Trial, lacking: list[str]) -> Element | None:
    """Return the picture of a trial, where its kind has one and something draws."""
    from metier.packages import PLOTS, NotInstalled, require

    if not kind_named(recorded.test).way_of(recorded.settings).draws or not recorded.findings:
        return None
    try:
        require(PLOTS)
        from metier.show.plot import as_svg
        from metier.trials.again import draw_recorded

        svg = as_svg(lambda path: draw_recorded(book, recorded, path))
    except NotInstalled as lack:
        lacking.append(f"pictures are left out: {lack}")
        return None
    except BadInput as refusal:
        lacking.append(f"no picture of trial {recorded.number}: {refusal}")
        return None
    return figure_of(svg, f"trial{recorded.number}", f"Trial {recorded.number}, as it was measured")


def _photo(recorded: Trial, lacking: list[str]) -> Element | None:
    path = photo_of(recorded)
    if not path:
        return None
    from metier.packages import NotInstalled
    from metier.show.photo import photo_figure

    try:
        return photo_figure(path, f"Trial {recorded.number}")
    except (BadInput, NotInstalled) as refusal:
        lacking.append(f"no photo of trial {recorded.number}: {refusal}")
        return element("p", f"Its photo is not here: {refusal}.", kind="quiet")


def _footer(bench: OnBench) -> Element:
    written = f"± holds 95 times in 100. Written by Metier on {bench.today}; this file is whole."
    statuses = (
        "verified: a trial at that value agreed. entered: typed in. advised: found, and not typed "
        "in yet. carried: from another roll, or rescaled. doubtful: what it depends on changed."
    )
    return element("footer", element("p", written), element("p", statuses))
