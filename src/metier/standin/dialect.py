"""What the stand-in's board does with each command, and what it answers: plain G-code as hobby
firmware commonly speaks it, in words of its own wherever no program has to understand them. Nothing
that comes in can end it: what is no number is 0, and what is past any bench is cut to it."""

import math
import re
from collections.abc import Callable

from metier.standin.firmware import FACTORY_ACCEL, Firmware

_WORD = re.compile(r"([A-Z])\s*([-+]?\d*\.?\d*)", re.IGNORECASE | re.ASCII)
_CHORD_MM, _MOST_CHORDS = 0.5, 2000
_LONGEST_PAUSE_S = 600.0
# What is asked for while a length is fed is no end of it.
_BESIDE_FEEDING = ("G0", "G1", "M85", "M105", "M155")
# No length, place, speed or time is larger; no heater or gear takes more.
_LARGEST, _HOTTEST_C, _MOST_STEPS = 1e5, 500.0, 1e5
_Words = dict[str, float]
_Said = tuple[list[str], float]
_Command = Callable[[Firmware, _Words], _Said]


def run(board: Firmware, command: str) -> _Said:
    """Run a command at this moment; return what it says, and when it is acknowledged.

    For what waits for heat, `waits` tells whether that has come.
    """
    code, words = _parsed(command)
    if code not in _BESIDE_FEEDING:
        board.close_feed()
    known = _COMMANDS.get(code)
    if known is None:
        return [f"not known here: {command[:40]}"], board.now_s
    return known(board, words)


def waits(board: Firmware, command: str) -> bool:
    """Tell whether a command that waits for heat is still waiting."""
    code, _ = _parsed(command)
    if code == "M109":
        return not board.nozzle.reached()
    return code == "M190" and not board.bed.reached()


def _parsed(command: str) -> tuple[str, _Words]:
    pieces = _WORD.findall(command.partition(";")[0])
    if not pieces or pieces[0][0].upper() not in "GMT" or not pieces[0][1]:
        return "", {}
    words = {letter.upper(): _number(number) for letter, number in pieces[1:]}
    return f"{pieces[0][0].upper()}{_number(pieces[0][1]):.0f}", words


def _number(text: str) -> float:
    """Return a number as a board takes it: none is 0, and none is past any bench."""
    try:
        return max(-_LARGEST, min(_LARGEST, float(text[:40] or 0)))
    except ValueError:
        return 0.0


def _home(board: Firmware, _: _Words) -> _Said:
    board.finish_print()
    board.place.x = board.place.y = board.place.z = 0.0
    return [], board.idle_at_s + 8.0


def _name_place(board: Firmware, words: _Words) -> _Said:
    for axis in "XYZE":
        if axis in words:
            setattr(board.place, axis.lower(), words[axis])
    return [], board.now_s


def _mode(absolute: bool, everything: bool) -> _Command:
    def run(board: Firmware, _: _Words) -> _Said:
        if everything:
            board.place.absolute = absolute
        board.place.absolute_e = absolute
        return [], board.now_s

    return run


def _heat(heater: str) -> _Command:
    def run(board: Firmware, words: _Words) -> _Said:
        wanted_c = words.get("S", words.get("R"))
        if wanted_c is not None:
            getattr(board, heater).target_c = max(0.0, min(wanted_c, _HOTTEST_C))
        if heater == "nozzle" and wanted_c == 0:
            board.finish_print()
        return [], board.now_s

    return run


def _report(board: Firmware, _: _Words) -> _Said:
    return [f"ok {board.temperatures()} @:0 B@:0"], board.now_s


def _steps(board: Firmware, words: _Words) -> _Said:
    if words.get("E", 0.0) > 0:
        board.memory.steps = max(0.01, round(min(words["E"], _MOST_STEPS), 2))
        return [], board.now_s
    return [board.steps_report()], board.now_s


def _store(board: Firmware, _: _Words) -> _Said:
    board.memory.store()
    return ["kept"], board.now_s


def _restore(board: Firmware, _: _Words) -> _Said:
    board.memory.restore()
    return ["as it was kept"], board.now_s


def _factory(board: Firmware, _: _Words) -> _Said:
    board.memory.steps = board.truth.board.factory_steps
    board.memory.accel_mm_s2 = FACTORY_ACCEL
    return ["as it came"], board.now_s


def _settings(board: Firmware, _: _Words) -> _Said:
    return [board.steps_report(), f"M204 P{board.memory.accel_mm_s2:.2f}"], board.now_s


def _accel(board: Firmware, words: _Words) -> _Said:
    wanted = words.get("S") or words.get("P") or board.memory.accel_mm_s2
    board.memory.accel_mm_s2 = max(1.0, wanted)
    return [], board.now_s


def _where(board: Firmware, _: _Words) -> _Said:
    at = board.place
    return [f"X:{at.x:.2f} Y:{at.y:.2f} Z:{at.z:.2f} E:{at.e:.2f}"], board.now_s


def _about(board: Firmware, _: _Words) -> _Said:
    return ["a stand-in printer: one nozzle, one bed"], board.now_s


def _fan(speed: int | None) -> _Command:
    def run(board: Firmware, words: _Words) -> _Said:
        board.fan = int(max(0, min(words.get("S", 255), 255))) if speed is None else speed
        return [], board.now_s

    return run


def _reports(board: Firmware, words: _Words) -> _Said:
    board.reports_every_s = max(0.0, words.get("S", 0.0))
    return [], board.now_s


def _idle(board: Firmware, words: _Words) -> _Said:
    if "S" not in words:
        return [f"M85 S{board.idle_s:g}"], board.now_s
    board.idle_s = max(0.0, words["S"])
    return [], board.now_s


def _motors_off(board: Firmware, _: _Words) -> _Said:
    board.finish_print()
    return [], board.idle_at_s


def _pause(board: Firmware, words: _Words) -> _Said:
    seconds = words.get("S", 0.0) + words.get("P", 0.0) / 1000
    return [], board.idle_at_s + max(0.0, min(seconds, _LONGEST_PAUSE_S))


def _all_done(board: Firmware, _: _Words) -> _Said:
    return [], board.idle_at_s


def _nothing(board: Firmware, _: _Words) -> _Said:
    return [], board.now_s


def _arc(clockwise: bool) -> _Command:
    """Go round an arc about I, J in short chords."""

    def run(board: Firmware, words: _Words) -> _Said:
        place = board.place
        origin = (0.0, 0.0) if place.absolute else (place.x, place.y)
        end_x = origin[0] + words["X"] if "X" in words else place.x
        end_y = origin[1] + words["Y"] if "Y" in words else place.y
        middle_x, middle_y = place.x + words.get("I", 0.0), place.y + words.get("J", 0.0)
        radius = math.hypot(place.x - middle_x, place.y - middle_y)
        begin = math.atan2(place.y - middle_y, place.x - middle_x)
        end = math.atan2(end_y - middle_y, end_x - middle_x)
        way = -1 if clockwise else 1
        turn = way * (way * (end - begin) % (2 * math.pi) or 2 * math.pi)
        pieces = max(1, min(math.ceil(abs(turn) * radius / _CHORD_MM), _MOST_CHORDS))
        fed_mm = words.get("E", 0.0)
        if "E" in words and place.absolute_e:
            fed_mm -= place.e
        modes = place.absolute, place.absolute_e
        place.absolute, place.absolute_e = True, False
        for piece in range(1, pieces + 1):
            angle = begin + turn * piece / pieces
            chord = {
                "X": middle_x + radius * math.cos(angle),
                "Y": middle_y + radius * math.sin(angle),
                "E": fed_mm / pieces,
                "F": words.get("F", 0.0),
            }
            said, until_s = board.move(chord)
        place.absolute, place.absolute_e = modes
        return said, until_s

    return run


_COMMANDS: dict[str, _Command] = {
    "G0": Firmware.move,
    "G1": Firmware.move,
    "G2": _arc(clockwise=True),
    "G3": _arc(clockwise=False),
    "G4": _pause,
    "G21": _nothing,
    "G28": _home,
    "G90": _mode(absolute=True, everything=True),
    "G91": _mode(absolute=False, everything=True),
    "G92": _name_place,
    "M82": _mode(absolute=True, everything=False),
    "M83": _mode(absolute=False, everything=False),
    "M84": _motors_off,
    "M85": _idle,
    "M92": _steps,
    "M104": _heat("nozzle"),
    "M105": _report,
    "M106": _fan(None),
    "M107": _fan(0),
    "M108": _nothing,
    "M109": _heat("nozzle"),
    "M110": _nothing,
    "M114": _where,
    "M115": _about,
    "M117": _nothing,
    "M140": _heat("bed"),
    "M155": _reports,
    "M190": _heat("bed"),
    "M204": _accel,
    "M400": _all_done,
    "M500": _store,
    "M501": _restore,
    "M502": _factory,
    "M503": _settings,
}
