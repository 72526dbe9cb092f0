"""A bench chosen by names: the current one but for what is said otherwise."""

import argparse
from typing import NamedTuple

from metier.core.refusal import Refusal
from metier.logbook.bench import Bench, current_bench, setup
from metier.logbook.book import Logbook
from metier.logbook.machines import (
    Nozzle,
    Printer,
    fitted_nozzle,
    nozzle_named,
    nozzles,
    printer_by_id,
    printer_named,
)
from metier.logbook.spools import Spool, spool_named
from metier.trials.on_bench import OnBench

HOTTEST_C = 500.0


class Names(NamedTuple):
    """What a bench is chosen by; None keeps what is on it."""

    printer: str | None = None
    nozzle: str | None = None
    spool: str | None = None
    temperature_c: float | None = None


def add_elsewhere_options(parser: argparse.ArgumentParser) -> None:
    """Add what looks at another bench without changing the current one."""
    group = parser.add_argument_group("for another bench than the current one")
    group.add_argument("--printer", metavar="PRINTER", help="on this printer")
    group.add_argument("--nozzle", metavar="NOZZLE", help="with this nozzle of it")
    group.add_argument("--spool", metavar="SPOOL", help="of this roll")


def on_bench_of(book: Logbook, options: argparse.Namespace) -> OnBench:
    """Return the bench that a command looks at: the current one, but for what is given.

    Raises:
        Refusal: an unknown name; things that do not go together.
    """
    names = Names(options.printer, options.nozzle, options.spool)
    bench = current_bench(book)
    if any(names):
        bench = chosen(book, bench, names)
    return OnBench(book, bench, setup(bench))


def chosen(book: Logbook, bench: Bench, names: Names) -> Bench:
    """Return a bench with other things on it, by their names.

    A roll brings the temperature it was last printed at.

    Raises:
        Refusal: an unknown name; a nozzle of another printer; several to choose from.
    """
    if names.temperature_c is not None and names.temperature_c > HOTTEST_C:
        hot = f"{names.temperature_c:g} °C is hotter than any nozzle here ({HOTTEST_C:g})"
        raise Refusal(f"--temperature: {hot}")
    if names.nozzle is not None:
        nozzle = nozzle_named(book, names.nozzle)
        owner = printer_by_id(book, nozzle.printer)
        named = printer_named(book, names.printer) if names.printer else bench.printer
        if named is not None and named != owner:
            raise Refusal(f"nozzle {nozzle.name} belongs to {owner.name}, not to {named.name}")
        bench = bench._replace(printer=owner, nozzle=nozzle)
    elif names.printer is not None:
        printer = printer_named(book, names.printer)
        if bench.printer is None or bench.printer.id != printer.id or bench.nozzle is None:
            bench = bench._replace(printer=printer, nozzle=_only_nozzle(book, printer))
    if names.spool is not None:
        bench = _with_spool(bench, spool_named(book, names.spool))
    if names.temperature_c is not None:
        bench = bench._replace(temperature_c=names.temperature_c)
    return bench


def _with_spool(bench: Bench, spool: Spool) -> Bench:
    other = bench.spool is None or bench.spool.id != spool.id
    if other and spool.temperature_c is not None:
        return bench._replace(spool=spool, temperature_c=spool.temperature_c)
    if bench.spool is not None and bench.spool.material != spool.material:
        return bench._replace(spool=spool, temperature_c=None)
    return bench._replace(spool=spool)


def _only_nozzle(book: Logbook, printer: Printer) -> Nozzle:
    found = fitted_nozzle(book, printer)
    if found is None:
        own = ", ".join(nozzle.name for nozzle in nozzles(book, printer))
        raise Refusal(f"{printer.name} has several nozzles ({own}): say which with --nozzle")
    return found
