"""What pairs come to: where the wanted feel begins, and what to open for it."""

from typing import NamedTuple

from metier.core.fit.feel import Begin, Opening
from metier.core.fit.thread import Thread
from metier.core.verdicts import Verdict


class FitFinding(NamedTuple):
    """Where the wanted feel begins, what to change for it, and the thread, if one was asked."""

    begin: Begin
    needed_mm: float | None
    opening: Opening | None
    thread: Thread | None
    looser: str | None
    verdict: Verdict
    notes: tuple[str, ...]
