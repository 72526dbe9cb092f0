"""Readings typed one by one, and kept meanwhile."""

import json
import re
import signal
import sys
from argparse import Namespace
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from typing import TYPE_CHECKING, Self

from metier.core.errors import BadInput, Failure
from metier.core.looks import LOOKS
from metier.core.measure.readings import estimate, suspects
from metier.formats.quantity import plain_line
from metier.logbook.drafts import Draft, DraftFor, DraftReading, Interrupted
from metier.logbook.location import locate
from metier.logbook.trials import Reading
from metier.show.figures import flat, labelled
from metier.show.sheet import clean, wrapped
from metier.words.missing import Asked
from metier.words.typed_line import typed_line

if TYPE_CHECKING:
    from metier.words.typed_line import Lines


# What a refusal offers in the place of a slip.
_OFFERED = re.compile(r"was it ([0-9.]+)\?$")
_KEYS = "u takes back, ? explains, an empty line ends."
# Where words of how a print looks are kept among the readings.
_LOOKS = "looks"
# What leaves a place out.
_LEFT_OUT = "-"


class Entry:
    """One go at typing readings; the draft is dropped by `recorded`, not before.

    ``meant`` is what they are typed for, ``recorded`` tells of a draft's name whether a trial was
    made of it already. ``lines`` are those that come from elsewhere as if they were typed.
    """

    def __init__(
        self,
        options: Namespace,
        asked: Asked,
        meant: DraftFor,
        recorded: Callable[[str], bool],
        lines: "Lines | None" = None,
    ) -> None:
        self._asked = asked
        self._options = options
        self._lines, self._number = lines, 0
        self._meant = meant
        path, own_folder = locate(options.logbook)
        self._draft = Draft(path, meant, own_folder, recorded)
        self._terminal = sys.stdin.isatty()
        self._taken: list[DraftReading] = []
        self._counts = [0] * len(asked.sections)
        self._section = 0
        # How many readings everything was done for that has to be done before.
        self._ready_for = 0
        self._done = False
        self._offered = self._refused = self._elsewhere = ""

    @property
    def draft(self) -> str:
        """The name of the draft, for the trial to carry."""
        return self._draft.name

    def readings(self) -> list[Reading]:
        """Ask until an empty line or the pipe's end, and return the readings by place.

        Raises:
            BadInput: no readings, a line in a pipe that is none, or an interrupted entry that
                nobody said what to do with.
            KeyboardInterrupt: the terminal was closed; the draft stays.
        """
        try:
            self._ask()
        except KeyboardInterrupt as stop:
            self._answer("")
            if self._taken:
                stop.add_note("what was typed is kept: the next start offers to go on with it")
            raise
        self._answer("")
        if not self._typed():
            raise BadInput("no readings: none was given, typed or piped in")
        return [
            Reading(reading.side, value, reading.typed)
            for reading in self._typed()
            for value in self._asked.read(reading.typed)
        ]

    def _typed(self) -> list[DraftReading]:
        """Return the readings without the places that were left out."""
        return [
            reading
            for reading in self._taken
            if reading.side != _LOOKS
            and (self._asked.elsewhere is None or reading.typed != _LEFT_OUT)
        ]

    def looks(self) -> list[str]:
        """Return the words that were typed of how the print looks."""
        said = [reading.typed for reading in self._taken if reading.side == _LOOKS]
        return [word for text in said for word in text.split()]

    def taken(self) -> tuple[list[tuple[str, str]], list[Reading]]:
        """Return what was typed, line by line with the place each was asked for, and as readings.

        Raises:
            BadInput: as `readings`.
        """
        # Taking them is what fills in what was typed.
        readings = self.readings()
        return [(reading.side, reading.typed) for reading in self._typed()], readings

    def __enter__(self) -> Self:
        return self

    def __exit__(self, _: object, error: object, __: object) -> None:
        if isinstance(error, Failure | BadInput) and self._taken and not self._done:
            error.add_note("what was typed is kept: --resume goes on with it")
        self._draft.close()

    def recorded(self) -> None:
        """Drop the draft: its readings are in a trial, or answered without one."""
        self._done = True
        self._draft.discard()

    def _ask(self) -> None:
        self._offer_interrupted()
        if self._terminal:
            keys = f"{_LEFT_OUT} leaves a place out, {_KEYS}" if self._asked.elsewhere else _KEYS
            self._say("\n".join([*wrapped(self._asked.what, "", ""), keys]))
        while not self._enough() and self._made_ready():
            place = self._place()
            if self._terminal:
                self._say(f"  {place:<9}> ", end="")
            self._number += 1
            try:
                raw = typed_line(self._asked.meanwhile, self._lines)
            except BadInput as refusal:
                self._refuse(refusal)
                continue
            line = plain_line(raw)
            if raw.strip() and not line:
                # The frame of a message that has nothing in it.
                continue
            if not line:
                empty = not self._in_section() and not self._may_be_empty()
                if raw and empty and self._terminal:
                    self._say("  no readings yet")
                    continue
                if raw and self._section + 1 < len(self._asked.sections):
                    self._section += 1
                    self._note_section()
                    continue
                break
            self._take(line, place)

    def _refuse(self, refusal: BadInput, more: str = "") -> None:
        """Say what is wrong with a line and go on; a pipe cannot answer.

        Raises:
            BadInput: with the number of the line, which nobody sees there.
        """
        if not self._terminal:
            raise BadInput(f"line {self._number}: {refusal}") from None
        self._say(f"  {refusal}{more}")

    def _enough(self) -> bool:
        enough = self._asked.enough
        return enough is not None and enough(self._values())

    def _made_ready(self) -> bool:
        """Do what has to be done before the next reading, once; tell whether to go on."""
        number = self._in_section()
        if self._asked.before is None or number < self._ready_for:
            return True
        self._ready_for = number + 1
        return self._asked.before(number)

    def _may_be_empty(self) -> bool:
        return self._asked.sections[self._section] in self._asked.optional

    def _place(self) -> str:
        return self._asked.place(self._in_section(), self._asked.sections[self._section])

    def _in_section(self) -> int:
        """Return how many readings the section has that is asked for now."""
        return self._counts[self._section]

    def _section_of(self, side: str) -> int:
        for number, section in enumerate(self._asked.sections):
            if section and side.startswith(section):
                return number
        return self._section

    def _count(self, side: str, more: int) -> None:
        """Count a reading taken or taken back, and go on where it belongs."""
        if side == _LOOKS:
            return
        self._section = self._section_of(side)
        self._counts[self._section] += more

    def _take(self, typed: str, place: str) -> None:
        if typed.lower() == "u":
            self._take_back()
            return
        if typed.lower() in ("y", "yes") and self._offered:
            typed = self._offered
            if self._elsewhere:
                place = self._leave_out_to(self._elsewhere)
        meant = typed == self._refused
        self._offered = self._elsewhere = self._refused = ""
        words = typed.lower().split()
        if getattr(self._options, "looks", None) is None and all(word in LOOKS for word in words):
            self._keep(_LOOKS, " ".join(words))
            self._answer(f"  noted: {', '.join(LOOKS[word] for word in words)}")
            return
        if typed == _LEFT_OUT and self._asked.elsewhere:
            self._keep(place, typed)
            return
        if typed == "?":
            self._answer("\n".join(wrapped(self._asked.how, "  ", "  ")))
            return
        try:
            values = self._asked.read(typed)
            where = self._asked.elsewhere and self._asked.elsewhere(values[0], place)
            if where and not meant:
                self._refused, self._offered, self._elsewhere = typed, typed, where
                text = f"{typed} does not fit {place}: is that {where}?"
                self._refuse(BadInput(text), f" y takes it there and leaves out {place}")
                return
            for value in values:
                self._asked.check(value, place)
        except BadInput as refusal:
            self._turn_down(typed, refusal)
            return
        self._keep(place, typed)
        if self._terminal:
            self._say(f"  {self._running()}")

    def _take_back(self) -> None:
        """Take the last reading back; where one was just refused, only when asked once more."""
        if not self._taken:
            return
        last = self._taken[-1]
        if self._refused:
            before = f"u takes back {last.typed} ({last.side})"
            self._answer(f"  {self._refused} was not taken. {before}")
            self._refused = ""
            return
        self._taken.pop()
        self._count(last.side, -1)
        with suppress(OSError):
            self._draft.take_back()
        self._note_section()
        self._answer(f"  took back {last.typed} ({last.side})")

    def _turn_down(self, typed: str, refusal: BadInput) -> None:
        """Say what is wrong with a reading, and what y takes in its stead."""
        offered = _OFFERED.search(str(refusal))
        self._refused, self._offered = typed, offered[1] if offered else ""
        self._refuse(refusal, f" y takes {self._offered}" if offered else "")

    def _leave_out_to(self, where: str) -> str:
        """Leave out places until one that a reading belongs to; return it."""
        while self._place() != where:
            self._keep(self._place(), _LEFT_OUT)
        return where

    def _keep(self, place: str, typed: str) -> None:
        """Keep what was typed at a place, on disk first."""
        reading = DraftReading(place, typed)
        try:
            self._draft.add(reading)
        except OSError as error:
            self._answer(f"  not kept on disk ({error.strerror}): do not close the terminal")
        self._taken.append(reading)
        self._count(place, 1)

    def _note_section(self) -> None:
        """Keep which section is asked for, where the last reading does not tell."""
        if self._taken:
            with suppress(OSError):
                self._draft.go_on_at(self._section)

    def _values(self) -> list[float]:
        """Return the values of the section that is asked for now."""
        return [
            value
            for reading in self._typed()
            if self._section_of(reading.side) == self._section
            for value in self._asked.read(reading.typed)
        ]

    def _running(self) -> str:
        values = self._values()
        if self._asked.running:
            return self._asked.running(values)
        running = estimate(values, self._asked.instrument)
        text = f"mean {running.value:.3f} mm"
        if len(values) > 1:
            text += f", scatter {running.scatter:.3f}, {len(values)} readings"
        odd = [values[i] for i in suspects(values, self._asked.instrument)]
        if odd and values[-1] in odd:
            text += f"   {values[-1]:g}: misread? u takes it back"
        return text

    def _offer_interrupted(self) -> None:
        mine, others = self._interrupted()
        if mine is None:
            if self._options.resume:
                where = ""
                if others and others[0].meant:
                    where = f": {self._whose(others[0].meant)} has one"
                raise BadInput(f"--resume: no interrupted entry is kept for this bench{where}")
            for other in others:
                if other.meant:
                    self._answer(
                        f"{_many(other)} typed for {self._whose(other.meant)} are kept for it."
                    )
            return
        shown = " ".join(reading.typed for reading in mine.readings[:8]) + _typed_for(mine)
        changed = self._changed(mine)
        wanted = self._options.resume
        if not wanted and not self._options.start_over:
            if not self._terminal:
                raise BadInput(
                    f"{_many(mine)} are kept ({shown}): --resume goes on with them, "
                    "--start-over drops them"
                )
            self._say("\n".join(wrapped(f"{_many(mine)} are kept: {shown}{changed}", "", "  ")))
            self._say("Go on with them? [Y/n] ", end="")
            wanted = typed_line().strip().lower() not in ("n", "no")
        if wanted:
            self._draft.take_over(mine)
            self._taken = mine.readings
            for reading in mine.readings:
                self._count(reading.side, 1)
            if mine.section is not None:
                self._section = min(mine.section, len(self._counts) - 1)
        else:
            self._draft.drop(mine.name)

    def _interrupted(self) -> tuple[Interrupted | None, list[Interrupted]]:
        """Return the newest entry left for this test, bench and plan, and those for others."""
        mine, others = None, []
        for draft in self._draft.interrupted():
            meant = draft.meant
            entry = (self._meant.test, self._meant.bench, self._meant.plan)
            if mine is None and (meant is None or (meant.test, meant.bench, meant.plan) == entry):
                mine = draft
                continue
            self._draft.let_go(draft)
            others.append(draft)
        return mine, others

    def _whose(self, meant: DraftFor) -> str:
        """Return what readings were typed for that are kept: another bench, or another test."""
        of = "" if meant.test == self._meant.test else f"{meant.test} of "
        return f"{of}{meant.bench}"

    def _changed(self, interrupted: Interrupted) -> str:
        """Return which settings are other ones than those that the readings were typed for."""
        if interrupted.meant is None:
            return ""
        now = json.loads(json.dumps(self._meant.settings))
        then = interrupted.meant.settings
        names = [name for name in now if name in then and then[name] != now[name]]
        words = ", ".join(f"{name} {str(then[name])[:30]}" for name in names[:4])
        return f" (typed with {words})" if names else ""

    def _answer(self, text: str) -> None:
        if self._terminal:
            self._say(text)

    def _say(self, text: str, end: str = "\n") -> None:
        # Standard output is for the answer alone, so that --json stays one object.
        print(clean(text), end=end, file=sys.stderr, flush=True)


def _typed_for(interrupted: Interrupted) -> str:
    """Return what an interrupted entry was typed for: the test, the bench, how it was printed."""
    meant = interrupted.meant
    if meant is None:
        return ""
    how = [
        " ".join(labelled(name, value))
        for name, value in flat(meant.settings).items()
        if isinstance(value, int | float | str) and name not in ("version", "way", "by_plan")
    ]
    return ", ".join([f", for {meant.test} of {meant.bench}", *how[:3]])


def _many(interrupted: Interrupted) -> str:
    count = len(interrupted.readings)
    return f"{count} reading{'s' if count > 1 else ''} of an interrupted entry"


@contextmanager
def ending_as_by_ctrl_c() -> Iterator[None]:
    """Let a closed terminal, and being told to end, do meanwhile what Ctrl-C does."""
    numbers = [getattr(signal, name, None) for name in ("SIGTERM", "SIGHUP")]
    before = {
        number: signal.signal(number, signal.default_int_handler) for number in numbers if number
    }
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
