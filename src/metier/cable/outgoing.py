"""What may be sent, and a line taken apart as boards do."""

from typing import NamedTuple

from metier.cable.guard import Command, Guard, Most, called_heater, commands_of
from metier.core.errors import BadInput

# So far below the bed a nozzle would be pressed into it.
_LOWEST_MM = -0.5
_MM_PER_INCH = 25.4
# As near counts as equal: firmware keeps two decimals and more.
_SAME = 2e-4
_REFUSED = {
    500: "M500 writes what the printer carries now into its memory",
    502: "M502 sets everything back to what the board came with",
    23: "M23 opens another file, which may heat",
    24: "M24 prints what lies in the printer, which may heat",
    32: "M32 starts another file, which may heat",
    98: "M98 runs a macro of the printer's own, which may heat",
}
# What takes a material by its number, with the heat that goes with it.
_PRESETS = (104, 109, 140, 141, 190, 191)


class Allowed(NamedTuple):
    """How hot heaters may get, and the e-steps in force, None where they are not known."""

    most: Most
    steps_per_mm: float | None


class Outgoing:
    """Goes through what is sent, line by line, and refuses what nobody can have meant."""

    def __init__(self, allowed: Allowed) -> None:
        self._allowed = allowed
        self._guard = Guard(allowed.most)
        self._absolute, self._unit_mm = True, 1.0
        # Where the nozzle is, and where the program believes it to be.
        self._height_mm, self._named_mm = 0.0, 0.0

    def check(self, line: str) -> None:
        """Take a line.

        Raises:
            BadInput: it heats too hot, or may by what is not seen from here; changes or stores
                e-steps; moves into the bed.
        """
        commands = commands_of(line)
        if line.strip() and not commands and line.strip()[0] not in ";(":
            raise BadInput(f"«{line.strip()[:40]}» is a macro of the printer's own, and may heat")
        for command in commands:
            self._check_heat(command)
            if command.letter == "M":
                self._check_setting(command)
            elif command.letter == "G":
                self._move(command)
        self._guard.sent(line, 0.0)

    def _check_setting(self, command: Command) -> None:
        if command.number in _REFUSED:
            raise BadInput(_REFUSED[command.number])
        if command.number == 92 and "E" in command.words:
            wanted, known = command.words["E"], self._allowed.steps_per_mm
            if known is None or abs(wanted - known) > _SAME * known:
                have = "knows none" if known is None else f"has {known:g} in force"
                raise BadInput(f"M92 sets the e-steps to {wanted:g}; the logbook {have}")
        if command.number in _PRESETS and "I" in command.words:
            raise BadInput(f"{command.code} I takes a heat that is kept in the printer")

    def _check_heat(self, command: Command) -> None:
        heater, target_c = self._guard.heats_to(command)
        most_c = self._allowed.most.of(heater or "T")
        if target_c > most_c + 1e-9:
            called = called_heater(heater)
            raise BadInput(f"{target_c:g} °C is too hot for the {called}: {most_c:g} at most")

    def _move(self, command: Command) -> None:
        number, words = command.number, command.words
        if number in (20, 21):
            self._unit_mm = _MM_PER_INCH if number == 20 else 1.0
        elif number in (90, 91):
            self._absolute = number == 90
        elif number == 28:
            self._height_mm = self._named_mm = 0.0
        elif "Z" in words and number == 92:
            self._named_mm = words["Z"] * self._unit_mm
        elif "Z" in words and number in (0, 1, 2, 3):
            wanted_mm = words["Z"] * self._unit_mm
            way_mm = wanted_mm - self._named_mm if self._absolute else wanted_mm
            self._named_mm += way_mm
            self._height_mm += way_mm
            if self._height_mm < _LOWEST_MM - 1e-9:
                raise BadInput(f"it moves to z {self._height_mm:g} mm, into the bed")
