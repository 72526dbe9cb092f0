"""``metier bench``: choose or show what is in use."""

import argparse

from metier.core.refusal import Refusal
from metier.logbook.bench import Bench, choose_bench, current_bench, setup
from metier.logbook.book import Logbook
from metier.logbook.machines import (
    Printer,
    fitted_nozzle,
    nozzle_named,
    nozzles,
    printer_by_id,
    printer_named,
)
from metier.logbook.spools import spool_named
from metier.show.sheet import Sheet
from metier.trials.on_bench import bench_object, how_to_start
from metier.words.arguments import percent, temperature
from metier.words.parser import Answer, Parser, command_parser, existing_logbook, logbook_to_write

HOTTEST_C = 500.0


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "bench",
        "Choose the printer, nozzle, spool and nozzle temperature now in use, or show them.",
        "  metier bench --printer heron --spool fern-1 --temperature 210",
    )
    parser.add_argument("--printer", metavar="PRINTER")
    parser.add_argument("--nozzle", metavar="NOZZLE", help="needed when the printer has several")
    parser.add_argument("--spool", metavar="SPOOL")
    parser.add_argument("--temperature", type=temperature, metavar="C", help="of the nozzle, in °C")
    parser.add_argument(
        "--flow-step", type=percent, metavar="PERCENT", help="round flow to this (1; small: 0.1)"
    )
    parser.add_argument(
        "--show-flow", choices=("percent", "multiplier"), help="which form of flow comes first"
    )
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier bench``."""
    asked = (
        options.printer,
        options.nozzle,
        options.spool,
        options.temperature,
        options.flow_step,
        options.show_flow,
    )
    if all(value is None for value in asked):
        with existing_logbook(options.logbook) as book:
            return _answer("On the bench", current_bench(book))
    _check(options)
    with logbook_to_write(options.logbook) as book, book.transaction():
        bench = _chosen(book, current_bench(book), options)
        choose_bench(book, bench)
    return _answer("On the bench now", bench)


def _check(options: argparse.Namespace) -> None:
    if options.temperature is not None and options.temperature > HOTTEST_C:
        raise Refusal(
            f"--temperature: {options.temperature:g} °C is hotter than any nozzle here "
            f"({HOTTEST_C:g})"
        )
    if options.flow_step is not None and not 0.01 <= options.flow_step <= 10:
        raise Refusal(f"--flow-step: {options.flow_step:g} % must be from 0.01 to 10")


def _chosen(book: Logbook, bench: Bench, options: argparse.Namespace) -> Bench:
    if options.nozzle is not None:
        nozzle = nozzle_named(book, options.nozzle)
        owner = printer_by_id(book, nozzle.printer)
        named = printer_named(book, options.printer) if options.printer else bench.printer
        if named is not None and named != owner:
            raise Refusal(f"nozzle {nozzle.name} belongs to {owner.name}, not to {named.name}")
        bench = bench._replace(printer=owner, nozzle=nozzle)
    elif options.printer is not None:
        printer = printer_named(book, options.printer)
        if bench.printer is None or bench.printer.id != printer.id or bench.nozzle is None:
            bench = bench._replace(printer=printer, nozzle=fitted_nozzle(book, printer))
            _refuse_open_nozzle(book, bench, printer)
    if options.spool is not None:
        spool = spool_named(book, options.spool)
        if bench.spool is not None and bench.spool.material != spool.material:
            bench = bench._replace(temperature_c=None)
        bench = bench._replace(spool=spool)
    if options.temperature is not None:
        bench = bench._replace(temperature_c=options.temperature)
    if options.flow_step is not None:
        bench = bench._replace(flow_step_percent=options.flow_step)
    if options.show_flow is not None:
        bench = bench._replace(show_flow=options.show_flow)
    return bench


def _refuse_open_nozzle(book: Logbook, bench: Bench, printer: Printer) -> None:
    if bench.nozzle is None:
        own = ", ".join(nozzle.name for nozzle in nozzles(book, printer))
        raise Refusal(f"{printer.name} has several nozzles ({own}): say which with --nozzle")


def _answer(title: str, bench: Bench) -> Answer:
    sheet = Sheet(title)
    sheet.row("printer", bench.printer.name if bench.printer else "not chosen")
    if bench.nozzle:
        sheet.row("nozzle", bench.nozzle.name, f"{bench.nozzle.bore_mm:g} mm bore")
    else:
        sheet.row("nozzle", "not chosen")
    sheet.row(
        "spool",
        bench.spool.name if bench.spool else "not chosen",
        bench.spool.material if bench.spool else "",
    )
    heat = bench.temperature_c
    sheet.row("nozzle at", "not given" if heat is None else f"{heat:g} °C")
    sheet.row("flow", f"in steps of {bench.flow_step_percent:g} %", f"{bench.show_flow} first")
    if setup(bench) is None:
        sheet.next(how_to_start(bench))
    else:
        sheet.next("e-steps, then flow; or what is in force here by now:", "metier profile")
    payload = {
        "bench": {
            **bench_object(bench),
            "flow_step_percent": bench.flow_step_percent,
            "show_flow": bench.show_flow,
        }
    }
    return Answer(payload, sheet.text())
