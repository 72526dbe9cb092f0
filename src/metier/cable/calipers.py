"""Calipers on a serial port: what they send comes as if it were typed."""

import re
from queue import SimpleQueue
from threading import Thread
from typing import Self

from metier.cable.failure import CableFailure
from metier.cable.port import LONGEST_LINE, opened

# What most of them speak at, where nobody says otherwise.
BAUD = 9600
_ENDS = re.compile(rb"[\r\n\x03]+")


class CalipersPort:
    """An open port; ``lines`` gets each line that comes there, and what befalls the port.

    Raises:
        CableFailure: it cannot be opened.
    """

    def __init__(self, name: str, baud: int | None) -> None:
        self.name = name
        self.lines: SimpleQueue[str | BaseException] = SimpleQueue()
        self._serial = opened(name, baud or BAUD)
        self._open = True
        self._listening = Thread(target=self._listen, daemon=True)
        self._listening.start()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._open = False
        self._listening.join(1.0)
        try:
            self._serial.close()
        except (OSError, ValueError):
            # It is gone already.
            return

    def _listen(self) -> None:
        rest = b""
        while self._open:
            try:
                came = self._serial.read(max(1, min(self._serial.in_waiting, LONGEST_LINE)))
            except (OSError, ValueError, TypeError):
                self.lines.put(CableFailure(f"the calipers' port {self.name} is lost"))
                return
            # Where no end comes, it is no reading.
            *lines, rest = _ENDS.split((rest + came)[-LONGEST_LINE:])
            for line in lines:
                text = line.decode("latin-1").strip()
                if text:
                    self.lines.put(f"{text}\n")
