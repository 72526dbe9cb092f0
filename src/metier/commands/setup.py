"""``metier setup``: the first start, from a printer and a roll to the first test, asked for."""

import sys
from argparse import Namespace
from collections.abc import Sequence
from types import ModuleType
from typing import Any, NamedTuple

from metier.commands import bench, printer, spool
from metier.core.errors import BadInput
from metier.core.materials import material_of
from metier.logbook.items import free_name, listed
from metier.logbook.machines import Printer, Spool
from metier.words.arguments import bore, celsius, nozzle_heat, option, small_text, steps
from metier.words.doubt import Usual, meant
from metier.words.missing import may_ask
from metier.words.parser import Answer, Parser, command_parser, existing_logbook
from metier.words.question import ask_or_leave

_STEPS = "its e-steps, steps/mm (M92 at its console shows them)"


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "setup",
        "The first start: asks for printer, nozzle, e-steps, bed, roll and temperatures, and ends "
        "at the first test. Enter takes what is usual, or leaves it for later. All of it may be "
        "given as options instead.",
        "  metier setup\n"
        "  metier setup --printer heron --nozzle 0.5 --steps 412 --bed 235x235 \\\n"
        "    --spool fern-1 --material PLA --temperature 210",
    )
    option(parser, "--printer NAME", "what to call the printer (printer)")
    option(parser, "--nozzle BORE", "the bore of its nozzle, in mm", bore)
    option(parser, "--steps S", _STEPS, steps)
    option(parser, "--bed XxY", "its bed, in mm, as 235x235")
    option(parser, "--spool NAME", "what to call the roll (as its material)")
    option(parser, "--material TEXT", "PLA, PETG, …", small_text)
    option(parser, "--temperature C", "of the nozzle, in °C (usual for the material)", nozzle_heat)
    option(parser, "--bed-temperature C", "of the bed (usual for the material)", celsius)
    return parser


class _Asked(NamedTuple):
    """One thing that is asked for: its option, the question, what Enter takes, how it is read."""

    dest: str
    question: str
    usual: str
    read: Any


def run(options: Namespace) -> Answer:
    """Run ``metier setup``."""
    with existing_logbook(options.logbook) as book:
        printers = [known.name.lower() for known in listed(book, Printer)]
        spools = [known.name.lower() for known in listed(book, Spool)]
        if may_ask(options.json):
            _ask(options, printers, spools)
        if options.printer is None:
            options.printer = free_name(book.connection, "printer", "printer")
        if options.spool is None and options.material:
            name = options.material.lower().replace(" ", "-")
            options.spool = free_name(book.connection, "spool", f"{name}-1")
    if options.printer.lower() not in printers:
        _need(options.nozzle, "--nozzle", "the bore of its nozzle, in mm")
        given = _words(options, "nozzle", "steps", "bed")
        _do(printer, options, "add", options.printer, *given)
    if options.spool is None or options.spool.lower() not in spools:
        _need(options.material, "--material", "PLA, PETG, …")
        given = _words(options, "material", "bed_temperature")
        _do(spool, options, "add", options.spool, *given)
    heat_c = options.temperature or material_of(options.material or "").nozzle_c
    chosen = ["--printer", options.printer, "--spool", options.spool]
    heat = [] if heat_c is None else ["--temperature", f"{heat_c:g}"]
    return _do(bench, options, *chosen, *heat)


def _ask(options: Namespace, printers: Sequence[str], spools: Sequence[str]) -> None:
    """Ask for what is not given; of a printer or roll that is known nothing more."""
    print("Enter takes what stands in brackets.", file=sys.stderr)
    _answer(options, _Asked("printer", "A name for the printer", "printer", small_text))
    if options.printer.lower() not in printers:
        _answer(options, _Asked("nozzle", "The bore of its nozzle, in mm", "0.4", bore))
        _answer(options, _Asked("steps", f"{_STEPS[0].upper()}{_STEPS[1:]}", "", steps))
        _answer(options, _Asked("bed", "Its bed, in mm, as 235x235", "", small_text))
    if options.spool is None or options.spool.lower() not in spools:
        _answer(
            options, _Asked("material", "What is the roll made of? PLA, PETG, …", "PLA", small_text)
        )
        name = f"{options.material.lower().replace(' ', '-')}-1"
        _answer(options, _Asked("spool", "A name for the roll", name, small_text))
        usual = material_of(options.material)
        nozzle_c, bed_c = _text(usual.nozzle_c), _text(usual.bed_c)
        _answer(options, _Asked("temperature", "Its nozzle temperature, in °C", nozzle_c,
                                nozzle_heat))  # fmt: skip
        _answer(options, _Asked("bed_temperature", "The bed's, in °C", bed_c, celsius))


def _answer(options: Namespace, asked: _Asked) -> None:
    """Ask for one thing that is not given; Enter takes what is usual, or leaves it out."""
    if getattr(options, asked.dest) is not None:
        return
    enter = f"[{asked.usual}]" if asked.usual else "[later]"
    value = ask_or_leave(f"{asked.question} {enter}", asked.read)
    if value is None and asked.usual:
        value = asked.read(asked.usual)
    if isinstance(asked.read, Usual) and value is not None:
        value = meant(value, asked.read.doubt(asked.dest.replace("_", " "), value), options)
    setattr(options, asked.dest, value)


def _text(heat_c: float | None) -> str:
    return "" if heat_c is None else f"{heat_c:g}"


def _need(value: object, flag: str, meaning: str) -> None:
    if value is None:
        raise BadInput(f"{flag} is needed: {meaning}")


def _words(options: Namespace, *names: str) -> list[str]:
    words = []
    for name in names:
        value = getattr(options, name)
        if value is not None:
            text = f"{value:g}" if isinstance(value, float) else str(value)
            words += [f"--{name.replace('_', '-')}", text]
    return words


def _do(command: ModuleType, options: Namespace, *words: str) -> Answer:
    """Run a command by its words, as a person would; what is unusual was asked about."""
    where = [] if options.logbook is None else ["--logbook", options.logbook]
    told = command.parser().parse_args([*words, *where])
    told.anyway = True
    answer: Answer = command.run(told)
    return answer
