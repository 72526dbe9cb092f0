"""A file streamed to a printer, line by line; whatever happens, the heaters end up off if the line
still lives."""

import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import NamedTuple

from metier.cable.failure import CableFailure, LineLost
from metier.cable.job import JobLine
from metier.cable.link import Link
from metier.cable.replies import Heat, Reply, heat_in
from metier.cable.talking import all_off

_HEAT_EVERY_S = 2.0


class Progress(NamedTuple):
    """How far a print is: lines, the seconds that its moves take in all and up to here, heat."""

    done: int
    of: int
    done_s: float
    of_s: float
    height_mm: float
    heat: Heat | None


class Printed(NamedTuple):
    """What was streamed: lines, how many of them again, how long it took, up to which height."""

    lines: int
    again: int
    time_s: float
    height_mm: float


class CutShort(CableFailure):
    """A print that was not finished; says why, how far it came, and whether the heaters are off."""


def print_job(link: Link, job: Sequence[JobLine], watch: Callable[[Progress], None]) -> Printed:
    """Stream a job to its end.

    Raises:
        CutShort: it came to no good end, or the user stopped it.
    """
    begun = time.monotonic()
    heat: Heat | None = None
    done = 0

    def heard(reply: Reply) -> None:
        # While it waits for heat, a printer reports it unasked.
        nonlocal heat
        heat = heat_in([reply.text]) or heat
        tell()

    def tell() -> None:
        line = job[max(done - 1, 0)]
        watch(Progress(done, len(job), line.until_s, job[-1].until_s, line.height_mm, heat))

    link.heard = heard
    asked = begun
    try:
        for done, line in enumerate(job):
            link.ask(line.command)
            if time.monotonic() - asked > _HEAT_EVERY_S:
                heat = heat_in(link.ask("M105")) or heat
                asked = time.monotonic()
            if done % 20 == 0:
                tell()
        link.ask("M400")
    except KeyboardInterrupt:
        raise CutShort(_stopped(link, "stopped", job, done)) from None
    except LineLost as failure:
        where = _where(job, done)
        raise CutShort(f"{failure}: {where}; its heaters may still be on, see to them") from None
    except CableFailure as failure:
        raise CutShort(_stopped(link, str(failure), job, done)) from None
    return Printed(len(job), link.again, time.monotonic() - begun, job[-1].height_mm)


def _stopped(link: Link, why: str, job: Sequence[JobLine], done: int) -> str:
    """Switch off what can be switched off, and say how it stands."""
    off = "its heaters may still be on, see to them"
    for _ in range(2):
        # A second Ctrl-C must not leave it hot either.
        with suppress(CableFailure, KeyboardInterrupt):
            link.restart()
            all_off(link)
            off = "its heaters are off"
            break
    return f"{why}: {_where(job, done)}; {off}"


def _where(job: Sequence[JobLine], done: int) -> str:
    line = job[min(done, len(job) - 1)]
    return f"printed up to {line.height_mm:g} mm (line {done} of {len(job)})"
