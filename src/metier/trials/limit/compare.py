"""Limits beside each other, and flows as speeds: answers without a trial."""

from argparse import Namespace

from metier.core.errors import BadInput
from metier.core.line.bead import PrintedLine
from metier.core.values import temperature_matters
from metier.logbook.book import Logbook
from metier.logbook.inforce import KnownLimit, known_limits
from metier.logbook.items import named
from metier.logbook.machines import Printer, Spool
from metier.show.sheet import MARGIN, Sheet, columns, fitted, table
from metier.trials.coupons.beside import beside_table, strengths
from metier.trials.limit.lines import printed_line, speed_table
from metier.trials.limit.settings import KeptLine
from metier.trials.on_bench import OnBench, bench_object, on_bench
from metier.trials.proposals import planning
from metier.words.parser import Answer


def compare(options: Namespace, book: Logbook) -> Answer:
    """List the limits of the bench's printer and of its spool, or of those named."""
    bench = on_bench(book)
    printer, spool = bench.chosen.printer, bench.chosen.spool
    if options.printer or options.spool:
        printer = named(book, Printer, options.printer) if options.printer else None
        spool = named(book, Spool, options.spool) if options.spool else None
    known = known_limits(book, printer, spool)
    if options.printer and options.spool:
        known = [
            limit for limit in known if (limit.setup.printer, limit.setup.spool) == (printer, spool)
        ]
    line, _ = printed_line(options, bench)
    now = next((limit for limit in known if limit.setup == bench.setup), None)
    base = now or (known[-1] if known else None)
    coupons = strengths(book, printer, spool, bench.setup)
    payload: dict[str, object] = {
        "limits": [_object(limit, base, line) for limit in known],
        "strengths": [
            {
                **bench_object(of.setup),
                "trial": of.trial,
                "groups": [group._asdict() for group in of.groups],
                "beside": [row._asdict() for row in of.beside],
            }
            for of in coupons
        ],
    }
    names = " and ".join(item.name for item in (printer, spool) if item)
    title = f"Volumetric limits{f' of {names}' if names else ''}"
    if not known:
        sheet = Sheet(f"{title}: none yet")
        sheet.next("a ramp to print:", planning(bench, "volumetric"))
        return Answer(payload, sheet.text())
    sheet = Sheet(title)
    sheet.lines(*_table(known, base, line))
    sheet.gap()
    if line:
        sheet.remark(f"Speeds for a line of {line.width_mm:g} x {line.layer_mm:g} mm.")
    what = "the bench now" if now else "the lowest"
    sheet.remark(f"Gain is against {what}, marked *. A limit holds for its temperature.")
    sheet.remark(_advice(bench, known, now))
    if coupons:
        sheet.gap()
        sheet.lines("Strength of coupons, MPa", *beside_table(coupons))
        sheet.remark(f"Stronger or weaker is against {coupons[0].called}, of the same flow.")
    return Answer(payload, sheet.text())


def _object(
    limit: KnownLimit, base: KnownLimit | None, line: PrintedLine | None
) -> dict[str, object]:
    setup = limit.setup
    return {
        "printer": setup.printer.name,
        "nozzle": setup.nozzle.name,
        "bore_mm": setup.nozzle.bore_mm,
        "hot_end": setup.nozzle.hot_end,
        "spool": setup.spool.name,
        "temperature_c": setup.temperature_c,
        "limit_mm3_s": limit.limit_mm3_s,
        "at_least": limit.at_least,
        "status": limit.status,
        "since": limit.since,
        "trial": limit.trial,
        "gain_percent": base and 100 * (limit.limit_mm3_s / base.limit_mm3_s - 1),
        "speed_mm_s": line and line.speed_mm_s(limit.limit_mm3_s),
    }


def _table(known: list[KnownLimit], base: KnownLimit | None, line: PrintedLine | None) -> list[str]:
    rows = []
    for known_limit in known:
        setup = known_limit.setup
        gain = base and 100 * (known_limit.limit_mm3_s / base.limit_mm3_s - 1)
        limit = f"{'≥ ' if known_limit.at_least else ''}{known_limit.limit_mm3_s:g}"
        rows.append(
            (
                "*" if known_limit is base else "",
                limit,
                "" if known_limit is base or gain is None else f"{gain:+.0f} %",
                f"{line.speed_mm_s(known_limit.limit_mm3_s):.0f}" if line else "",
                setup.nozzle.name,
                setup.nozzle.hot_end or "",
                setup.spool.name,
                "" if setup.temperature_c is None else f"{setup.temperature_c:g} °C",
                "at least" if known_limit.at_least else known_limit.status,
            )
        )
    header = ("", "mm³/s", "gain", "mm/s", "nozzle", "hot end", "spool", "at", "")
    # A column that nothing is known for tells nothing.
    shown = [i for i in range(len(header)) if i == 0 or any(row[i] for row in rows)]
    heads = tuple(header[i] for i in shown)
    names = tuple(shown.index(i) for i in (4, 5, 6) if i in shown)
    cells = [tuple(row[i] for i in shown) for row in rows]
    return table(
        heads,
        fitted(cells, heads, names, columns(), MARGIN) if names else cells,
        right=tuple(shown.index(i) for i in (1, 2, 3) if i in shown),
    )


def _advice(bench: OnBench, known: list[KnownLimit], now: KnownLimit | None) -> str:
    """Return what the best row says about this bench, in words."""
    if now is None or bench.setup is None:
        return "Choose a bench to compare with it: metier bench."
    hotter = [
        limit
        for limit in known
        if limit.setup._replace(temperature_c=None) == bench.setup._replace(temperature_c=None)
        and limit.limit_mm3_s > now.limit_mm3_s
    ]
    if hotter:
        best = hotter[0]
        gain = 100 * (best.limit_mm3_s / now.limit_mm3_s - 1)
        then_c, now_c = best.setup.temperature_c, bench.setup.temperature_c
        text = f"{then_c:g} °C melts {gain:.0f} % more with this nozzle and roll"
        if temperature_matters(then_c, now_c, bench.setup.spool.foaming):
            return f"{text}; flow has to be found anew there."
        return f"{text}."
    return "Nothing known melts more with this nozzle and roll."


def turned(options: Namespace, book: Logbook) -> Answer:
    """Return the speed that a flow means for a line, or the flow that a speed takes.

    Raises:
        BadInput: not one of the two, or a line that is not known.
    """
    bench = on_bench(book)
    line, notes = printed_line(options, bench)
    if line is None:
        raise BadInput("--width and --layer are needed: the line that is printed")
    limit_mm3_s, speed_mm_s = options.limit, options.speed
    if limit_mm3_s is not None and speed_mm_s is not None:
        raise BadInput("--limit and --speed are turned into each other: give one of them")
    if limit_mm3_s is None and speed_mm_s is None:
        limit_mm3_s = bench.stands("limit").in_force
        if limit_mm3_s is None:
            raise BadInput("give --limit in mm³/s, or --speed in mm/s; no limit is in force here")
    size = f"{line.width_mm:g} x {line.layer_mm:g} mm"
    sheet = Sheet(f"Flow and speed of a line of {size}")
    if speed_mm_s is None:
        assert limit_mm3_s is not None
        speed_mm_s = line.speed_mm_s(limit_mm3_s)
        sheet.row("at", f"{limit_mm3_s:g} mm³/s", f"it may be printed at {speed_mm_s:.0f} mm/s")
    else:
        limit_mm3_s = speed_mm_s * line.area_mm2
        sheet.row("at", f"{speed_mm_s:g} mm/s", f"it takes {limit_mm3_s:.2f} mm³/s")
    model = line.line_model or "not known: width times layer is taken"
    sheet.row("line", f"{line.area_mm2 / line.flow:.4f} mm²", f"line model {model}")
    for note in notes:
        sheet.note(note)
    sheet.gap()
    sheet.lines(*speed_table(bench, limit_mm3_s, KeptLine.of(line, options.width, options.layer)))
    payload = {"flow_mm3_s": limit_mm3_s, "speed_mm_s": speed_mm_s, "area_mm2": line.area_mm2}
    payload |= {
        "width_mm": line.width_mm,
        "layer_mm": line.layer_mm,
        "flow_percent": 100 * line.flow,
    }
    return Answer({**payload, "notes": list(notes)}, sheet.text())
