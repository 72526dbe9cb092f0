"""What a printer's lines mean: plain G-code firmware's answers, as hobby printers commonly give
them. Whatever a line holds is taken for what it says at most: a number that cannot be is none."""

import re
from collections.abc import Sequence
from typing import Literal, NamedTuple

from metier.cable.port import CableFailure

Kind = Literal[
    "ok", "resend", "again", "busy", "start", "cold", "unknown", "error", "heat", "pause", "waits",
    "text",
]  # fmt: skip

# A number as firmware writes one, and nothing that only begins like it (1e-07, 4.1.2, 10 to the
# 400th digit by digit).
_NUMBER = r"(-?\d{1,6}(?:\.\d{0,9})?)(?![\w.])"
_HEAT = re.compile(rf"(?<![\w@])(T\d?|B|C):\s*{_NUMBER}(?:\s*/\s*{_NUMBER})?")
_RESEND = re.compile(r"^(?:resend|rs)\b[:\s]*N?(\d{1,9})\b", re.IGNORECASE)
_LAST_LINE = re.compile(r"last line:?\s*(\d{1,9})\b", re.IGNORECASE)
# Errors of the line, which are asked for again, and not of the printer.
_OF_THE_LINE = re.compile(r"checksum|line number|last line|no line", re.IGNORECASE)
_FAULT = re.compile(
    r"thermal runaway|heating failed|(min|max)temp\b|printer halted|state:\s*shutdown"
    r"|emergency stop|temperature (too high|out of range)",
    re.IGNORECASE,
)
_START = re.compile(
    r"^(start|(external|watchdog|software|brown ?out) reset|power ?up)$", re.IGNORECASE
)
# Whoever is printed for is to come: the filament ran out, or the board was told to pause.
_PAUSE = re.compile(
    r"^//\s*action:\s*(pause|cancel|out_of_filament|filament)"
    r"|filament (runout|run-out|ran out)|out of filament|no filament",
    re.IGNORECASE,
)
_WAITS = re.compile(r"paused for (user|input)", re.IGNORECASE)
_COLD = re.compile(r"cold extrusion|too cold", re.IGNORECASE)
_UNKNOWN = re.compile(r"unknown command|not known here", re.IGNORECASE)
_STEPS = re.compile(r"\bE0?[:\s]*(?=[\d.+-])(\S+)")
_STEPS_MOST = (0.5, 50_000.0)


class Reply(NamedTuple):
    """A line's kind, its text, and the number of the line that is wanted again."""

    kind: Kind
    text: str
    line: int | None = None


class Shown(NamedTuple):
    """What one heater shows, and what it is to reach where the line tells that."""

    heater: str
    now_c: float
    target_c: float | None


class Heat(NamedTuple):
    """What the nozzle shows, and what it is to reach."""

    nozzle_c: float
    target_c: float


def reply_of(text: str) -> Reply:
    """Return what a line means.

    >>> reply_of("Resend: 12").line, reply_of("ok T:24.1 /0.0").kind, reply_of("wait").kind
    (12, 'ok', 'text')
    """
    small = text.lower()
    wanted = _RESEND.match(text)
    if wanted:
        return Reply("resend", text, int(wanted[1]))
    if re.match(r"ok\b", small):
        return Reply("ok", text)
    if _START.match(text):
        return Reply("start", text)
    if _WAITS.search(text):
        return Reply("waits", text)
    if "busy:" in small:
        return Reply("busy", text)
    if _COLD.search(text):
        return Reply("cold", text)
    if _UNKNOWN.search(text):
        return Reply("unknown", text)
    errs = small.startswith("!!") or re.match(r"(error|fatal)\s*:", small)
    if errs and _OF_THE_LINE.search(text):
        last = _LAST_LINE.search(text)
        return Reply("again", text, int(last[1]) + 1 if last else None)
    if errs or _FAULT.search(text):
        return Reply("error", re.sub(r"^(!!|(error|fatal)\s*:)\s*", "", text, flags=re.I) or text)
    if _PAUSE.search(text):
        return Reply("pause", text)
    return Reply("heat" if _HEAT.search(text) else "text", text)


def shown_in(text: str) -> list[Shown]:
    """Return what a line reports of heaters: T for the nozzle in use, T0, T1 … by number, B
    for the bed, C for the chamber.

    >>> shown_in("ok T:209.8 /210.0 B:60.1 /60.0 @:64")
    [Shown(heater='T', now_c=209.8, target_c=210.0), Shown(heater='B', now_c=60.1, target_c=60.0)]
    """
    return [
        Shown(name, float(now), None if target is None else float(target))
        for name, now, target in (match.groups() for match in _HEAT.finditer(text))
    ]


def heat_in(lines: Sequence[str]) -> Heat | None:
    """Return the nozzle's heat that lines report.

    >>> heat_in(["ok T:209.8 /210.0 B:60.1 /60.0 @:64"])
    Heat(nozzle_c=209.8, target_c=210.0)
    """
    for line in lines:
        for shown in shown_in(line):
            if shown.heater in ("T", "T0"):
                return Heat(shown.now_c, shown.target_c or 0.0)
    return None


def steps_in(lines: Sequence[str]) -> float | None:
    """Return the e-steps that lines report, as M92 or M503 show them.

    >>> steps_in(["echo:  M92 X80.00 Y80.00 Z400.00 E412.00"])
    412.0

    Raises:
        CableFailure: what stands there is no number of steps.
    """
    for line in lines:
        small = line.lower()
        if "m92" not in small and "steps" not in small:
            continue
        said = _STEPS.search(line.upper().partition("STEPS")[2] or line.upper())
        if said:
            digits = said[1].rstrip(",;")
            steps = float(digits) if re.fullmatch(_NUMBER, digits) else 0.0
            if not _STEPS_MOST[0] <= steps <= _STEPS_MOST[1]:
                raise CableFailure(
                    f"the printer says its e-steps are «{digits[:20]}», which cannot be: look at "
                    "the cable and --baud, then at the printer's own menu"
                )
            return steps
    return None


def idle_in(lines: Sequence[str]) -> float | None:
    """Return after how many seconds of nothing a board switches off by itself, as M85 shows it.

    >>> idle_in(["echo:  M85 S600", "ok"])
    600.0
    """
    for line in lines:
        said = re.search(rf"\bM85\s+S{_NUMBER}", line, re.IGNORECASE)
        if said:
            return max(0.0, float(said[1]))
    return None
