"""``metier volumetric compare``: the limits known, best first, and what each buys."""

import argparse

from metier.core.line.printed import PrintedLine
from metier.core.values import temperature_matters
from metier.logbook.book import Logbook
from metier.logbook.limits import KnownLimit, known_limits
from metier.logbook.machines import printer_named
from metier.logbook.spools import spool_named
from metier.show.command import proposed
from metier.show.sheet import MARGIN, WIDTH, Sheet, fitted, table
from metier.trials.limit.lines import printed_line
from metier.trials.on_bench import OnBench, on_bench
from metier.words.parser import Answer


def compare(options: argparse.Namespace, book: Logbook) -> Answer:
    """List the limits of the bench's printer and of its spool, or of those named."""
    here = on_bench(book)
    printer, spool = here.bench.printer, here.bench.spool
    if options.printer or options.spool:
        printer = printer_named(book, options.printer) if options.printer else None
        spool = spool_named(book, options.spool) if options.spool else None
    known = known_limits(book, printer, spool)
    if options.printer and options.spool:
        known = [one for one in known if (one.setup.printer, one.setup.spool) == (printer, spool)]
    line, _ = printed_line(options, here)
    now = next((one for one in known if one.setup == here.setup), None)
    base = now or (known[-1] if known else None)
    payload = {"limits": [_object(one, base, line) for one in known]}
    names = " and ".join(one.name for one in (printer, spool) if one)
    title = f"Volumetric limits{f' of {names}' if names else ''}"
    if not known:
        sheet = Sheet(f"{title}: none yet")
        sheet.next("a ramp to print:", proposed("volumetric", "--plan"))
        return Answer(payload, sheet.text())
    sheet = Sheet(title)
    sheet.lines(*_table(known, base, line))
    sheet.gap()
    if line:
        text = f"Speeds for a line of {line.width_mm:g} x {line.layer_mm:g} mm."
        sheet.remark(text)
    what = "the bench now" if now else "the lowest"
    sheet.remark(f"Gain is against {what}, marked *. A limit holds for its temperature.")
    sheet.remark(_advice(here, known, now))
    return Answer(payload, sheet.text())


def _object(
    one: KnownLimit, base: KnownLimit | None, line: PrintedLine | None
) -> dict[str, object]:
    setup = one.setup
    return {
        "printer": setup.printer.name,
        "nozzle": setup.nozzle.name,
        "bore_mm": setup.nozzle.bore_mm,
        "hot_end": setup.nozzle.hot_end,
        "spool": setup.spool.name,
        "temperature_c": setup.temperature_c,
        "limit_mm3_s": one.limit_mm3_s,
        "at_least": one.at_least,
        "status": one.status,
        "since": one.since,
        "trial": one.trial,
        "gain_percent": base and 100 * (one.limit_mm3_s / base.limit_mm3_s - 1),
        "speed_mm_s": line and line.speed_mm_s(one.limit_mm3_s),
    }


def _table(known: list[KnownLimit], base: KnownLimit | None, line: PrintedLine | None) -> list[str]:
    rows = []
    for one in known:
        setup = one.setup
        gain = base and 100 * (one.limit_mm3_s / base.limit_mm3_s - 1)
        limit = f"{'≥ ' if one.at_least else ''}{one.limit_mm3_s:g}"
        rows.append(
            (
                "*" if one is base else "",
                limit,
                "" if one is base or gain is None else f"{gain:+.0f} %",
                f"{line.speed_mm_s(one.limit_mm3_s):.0f}" if line else "",
                setup.nozzle.name,
                setup.nozzle.hot_end or "",
                setup.spool.name,
                "" if setup.temperature_c is None else f"{setup.temperature_c:g} °C",
                "at least" if one.at_least else one.status,
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
        fitted(cells, heads, names, WIDTH, MARGIN) if names else cells,
        right=tuple(shown.index(i) for i in (1, 2, 3) if i in shown),
    )


def _advice(here: OnBench, known: list[KnownLimit], now: KnownLimit | None) -> str:
    """Return what the best row says about this bench, in words."""
    if now is None or here.setup is None:
        return "Choose a bench to compare with it: metier bench."
    hotter = [
        one
        for one in known
        if one.setup._replace(temperature_c=None) == here.setup._replace(temperature_c=None)
        and one.limit_mm3_s > now.limit_mm3_s
    ]
    if hotter:
        best = hotter[0]
        gain = 100 * (best.limit_mm3_s / now.limit_mm3_s - 1)
        then_c, now_c = best.setup.temperature_c, here.setup.temperature_c
        text = f"{then_c:g} °C melts {gain:.0f} % more with this nozzle and roll"
        if temperature_matters(then_c, now_c, here.setup.spool.foaming):
            return f"{text}; flow has to be found anew there."
        return f"{text}."
    return "Nothing known melts more with this nozzle and roll."
