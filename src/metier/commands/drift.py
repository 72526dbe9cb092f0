"""``metier drift``: values over time and rolls: what moves, what lies apart, what is due."""

from argparse import Namespace
from typing import NamedTuple

from metier.clock import local_day
from metier.core.drift import Change, Drift, change_of, drift
from metier.core.errors import BadInput
from metier.logbook.machines import changes
from metier.show.figures import decimals_for, numbers_text, proposed, short_date, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.on_bench import OnBench, add_elsewhere_options, bench_phrase, on_bench_of
from metier.trials.record import (
    MOST_DOTS,
    RECORDS,
    Series,
    days_between,
    learnt_of,
    part_series,
    series_of,
)
from metier.words.arguments import option, small_text
from metier.words.parser import Answer, Parser, add_plot_options, command_parser, existing_logbook

_MONTH_DAYS = 30.44
_FEWEST = 2
# Later than this nobody plans.
_FAR_DAYS = 730.0


class Looked(NamedTuple):
    """A record and what it says; ``now`` is where the axis stands today, ``changes`` what was
    changed on the printer meanwhile, with the values before and after."""

    series: Series
    found: Drift
    now: float
    changes: tuple[tuple[str, Change], ...] = ()


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "drift",
        "Look at values over time: trends, jumps from roll to roll, batches thinner than their "
        "fellows, and which value is due for a check by its own record.",
        "  metier drift                       everything with a record\n"
        "  metier drift diameter --plot d.png\n"
        "  metier drift flow --over metres    along the roll on the bench\n"
        "  metier drift --of globe            prints of one part",
    )
    option(parser, "value VALUE", ", ".join(RECORDS), tuple(RECORDS), nargs="?")
    option(parser, "--of PART", "a real part, print by print", small_text)
    option(parser, "--over", "along what (time)", ("time", "metres"), default="time")
    add_plot_options(parser, "draw the control chart")
    add_elsewhere_options(parser)
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier drift``."""
    along = options.over == "metres"
    if options.of and (options.value or along):
        raise BadInput("--of is a part over time: leave the value and --over out")
    if options.plot and not (options.value or options.of):
        raise BadInput("--plot draws one record: name the value, or --of PART")
    if along and options.value not in (None, "diameter", "flow"):
        raise BadInput("--over metres: diameter and flow know how far along a roll they were found")
    if options.plot:
        from metier.words.parser import check_plot_path

        check_plot_path(options.plot, options.force)
    with existing_logbook(options.logbook) as book:
        bench = on_bench_of(book, options)
        if along and bench.chosen.spool is None:
            raise BadInput("--over metres is along one roll: metier bench --spool, or --spool NAME")
        if options.of:
            return _one(bench, part_series(bench, options.of), options)
        if options.value:
            return _one(bench, series_of(bench, options.value, along=along), options)
        names = [name for name in RECORDS if not along or name in ("diameter", "flow")]
        records = [_looked(bench, series_of(bench, name, along=along)) for name in names]
        return _all(bench, [record for record in records if len(record.series.dots) >= _FEWEST])


def _looked(bench: OnBench, series: Series) -> Looked:
    now = max((dot.at for dot in series.dots), default=0.0)
    if series.per == "days" and series.since:
        now = max(now, days_between(series.since, bench.now.isoformat()))
    return Looked(series, drift(series.dots, series.band, now), now, _changes(bench, series))


def _changes(bench: OnBench, series: Series) -> tuple[tuple[str, Change], ...]:
    """Return the changes noted on the printer that a value hangs on, with what it was before and
    after."""
    printer = bench.chosen.printer
    if printer is None or series.per != "days" or series.name not in RECORDS or not series.dots:
        return ()
    if RECORDS[series.name].of == "rolls":
        return ()
    beside = []
    for noted in changes(bench.book, printer):
        change = change_of(series.dots, days_between(series.since, noted.at))
        if change:
            beside.append((f"{noted.what}, {short_date(noted.at)}", change))
    return tuple(beside)


def _one(bench: OnBench, series: Series, options: Namespace) -> Answer:
    if not series.dots:
        where = "along this roll (--along M with diameter and flow)" if series.per == "m" else "yet"
        raise BadInput(f"{series.name}: nothing was found {where}")
    looked = _looked(bench, series)
    sheet = Sheet(f"Drift of {series.name}{_where(bench)}")
    sheet.remark(f"{series.called}, {series.unit}")
    if len(series.dots) == MOST_DOTS:
        sheet.remark(f"the newest {MOST_DOTS}")
    sheet.gap()
    sheet.lines(*_values(looked))
    sheet.remark("± beside each other: what jaws are off is the same for all.")
    sheet.gap()
    for text, label in _words(looked):
        sheet.note(text, label)
    _learnt(sheet, bench, series.name)
    if options.plot:
        from metier.show.step_plots import plot_drift

        since = "" if series.per == "m" else local_day(series.since)
        axis = f"days since {since}" if since else "metres along the roll"
        title = f"Drift of {series.name}{_where(bench)}"
        plot_drift(options.plot, title, looked.found, f"{series.called} ({series.unit})", axis)
        sheet.note(f"written to {options.plot}", "picture")
    return Answer({"record": _object(looked), **_learnt_object(bench)}, sheet.text())


def _all(bench: OnBench, records: list[Looked]) -> Answer:
    sheet = Sheet(f"Drift{_where(bench)}")
    if not records:
        sheet.remark("Nothing was found twice yet: there is no record to look at.")
    else:
        sheet.gap()
        rows = [_row(record) for record in records]
        sheet.lines(*table(("value", "found", "newest", "", "a month", "due"), rows, (1, 2)))
        sheet.gap()
        named = [(record.series.name, text) for record in records for text, label in _words(record)
                 if label != "due"]  # fmt: skip
        for name, text in named:
            sheet.note(text, name)
        if not named:
            sheet.remark("Nothing moves, jumps or lies apart beyond what chance does.")
    _learnt(sheet, bench, "")
    due = [
        record for record in records if record.found.due_in is not None and record.found.due_in <= 0
    ]
    if due:
        first = min(due, key=lambda looked: looked.found.due_in or 0.0)
        kind = RECORDS[first.series.name].kind
        sheet.next(f"{first.series.name} is due by its own record:", proposed(kind))
    payload = {"records": [_object(record) for record in records], **_learnt_object(bench)}
    return Answer(payload, sheet.text())


def _where(bench: OnBench) -> str:
    return f": {bench_phrase(bench.setup)}" if bench.setup else ""


def _row(looked: Looked) -> tuple[str, ...]:
    newest = looked.found.dots[-1]
    places = decimals_for(1.96 * newest.u)
    trend = looked.found.trend
    slope = ""
    if trend and trend.shows:
        factor = _MONTH_DAYS if looked.series.per == "days" else 100
        slope = f"{factor * trend.slope:+.{places + 1}f}"
    return (
        looked.series.name,
        str(len(looked.found.dots)),
        f"{newest.value:.{places}f}",
        looked.series.unit,
        slope,
        _due_text(looked),
    )


def _due_text(looked: Looked) -> str:
    due = looked.found.due_in
    if due is None or looked.series.per != "days":
        return ""
    if due <= 0:
        return "now"
    return "" if due > _FAR_DAYS else f"in {due:.0f} days"


def _values(looked: Looked) -> list[str]:
    dots = looked.found.dots
    outside = looked.found.chart.outside if looked.found.chart else ()
    rows = []
    for dot in dots[-20:]:
        at = f"{dot.at:.0f} m" if looked.series.per == "m" else f"day {dot.at:.0f}"
        rows.append(
            (
                at,
                with_u95(dot.value, 1.96 * dot.u),
                dot.roll,
                dot.batch or "",
                str(dot.trial),
                "outside" if dot in outside else "",
            )
        )
    return table(("at", looked.series.unit, "roll", "batch", "trial", ""), rows, (0, 1, 4))


def _words(looked: Looked) -> list[tuple[str, str]]:
    """Return what a record says, each with its label."""
    record, unit = looked.found, looked.series.unit
    said: list[tuple[str, str]] = []
    trend = record.trend
    if trend and trend.shows:
        days = looked.series.per == "days"
        factor, per = (_MONTH_DAYS, "a month") if days else (100.0, "per 100 m")
        said.append(
            (f"{with_u95(factor * trend.slope, factor * trend.slope_u95)} {unit} {per}", "trend")
        )
    for batch in record.batches:
        which = "below" if batch.by < 0 else "above"
        said.append(
            (
                f"batch {batch.name} ({', '.join(batch.rolls)}) lies {which} its fellows by "
                f"{with_u95(abs(batch.by), batch.u95)} {unit}",
                "batch",
            )
        )
    jump, apart = record.jump, record.apart
    if jump:
        by = f"{with_u95(jump.by, jump.u95)} {unit}"
        said.append((f"from {jump.roll} on, after {jump.after}: {by}", "jump"))
    if apart:
        by = f"{with_u95(apart.by, apart.u95)} {unit}"
        said.append((f"{apart.roll} lies apart from all others: {by}", "apart"))
    for what, change in looked.changes:
        by = f"{with_u95(change.by, change.u95)} {unit}"
        shown = "" if change.shows else ", which may be chance"
        said.append((f"{what}: {change.before:.4g} before, {change.after:.4g} after: {by}{shown}",
                     "change"))  # fmt: skip
    if record.chart and record.chart.outside:
        outside = [dot.trial for dot in record.chart.outside]
        trials = "trial" if len(outside) == 1 else "trials"
        text = f"{trials} {numbers_text(outside)}: outside of what chance does"
        said.append((text, "outside"))
    due = _due_text(looked)
    if due:
        since = short_date(looked.series.since)
        text = f"due {due}, by how much it moved since {since}"
        said.append((text, "due"))
    return said


def _learnt(sheet: Sheet, bench: OnBench, name: str) -> None:
    """Say by how much prints and rolls differ, as learnt, where that bears on what is shown."""
    learnt = learnt_of(bench) if name in ("", "flow") else None
    if learnt is None:
        return
    prints = f"scatter from print to print; {learnt.prints_text}"
    sheet.row("prints", f"{100 * learnt.print_scatter:.2f} %", prints)
    if learnt.roll_scatter is not None:
        rolls = f"scatter from roll to roll; {learnt.rolls_text}"
        sheet.row("rolls", f"{100 * learnt.roll_scatter:.2f} %", rolls)


def _learnt_object(bench: OnBench) -> dict[str, object]:
    learnt = learnt_of(bench)
    return {
        "print_scatter_percent": learnt and 100 * learnt.print_scatter,
        "roll_scatter_percent": learnt
        and (None if learnt.roll_scatter is None else 100 * learnt.roll_scatter),
    }


def _object(looked: Looked) -> dict[str, object]:
    drift, series = looked.found, looked.series
    trend, chart = drift.trend, drift.chart
    return {
        "name": series.name,
        "unit": series.unit,
        "over": series.per,
        "since": series.since,
        "values": [
            {"at": dot.at, "value": dot.value, "u95": 1.96 * dot.u, "roll": dot.roll,
             "batch": dot.batch, "trial": dot.trial}
            for dot in drift.dots
        ],
        "slope": trend and trend.slope,
        "slope_u95": trend and trend.slope_u95,
        "trend_shows": trend and trend.shows,
        "low": chart and chart.low,
        "high": chart and chart.high,
        "outside": [dot.trial for dot in chart.outside] if chart else [],
        "jump": drift.jump and drift.jump._asdict(),
        "apart": drift.apart and drift.apart._asdict(),
        "changes": [
            {"what": what, **change._asdict(), "by": change.by, "shows": change.shows}
            for what, change in looked.changes
        ],
        "batches": [{**batch._asdict(), "rolls": list(batch.rolls)} for batch in drift.batches],
        "due_in": drift.due_in,
    }  # fmt: skip
