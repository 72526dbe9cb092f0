"""``metier cable``: the printer on its serial line or URL."""

from argparse import Namespace

from metier.core.errors import BadInput
from metier.logbook.items import listed, named
from metier.logbook.location import locate
from metier.logbook.machines import Printer, set_printer
from metier.show.figures import proposed
from metier.show.sheet import Sheet, listing
from metier.trials.cabled import SLOWLY_MM_S, Cabled, cabled, heating_bar, still_hot
from metier.words.arguments import (
    BAUD,
    add_cable_options,
    baud,
    celsius,
    needed,
    option,
    port,
    signed_length,
    speed,
)
from metier.words.parser import Actions, Answer, Parser, existing_logbook

_MOST_FED_MM = 2000.0


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser(
        "metier cable", "The printer on its cable: its e-steps, its heat, feeding, printing."
    )
    actions = Actions(top)
    put = actions.add(
        "set",
        "say where a printer is plugged in, once",
        "  metier cable set heron --port /dev/ttyACM0\n"
        "  metier cable set heron --port socket://192.168.1.20:7125",
    )
    needed(put, "name PRINTER", "which printer")
    needed(put, "--port PORT", "a device (/dev/ttyACM0, COM3), or socket://HOST:PORT, "
           "rfc2217://HOST:PORT", port)  # fmt: skip
    option(put, "--baud N", f"speed of the line ({BAUD})", baud)
    actions.add("ports", "list what is plugged in", "  metier cable ports")
    actions.add("show", "show where printers are plugged in", "  metier cable show")
    steps = actions.add(
        "steps",
        "read the e-steps it carries and hold them against the logbook; with a value, set and "
        "store it, read it back and record it as entered",
        "  metier cable steps\n  metier cable steps 426.5\n  metier cable steps --advised",
    )
    option(steps, "value VALUE", "steps/mm to set and store", nargs="?")
    option(steps, "--advised", "what was advised and not yet set")
    heat = actions.add(
        "heat",
        "heat the nozzle, wait until it is hot, and leave it so until metier cable off",
        "  metier cable heat 210",
    )
    needed(heat, "celsius C", "how hot, in °C", celsius)
    fed = actions.add("feed", "feed a length of filament", "  metier cable feed 150")
    needed(fed, "length MM", "how much, in mm", signed_length)
    option(fed, "--rate MM/S", f"how fast ({SLOWLY_MM_S:g} mm/s)", speed)
    said = actions.add(
        "send", "send a line of G-code and show what it says", "  metier cable send 'M503'"
    )
    needed(said, "gcode GCODE", "the line, in quotes")
    job = actions.add("print", "print a file of G-code", "  metier cable print tube.gcode")
    needed(job, "file FILE", "what to print")
    option(job, "--keep-hot", "leave on what the file leaves on at its end")
    off = actions.add("off", "switch heaters, fan and motors off", "  metier cable off")
    for action in (steps, heat, said, job):
        option(action, "--anyway", "what is hotter or otherwise unusual is meant")
    for action in (steps, heat, fed, said, job, off):
        option(action, "--printer PRINTER", "which printer (on the bench)")
        add_cable_options(action)
    return top


def run(options: Namespace) -> Answer:
    """Run ``metier cable``."""
    if options.action == "steps":
        from metier.commands.cable_work import steps

        return steps(options)
    if options.action == "print":
        from metier.commands.cable_work import print_file

        return print_file(options)
    own = {"set": _set, "ports": _ports, "show": _show}
    if options.action in own:
        return own[options.action](options)
    with existing_logbook(options.logbook) as book:
        spoken_to = cabled(book, options)
    spoken = {"heat": _heat, "feed": _feed, "send": _send, "off": _off}
    return spoken[options.action](options, spoken_to)


def _set(options: Namespace) -> Answer:
    with existing_logbook(options.logbook) as book:
        printer = named(book, Printer, options.name)
        given = {"port": options.port, "baud": options.baud}
        with book.transaction() as moment:
            printer = set_printer(book, moment, printer, given)
        sheet = Sheet(f"Printer {printer.name} is on its cable")
        sheet.row(
            "port", printer.port or "", "" if printer.baud is None else f"{printer.baud} baud"
        )
        sheet.next("what does it carry?", proposed("cable", "steps"))
        return Answer(
            {"printer": printer.name, "port": printer.port, "baud": printer.baud or BAUD},
            sheet.text(),
        )


def _ports(_: Namespace) -> Answer:
    from serial.tools.list_ports import comports

    ports = sorted(comports(), key=lambda port: port.device)
    rows = [(port.device, port.description or "") for port in ports]
    text = listing(("port", "what it says it is"), rows, (1,))
    return Answer(
        {"ports": [{"port": port, "description": words} for port, words in rows]},
        text or "Nothing is plugged in that is a serial line.",
    )


def _show(options: Namespace) -> Answer:
    from metier.cable.log import log_beside

    with existing_logbook(options.logbook) as book:
        known = [printer for printer in listed(book, Printer) if printer.port]
    rows = [(printer.name, printer.port or "", str(printer.baud or BAUD)) for printer in known]
    text = listing(("printer", "port", "baud"), rows, (0, 1))
    if not rows:
        text = "No printer is on a cable yet: metier cable set heron --port /dev/ttyACM0"
    log = log_beside(locate(options.logbook).path)
    printers_set = [{"printer": a, "port": b, "baud": int(c)} for a, b, c in rows]
    return Answer(
        {"printers": printers_set, "log": log},
        f"{text}\n\nWhat is sent and received is written to {log}",
    )


def _heat(options: Namespace, spoken_to: Cabled) -> Answer:
    from metier.cable.talking import heat_to

    spoken_to.check(f"M104 S{options.celsius:g}")
    with spoken_to.linked() as link, heating_bar(options.celsius) as watch:
        heat = heat_to(link, options.celsius, watch)
        link.guard.keeps = options.celsius > 0
    text = f"The nozzle of {spoken_to.name} is at {heat.nozzle_c:.0f} °C"
    stays = " and stays on: metier cable off ends that." if options.celsius else "."
    return Answer(
        {"printer": spoken_to.name, "nozzle_c": heat.nozzle_c, "target_c": options.celsius},
        text + stays,
    )


def _feed(options: Namespace, spoken_to: Cabled) -> Answer:
    from metier.cable.talking import feed

    length_mm, rate_mm_s = options.length, options.rate or SLOWLY_MM_S
    if not 0 < abs(length_mm) <= _MOST_FED_MM:
        raise BadInput(f"{length_mm:g} mm: feed up to {_MOST_FED_MM:g} mm, or as much back")
    line = spoken_to.linked()
    with line as link:
        feed(link, length_mm, rate_mm_s)
    what = "Fed" if length_mm > 0 else "Drawn back"
    return Answer(
        {"printer": spoken_to.name, "fed_mm": length_mm, "rate_mm_s": rate_mm_s},
        f"{what} {abs(length_mm):g} mm at {rate_mm_s:g} mm/s.",
    ).with_line(still_hot(line.left))


def _send(options: Namespace, spoken_to: Cabled) -> Answer:
    command = options.gcode.strip()
    if not command or not command.isascii() or not command.isprintable() or ";" in command:
        raise BadInput(f"{command[:40]!r} is no line of G-code")
    spoken_to.check(command)
    line = spoken_to.linked()
    with line as link:
        said = link.ask(command)
    payload = {"printer": spoken_to.name, "sent": command, "said": said}
    return Answer(payload, "\n".join(said)).with_line(still_hot(line.left))


def _off(_: Namespace, spoken_to: Cabled) -> Answer:
    from metier.cable.talking import quiet_down

    with spoken_to.linked(urgent=True) as link:
        link.guard.must_be_off()
        for command in link.guard.off_commands():
            link.ask(command)
        quiet_down(link)
    return Answer(
        {"printer": spoken_to.name, "off": True},
        f"{spoken_to.name} is off: heaters, fan and motors.",
    )
