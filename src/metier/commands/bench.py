"""``metier bench``: choose or show what is in use."""

from argparse import Namespace

from metier.core.errors import BadInput
from metier.formats.quantity import read_positive
from metier.logbook.bench import Bench, choose_bench, choose_late, current_bench, setup
from metier.logbook.book import Logbook
from metier.show.figures import short_date
from metier.show.sheet import Sheet
from metier.trials.dated import bench_at, past_moment, told_late
from metier.trials.on_bench import (
    Names,
    OnBench,
    bench_object,
    bench_phrase,
    chosen,
    how_to_start,
    on_bench,
)
from metier.trials.stations import show_next
from metier.words.arguments import nozzle_heat, option, percent, speed
from metier.words.missing import may_ask
from metier.words.parser import Answer, Parser, command_parser, existing_logbook, logbook_to_write
from metier.words.question import ask


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "bench",
        "Choose the printer, nozzle, spool and nozzle temperature now in use, or show them.",
        "  metier bench --printer heron --spool fern-1 --temperature 210",
    )
    option(parser, "--printer PRINTER")
    option(parser, "--nozzle NOZZLE", "needed when the printer has several")
    option(parser, "--spool SPOOL")
    option(parser, "--temperature C", "of the nozzle, in °C", nozzle_heat)
    option(parser, "--speed MM/S", "that walls are printed at; flow stands for it (else for that "
           "of the first cube)", speed)  # fmt: skip
    option(parser, "--at DATE", "what was on it then: the trials of that day are of it",
           past_moment)  # fmt: skip
    option(parser, "--flow-step PERCENT", "round flow to this (1; small: 0.1)", percent)
    option(parser, "--show-flow", "which form of flow comes first", ("percent", "multiplier"))
    return parser


def run(options: Namespace) -> Answer:
    """Run ``metier bench``."""
    asked = (
        options.printer,
        options.nozzle,
        options.spool,
        options.temperature,
        options.flow_step,
        options.show_flow,
        options.speed,
    )
    if all(value is None for value in asked):
        with existing_logbook(options.logbook) as book:
            if options.at:
                title = f"On the bench, {short_date(options.at)}"
                return _answer(title, bench_at(book, options.at), past=True)
            return _answer("On the bench", on_bench(book))
    _check(options)
    if options.at:
        return _on_it_then(options)
    with logbook_to_write(options.logbook) as book:
        if options.spool and options.temperature is None:
            options.temperature = _asked_temperature(book, options)
        with book.transaction() as moment:
            choose_bench(book, moment, _chosen(book, current_bench(book), options))
        remembered = options.spool and options.temperature is None
        return _answer("On the bench now", on_bench(book), "as last time" if remembered else "")


def _on_it_then(options: Namespace) -> Answer:
    """Note what was on the bench from a day on; what was chosen since stays on it."""
    if options.flow_step is not None or options.show_flow is not None:
        raise BadInput("--flow-step and --show-flow are of today: leave --at out")
    with logbook_to_write(options.logbook) as book:
        with book.transaction() as moment:
            then = _chosen(book, bench_at(book, options.at).chosen, options)
            now_too = choose_late(book, moment, then, options.at)
            told_late(book, moment, options.at)
        title = f"On the bench from {short_date(options.at)} on"
        answer = _answer(title, OnBench(book, then, setup(then)), past=not now_too)
        if now_too:
            return answer
        today = setup(current_bench(book))
        stays = f"Now it is {bench_phrase(today)}, as before." if today else ""
        return answer.with_line(stays)


def _asked_temperature(book: Logbook, options: Namespace) -> float | None:
    """Ask what a roll is printed at that was never on the bench, where somebody sits there."""
    bench = _chosen(book, current_bench(book), options)
    if bench.temperature_c is not None or not may_ask(options.json):
        return None
    try:
        return ask("Nozzle temperature in °C, or Enter if it is not known yet", _temperature)
    except BadInput:
        return None


def _temperature(text: str) -> float:
    return read_positive(text, "temperature", ("c", "°c"))


def _check(options: Namespace) -> None:
    if options.flow_step is not None and not 0.01 <= options.flow_step <= 10:
        raise BadInput(f"--flow-step: {options.flow_step:g} % must be from 0.01 to 10")


def _chosen(book: Logbook, bench: Bench, options: Namespace) -> Bench:
    bench = chosen(
        book, bench, Names(options.printer, options.nozzle, options.spool, options.temperature)
    )
    if options.flow_step is not None:
        bench = bench._replace(flow_step_percent=options.flow_step)
    if options.show_flow is not None:
        bench = bench._replace(show_flow=options.show_flow)
    if options.speed is not None:
        bench = bench._replace(speed_mm_s=options.speed)
    return bench


def _answer(title: str, bench: OnBench, heat_from: str = "", past: bool = False) -> Answer:
    chosen = bench.chosen
    sheet = Sheet(title)
    sheet.row("printer", chosen.printer.name if chosen.printer else "not chosen")
    if chosen.nozzle:
        sheet.row("nozzle", chosen.nozzle.name, f"{chosen.nozzle.bore_mm:g} mm bore")
    else:
        sheet.row("nozzle", "not chosen")
    sheet.row(
        "spool",
        chosen.spool.name if chosen.spool else "not chosen",
        chosen.spool.material if chosen.spool else "",
    )
    heat = chosen.temperature_c
    sheet.row("nozzle at", "not given" if heat is None else f"{heat:g} °C", heat_from)
    sheet.row("flow", f"in steps of {chosen.flow_step_percent:g} %", f"{chosen.show_flow} first")
    if chosen.speed_mm_s is not None:
        sheet.row("walls at", f"{chosen.speed_mm_s:g} mm/s", "flow stands for that")
    if bench.setup is None:
        sheet.next(how_to_start(chosen))
    elif not past:
        show_next(sheet, bench)
    payload = {
        "bench": {
            **bench_object(chosen),
            "flow_step_percent": chosen.flow_step_percent,
            "show_flow": chosen.show_flow,
            "speed_mm_s": chosen.speed_mm_s,
        }
    }
    return Answer(payload, sheet.text())
