"""The shape of a screw thread: its radius round the axis, drawn at a place of its class.

The profile of ISO 68-1 and ASME B1.1: flanks at 60°, truncated flat. With H the height of the
sharp triangle, crests and roots of a bolt lie 3/8·H above and below its pitch line; the crests
of a nut lie H/4 inside of it, as the basic profile has them.
"""

import math
from typing import Literal, NamedTuple

from metier.core.fit.thread import Drawn, Thread

_SHARP = math.sqrt(3) / 2
_CREST, _NUT_CREST = 3 / 8, 1 / 4
_PLACE: dict[Drawn, float] = {"least": 0.0, "mid": 0.5, "most": 1.0}


class ThreadProfile(NamedTuple):
    """A bolt's or a nut's thread: its pitch diameter, how far its profile reaches out and in from
    the pitch line (in radius), and its pitch; in mm."""

    pitch_diameter_mm: float
    out_mm: float
    in_mm: float
    pitch_mm: float

    @property
    def major_mm(self) -> float:
        """Its largest diameter."""
        return self.pitch_diameter_mm + 2 * self.out_mm

    @property
    def minor_mm(self) -> float:
        """Its smallest diameter."""
        return self.pitch_diameter_mm - 2 * self.in_mm

    def radius_mm(self, turn: float) -> float:
        """Return the radius at a place along the axis, in pitches; 0 is the middle of a crest of a
        bolt, of a root of a nut.

        >>> ThreadProfile(10.0, 0.5, 0.5, 2.0).radius_mm(0.25)
        5.0
        """
        from_crest = abs(turn - round(turn)) * self.pitch_mm
        # On the pitch line ridge and groove are equally wide.
        out = (self.pitch_mm / 4 - from_crest) * math.sqrt(3)
        return self.pitch_diameter_mm / 2 + min(max(out, -self.in_mm), self.out_mm)


def profile_of(thread: Thread, piece: Literal["bolt", "nut"], drawn: Drawn) -> ThreadProfile:
    """Return the thread of a bolt or a nut, drawn at that place of its tolerance."""
    sharp_mm = _SHARP * thread.pitch_mm
    place = _PLACE[drawn]
    if piece == "nut":
        wider = thread.internal_allowance_mm + place * thread.internal_tolerance_mm
        diameter = thread.pitch_diameter_mm + wider
        return ThreadProfile(diameter, _CREST * sharp_mm, _NUT_CREST * sharp_mm, thread.pitch_mm)
    own = thread.allowance_mm - thread.internal_allowance_mm
    diameter = thread.pitch_diameter_mm - own - place * thread.external_tolerance_mm
    return ThreadProfile(diameter, _CREST * sharp_mm, _CREST * sharp_mm, thread.pitch_mm)
