"""What a printer's lines mean: plain G-code firmware's answers, as hobby printers commonly give
them."""

import re
from typing import Literal, NamedTuple

Kind = Literal["ok", "resend", "again", "busy", "start", "cold", "unknown", "error", "heat", "text"]

_HEAT = re.compile(r"\bT0?:\s*(-?\d+(?:\.\d+)?)\s*/\s*(-?\d+(?:\.\d+)?)")
_RESEND = re.compile(r"^(?:resend|rs)\b[:\s]*N?(\d+)", re.IGNORECASE)
_LAST_LINE = re.compile(r"last line:?\s*(\d+)", re.IGNORECASE)
# Errors of the line, which are asked for again, and not of the printer.
_OF_THE_LINE = re.compile(r"checksum|line number|last line|no line", re.IGNORECASE)
_STEPS = re.compile(r"\bE(?:0)?[:\s]*(\d+(?:\.\d+)?)")


class Reply(NamedTuple):
    """A line's kind, its text, and the number of the line that is wanted again."""

    kind: Kind
    text: str
    line: int | None = None


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
    if small == "start":
        return Reply("start", text)
    if "busy:" in small:
        return Reply("busy", text)
    if "cold extrusion" in small:
        return Reply("cold", text)
    if "unknown command" in small:
        return Reply("unknown", text)
    if small.startswith("!!") or re.match(r"(error|fatal)\s*:", small):
        if not _OF_THE_LINE.search(text):
            return Reply("error", re.sub(r"^(!!|\w+\s*:)\s*", "", text) or text)
        last = _LAST_LINE.search(text)
        return Reply("again", text, int(last[1]) + 1 if last else None)
    return Reply("heat" if _HEAT.search(text) else "text", text)


def heat_in(lines: list[str]) -> Heat | None:
    """Return the temperatures that lines report.

    >>> heat_in(["ok T:209.8 /210.0 B:60.1 /60.0 @:64"])
    Heat(nozzle_c=209.8, target_c=210.0)
    """
    for line in lines:
        found = _HEAT.search(line)
        if found:
            return Heat(float(found[1]), float(found[2]))
    return None


def steps_in(lines: list[str]) -> float | None:
    """Return the e-steps that lines report, as M92 or M503 show them.

    >>> steps_in(["echo:  M92 X80.00 Y80.00 Z400.00 E412.00"])
    412.0
    """
    for line in lines:
        small = line.lower()
        if "m92" in small or "steps" in small:
            found = _STEPS.search(line.upper().partition("STEPS")[2] or line.upper())
            if found:
                return float(found[1])
    return None
