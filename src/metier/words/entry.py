"""Readings typed one by one: at a terminal, by calipers with a cable, or through a pipe."""

import argparse
import os
import sys
from contextlib import suppress

from metier.core.measure.readings import estimate, suspects
from metier.core.refusal import Refusal
from metier.logbook.drafts import Draft, DraftReading
from metier.logbook.location import locate
from metier.logbook.trials import Reading
from metier.show.sheet import wrapped
from metier.words.asked import Asked

_KEYS = "u takes back, ? explains, an empty line ends."


class Entry:
    """One go at typing readings; the draft is dropped by `recorded`, not before."""

    def __init__(self, options: argparse.Namespace, asked: Asked) -> None:
        self._asked = asked
        self._options = options
        path, own_folder = locate(options.logbook)
        self._draft = Draft(path, asked.test, own_folder)
        self._terminal = sys.stdin.isatty()
        self._taken: list[DraftReading] = []
        self._section = 0

    def readings(self) -> list[Reading]:
        """Ask until an empty line or the pipe's end, and return the readings by place.

        Raises:
            Refusal: no readings, a line in a pipe that is none, or an interrupted entry that
                nobody said what to do with.
            KeyboardInterrupt: the terminal was closed; the draft stays.
        """
        try:
            self._ask()
        except KeyboardInterrupt:
            if self._taken:
                self._answer("\n  kept: the next start offers to go on with them")
            raise
        self._answer("")
        if not self._taken:
            raise Refusal("no readings: none was given, typed or piped in")
        return [
            Reading(one.side, value, one.typed)
            for one in self._taken
            for value in self._asked.read(one.typed)
        ]

    def taken(self) -> tuple[list[tuple[str, str]], list[Reading]]:
        """Return what was typed, line by line with the place each was asked for, and as readings.

        Raises:
            Refusal: as `readings`.
        """
        readings = self.readings()
        return [(one.side, one.typed) for one in self._taken], readings

    def recorded(self) -> None:
        """Drop the draft: its readings are in a trial, or answered without one."""
        self._draft.discard()

    def _ask(self) -> None:
        self._offer_interrupted()
        if self._terminal:
            self._say("\n".join([*wrapped(self._asked.what, "", ""), _KEYS]))
        while True:
            place = self._place()
            if self._terminal:
                self._say(f"  {place:<9}> ", end="")
            line = sys.stdin.readline()
            if not line and self._terminal:
                # Not the empty line that ends an entry: the terminal went away.
                raise KeyboardInterrupt
            if not line.strip():
                if line and not self._in_section() and self._terminal:
                    self._say("  no readings yet")
                    continue
                if line and self._section + 1 < len(self._asked.sections):
                    self._section += 1
                    continue
                break
            self._take(line.strip(), place)

    def _place(self) -> str:
        return self._asked.place(self._in_section(), self._asked.sections[self._section])

    def _in_section(self) -> int:
        """Return how many readings the section has that is asked for now."""
        section = self._asked.sections[self._section]
        return sum(one.side.startswith(section) for one in self._taken)

    def _go_on_at(self, side: str) -> None:
        for number, section in enumerate(self._asked.sections):
            if section and side.startswith(section):
                self._section = number

    def _take(self, typed: str, place: str) -> None:
        if typed.lower() == "u":
            if self._taken:
                gone = self._taken.pop()
                self._go_on_at(gone.side)
                with suppress(OSError):
                    self._draft.take_back()
                self._answer(f"  took back {gone.typed} ({gone.side})")
            return
        if typed == "?":
            self._answer("\n".join(wrapped(self._asked.how, "  ", "  ")))
            return
        try:
            values = self._asked.read(typed)
            for value in values:
                self._asked.check(value, place)
        except Refusal as refusal:
            if not self._terminal:
                raise
            self._say(f"  {refusal}")
            return
        reading = DraftReading(place, typed)
        try:
            self._draft.add(reading)
        except OSError as error:
            self._answer(f"  not kept on disk ({error.strerror}): do not close the terminal")
        self._taken.append(reading)
        self._answer(f"  {self._running()}")

    def _running(self) -> str:
        values = [value for one in self._taken for value in self._asked.read(one.typed)]
        if self._asked.running:
            return self._asked.running(values)
        found = estimate(values, self._asked.instrument)
        text = f"mean {found.value:.3f} mm"
        if len(values) > 1:
            text += f", spread {found.scatter:.3f}, {len(values)} readings"
        odd = [values[i] for i in suspects(values, self._asked.instrument)]
        if odd and values[-1] in odd:
            text += f"   {values[-1]:g}: misread? u takes it back"
        return text

    def _offer_interrupted(self) -> None:
        found = self._draft.interrupted()
        if found is None:
            if self._options.resume:
                raise Refusal("--resume: no interrupted entry is kept")
            return
        shown = " ".join(one.typed for one in found.readings[:8])
        count = len(found.readings)
        many = f"{count} reading{'s' if count > 1 else ''} of an interrupted entry"
        wanted = self._options.resume
        if not wanted and not self._options.afresh:
            if not self._terminal:
                raise Refusal(
                    f"{many} are kept ({shown}): --resume goes on with them, --afresh drops them"
                )
            self._say(f"{many} are kept: {shown}\nGo on with them? [Y/n] ", end="")
            answer = sys.stdin.readline()
            if not answer:
                raise KeyboardInterrupt
            wanted = answer.strip().lower() not in ("n", "no")
        if wanted:
            self._draft.take_over(found)
            self._taken = found.readings
            self._go_on_at(found.readings[-1].side if found.readings else "")
        else:
            os.unlink(found.path)

    def _answer(self, text: str) -> None:
        if self._terminal:
            self._say(text)

    def _say(self, text: str, end: str = "\n") -> None:
        # Standard output is for the answer alone, so that --json stays one object.
        print(text, end=end, file=sys.stderr, flush=True)
