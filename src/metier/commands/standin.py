"""``metier standin``: a stand-in printer with a hidden truth."""

import json
import os
import secrets
import sys
from argparse import Namespace
from contextlib import suppress

from metier.core.errors import BadInput
from metier.formats.quantity import read_count, read_length_mm
from metier.show.figures import proposed
from metier.show.sheet import Sheet, clean
from metier.standin.folder import StandinFolder, new_state
from metier.standin.truth import FILAMENTS, ITEMS, Fitted
from metier.standin.wire import FAULTS
from metier.trials.on_bench import add_elsewhere_options
from metier.words.arguments import length, needed, option, option_reader, positive
from metier.words.entry import ending_as_by_ctrl_c
from metier.words.parser import Actions, Answer, Parser

FOLDER = "metier-standin"
# What pen marks are set at, where nobody says.
_MARK_MM = 180.0
_MOST_SEED, _MOST_FAST = 999_999_999, 100_000.0
_BORES_MM = (0.1, 2.0)
# How long the longest print off a card takes, in our time.
_PRINTS_S = 600.0
_AT_WORK = "the stand-in is at work: wait until it is done"
# What calipers and the like can be asked for; the module that knows is slow to load.
WHAT = (
    *("left", "cut", "strand", "zero", "walls", "heights"),
    *("dull", "plate", "foot", "pairs", "mass"),
    *("metre", "steps", "along"),
)


def parser() -> Parser:
    """Return the parser of this command."""
    top = Parser(
        "metier standin", "A stand-in printer: it prints, it can be measured, it hides a truth."
    )
    actions = Actions(top)
    start = actions.add(
        "start",
        "let it run; it says where it listens, and goes on until it is stopped (Ctrl-C)",
        "  metier standin start --seed 7 --fast 20",
    )
    option(start, "--seed N", "which one", option_reader(read_count, _MOST_SEED))
    option(start, "--tcp PORT", "listen there, on this machine alone, instead of on a "
           "pseudo-terminal (0: any)", option_reader(read_count, 65535, 0))  # fmt: skip
    option(start, "--fast TIMES", "how much faster its time goes (1)", positive)
    option(start, "--faults FAULT", f"a bad cable: {', '.join(FAULTS)}; alone, all of them",
           FAULTS, nargs="*")  # fmt: skip
    option(start, "--filament", "what its first roll is (pla)", FILAMENTS)
    option(start, "--bore MM", "its nozzle (0.5)", option_reader(_bore))
    option(start, "--until-closed", "stop once standard input ends")
    card = actions.add(
        "print",
        "print a file off a card, without a cable and without waiting for its time",
        "  metier standin print plate.gcode",
    )
    needed(card, "file FILE", "what to print, G-code")
    actions.add("stop", "stop it; it goes on another time", "  metier standin stop")
    measure = actions.add(
        "measure",
        "what calipers, ruler, scale or fingers show of the newest length fed or the newest print",
        "  metier standin measure walls | metier flow --trial 4",
    )
    needed(measure, "what WHAT", ", ".join(WHAT), WHAT)
    option(measure, "--mark MM", f"where the pen mark was, for left ({_MARK_MM:g})", length)
    swap = actions.add(
        "swap", "fit another board, gear, nozzle or roll", "  metier standin swap roll"
    )
    needed(swap, "item ITEM", ", ".join(ITEMS), ITEMS)
    option(swap, "--filament", "what the new roll is", FILAMENTS)
    option(swap, "--bore MM", "the bore of the new nozzle", option_reader(_bore))
    actions.add(
        "power", "cut its power and give it back: what was not stored is lost",
        "  metier standin power",
    )  # fmt: skip
    reveal = actions.add(
        "reveal",
        "lay what was found beside what is true; there is nothing left to guess afterwards",
        "  metier standin reveal",
    )
    add_elsewhere_options(reveal)
    for action in actions.made:
        option(action, "--folder DIR", f"where it is kept ({FOLDER})", default=FOLDER)
    return top


def run(options: Namespace) -> Answer:
    """Run ``metier standin``."""
    if options.action == "reveal":
        from metier.commands.standin_true import reveal

        return reveal(options)
    return _ACTIONS[options.action](options, StandinFolder(options.folder))


def _bore(text: str, what: str) -> float:
    bore_mm = read_length_mm(text, what)
    low_mm, high_mm = _BORES_MM
    if not low_mm <= bore_mm <= high_mm:
        raise BadInput(f"{bore_mm:g} mm is no bore from {low_mm:g} to {high_mm:g}")
    return bore_mm


def _start(options: Namespace, folder: StandinFolder) -> Answer:
    from metier.standin.machine import Machine
    from metier.standin.serving import Control, Server
    from metier.standin.wire import Cable, Tcp, Terminal

    fast = options.fast or 1.0
    if fast > _MOST_FAST:
        raise BadInput(f"--fast: {fast:g} is more than {_MOST_FAST:g}")
    with folder.hold():
        if folder.exists():
            state = folder.load()
            if options.seed not in (None, state.seed) or options.filament or options.bore:
                raise BadInput(
                    f"the stand-in in {options.folder} has seed {state.seed} already: leave --seed "
                    "out to go on with it, or name another --folder"
                )
        else:
            seed = options.seed or secrets.randbelow(10_000) + 1
            fitted = Fitted(filament=options.filament or "pla", bore_mm=options.bore or 0.5)
            state = new_state(seed, fitted)
            folder.save(state)
        faults = FAULTS if options.faults == [] else tuple(options.faults or ())
        wire = Terminal() if options.tcp is None else Tcp(options.tcp)
        control = Control()
        folder.say_running(wire.port, control.port)
        _say(options, wire.port, state.seed, state.fitted, fast)
        machine = Machine(folder, state)
        leash = sys.stdin.fileno() if options.until_closed else None
        server = Server(machine, wire, control, Cable(faults, state.seed), fast, leash)
        with suppress(KeyboardInterrupt), ending_as_by_ctrl_c():
            server.run()
        with suppress(KeyboardInterrupt):
            machine.save()
        wire.close()
        control.close()
    # All was said when it began.
    return Answer(None, "" if options.json else "\nStopped. It goes on with: metier standin start")


def _say(options: Namespace, port: str, seed: int, fitted: Fitted, fast: float) -> None:
    """Say where it listens before anything else: whoever waits for it reads that."""
    if options.json:
        print(json.dumps({"port": port, "seed": seed, "folder": options.folder}), flush=True)
        return
    sheet = Sheet("The stand-in printer runs")
    sheet.row("port", port)
    sheet.row("seed", str(seed), f"kept in {options.folder}")
    sheet.row("roll", fitted.filament)
    sheet.row("nozzle", f"{fitted.bore_mm:g} mm")
    sheet.row("time", f"x {fast:g}")
    sheet.next(
        "in another terminal, where it stands for a printer of the logbook:",
        proposed("cable", "set", "heron", "--port", port),
    )
    print(f"{clean(sheet.text())}\n\nCtrl-C stops it.", flush=True)


def _print(options: Namespace, folder: StandinFolder) -> Answer:
    path = os.path.abspath(options.file)
    running = folder.running()
    if running:
        from metier.standin.serving import tell

        word, *said = tell(running[1], "print", path, patience_s=_PRINTS_S).split(" ", 1)
        if word != "printed":
            raise BadInput(said[0].replace(path, options.file) if word == "refused" else _AT_WORK)
        lines, minutes = said[0].split(" ")
    else:
        from metier.standin.machine import Machine, print_card

        with folder.hold():
            printed = print_card(Machine(folder, folder.load()), options.file, lambda: False)
        lines, minutes = str(printed.lines), f"{printed.minutes:.1f}"
    payload = {"file": options.file, "lines": int(lines), "minutes": float(minutes)}
    return Answer(
        payload, f"Printed {options.file} off a card: {lines} lines, {minutes} min of its time."
    )


def _stop(options: Namespace, folder: StandinFolder) -> Answer:
    _told(options, folder, "stop")
    return Answer({"stopped": True}, "Stopped. It goes on with: metier standin start")


def _measure(options: Namespace, folder: StandinFolder) -> Answer:
    from metier.standin.measuring import measure

    if options.mark is not None and options.what != "left":
        raise BadInput("--mark goes with left")
    shown = measure(folder, folder.load(), options.what, options.mark or _MARK_MM)
    folder.note_measured(options.what, " ".join(reading or "/" for reading in shown))
    return Answer({"what": options.what, "readings": shown}, "\n".join(shown))


def _swap(options: Namespace, folder: StandinFolder) -> Answer:
    if options.filament and options.item != "roll":
        raise BadInput("--filament goes with roll")
    if options.bore and options.item != "nozzle":
        raise BadInput("--bore goes with nozzle")
    bore = f"{options.bore:g}" if options.bore else ""
    running = folder.running()
    if running:
        _told(options, folder, "swap", options.item, options.filament or "", bore)
    else:
        from metier.standin.machine import swapped

        with folder.hold():
            folder.save(swapped(folder.load(), options.item, options.filament, options.bore))
    fitted = folder.load().fitted
    told = {
        "board": "printer changed NAME --what mainboard",
        "gear": "printer changed NAME --what extruder",
        "nozzle": "printer changed NAME --what nozzle",
        "roll": "spool add, then metier bench",
    }
    sheet = Sheet(f"The stand-in has another {options.item}")
    sheet.remark("It was switched off for that: what was not stored is lost.")
    sheet.next("tell the logbook:", f"metier {told[options.item]}")
    return Answer({"swapped": options.item, "fitted": fitted._asdict()}, sheet.text())


def _power(options: Namespace, folder: StandinFolder) -> Answer:
    if folder.running():
        _told(options, folder, "power")
    else:
        with folder.hold():
            state = folder.load()
            memory = state.memory
            memory.restore()
            folder.save(state.keeping(memory))
    return Answer({"power": "back"}, "Its power was cut and is back: what was not stored is lost.")


def _told(options: Namespace, folder: StandinFolder, *words: str) -> None:
    from metier.standin.serving import tell

    running = folder.running()
    if running is None:
        folder.load()
        raise BadInput(f"the stand-in in {options.folder} does not run: metier standin start")
    tell(running[1], *words)


_ACTIONS = {
    "start": _start,
    "print": _print,
    "stop": _stop,
    "measure": _measure,
    "swap": _swap,
    "power": _power,
}
