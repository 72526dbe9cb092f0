"""Flows that a part of one's own was printed at: what they are reckoned with, and as typed."""

import argparse
from typing import Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.tried import TriedFlow
from metier.formats.quantity import read_positive
from metier.logbook.plain import Form
from metier.trials.limit.settings import HotEnd

# What is said of a part, and how a reading keeps it: worst first.
WORDS = {"starved": 0.0, "broken": 1.0, "even": 2.0, "held": 3.0}


class TriedSettings(NamedTuple):
    """Flows that a part was tried at, lowered by steps."""

    way: Literal["tried"]
    on: HotEnd
    round_to_mm3_s: float


FORM = Form(TriedSettings)


class SaidOfFlow(NamedTuple):
    """A flow and what was said of the part printed at it."""

    flow_mm3_s: float
    words: str


def said_of_flow(text: str) -> SaidOfFlow:
    """Read ``12=even/broken``: a flow, and whether the part starved and broke."""
    flow, equals, words = text.partition("=")
    said = words.lower().split("/")
    if not equals or not said or any(word not in WORDS for word in said):
        raise argparse.ArgumentTypeError(
            f"{text[:30]!r}: write 14=starved, 12=even/broken, 10=even/held"
        )
    try:
        return SaidOfFlow(read_positive(flow, "", ("mm³/s", "mm3/s")), "/".join(said))
    except BadInput as refusal:
        raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None


def tried_flow(side: str, typed: str) -> TriedFlow:
    """Return a flow out of a reading: at what, and what was said."""
    said = typed.split("/")
    held = True if "held" in said else (False if "broken" in said else None)
    return TriedFlow(float(side.removesuffix(" mm³/s")), "starved" not in said, held)
