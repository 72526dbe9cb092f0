"""A thread that is printed: its profile by ISO 68-1, and the clearance that it needs.

Metric: ISO 965-1, its formulas with the geometric mean of a range of diameters, rounded to the
R40 series (ISO 3). Inch: ASME B1.1, unified threads, with the length of engagement it takes.

The profile of ISO 68-1 and ASME B1.1: flanks at 60°, truncated flat. With H the height of the
sharp triangle, crests and roots of a bolt lie 3/8·H above and below its pitch line; the crests
of a nut lie H/4 inside of it, as the basic profile has them.
"""

import math
import re
from itertools import pairwise
from typing import Literal, NamedTuple, get_args

from metier.core.errors import BadInput

# The basic profile of both standards (ISO 68-1): 60°, the crest three eighths above its middle.
_ADDENDUM = 3 / 8 * math.sqrt(3) / 2
_MM_PER_INCH = 25.4


# Where in its class a thread is drawn: the middle is usual.
Drawn = Literal["least", "mid", "most"]
DRAWN: tuple[Drawn, ...] = get_args(Drawn)


class Thread(NamedTuple):
    """A thread with its classes; all in mm. ``allowance`` is nut's and bolt's together,
    ``internal_allowance_mm`` the nut's part of it.

    ``internal_tolerance_mm`` and ``external_tolerance_mm`` are those of the pitch diameter.
    """

    name: str
    classes: str
    diameter_mm: float
    pitch_mm: float
    allowance_mm: float
    internal_tolerance_mm: float
    external_tolerance_mm: float
    internal_allowance_mm: float = 0.0

    @property
    def pitch_diameter_mm(self) -> float:
        """The basic pitch diameter."""
        return self.diameter_mm - 2 * _ADDENDUM * self.pitch_mm

    @property
    def least_play_mm(self) -> float:
        """The play of the largest bolt in the smallest nut."""
        return self.allowance_mm

    def play_mm(self, drawn: Drawn) -> float:
        """The play of a thread drawn at this place of its class."""
        if drawn == "mid":
            return (self.least_play_mm + self.most_play_mm) / 2
        return self.least_play_mm if drawn == "least" else self.most_play_mm

    @property
    def most_play_mm(self) -> float:
        """The play of the smallest bolt in the largest nut."""
        return self.allowance_mm + self.internal_tolerance_mm + self.external_tolerance_mm


# Preferred numbers: the R40 series as ISO 3 rounds it, 40 to the decade.
_R40 = (
    *(1.00, 1.06, 1.12, 1.18, 1.25, 1.32, 1.40, 1.50, 1.60, 1.70, 1.80, 1.90, 2.00, 2.12),
    *(2.24, 2.36, 2.50, 2.65, 2.80, 3.00, 3.15, 3.35, 3.55, 3.75, 4.00, 4.25, 4.50, 4.75),
    *(5.00, 5.30, 5.60, 6.00, 6.30, 6.70, 7.10, 7.50, 8.00, 8.50, 9.00, 9.50),
)
_RANGES_MM = (0.99, 1.4, 2.8, 5.6, 11.2, 22.4, 45, 90, 180, 355)
_COARSE_MM: dict[float, float] = {
    **dict.fromkeys((1.0, 1.2), 0.25),
    **dict.fromkeys((1.6, 1.8), 0.35),
    **dict.fromkeys((6.0, 7.0), 1.0),
    **dict.fromkeys((14.0, 16.0), 2.0),
    **dict.fromkeys((18.0, 20.0, 22.0), 2.5),
    **dict.fromkeys((24.0, 27.0), 3.0),
    **dict.fromkeys((30.0, 33.0), 3.5),
    **dict.fromkeys((36.0, 39.0), 4.0),
    **dict.fromkeys((42.0, 45.0), 4.5),
    **dict.fromkeys((48.0, 52.0), 5.0),
    **dict.fromkeys((56.0, 60.0), 5.5),
    **dict(zip((1.4, 2.0, 2.5, 3.0, 3.5, 4.0), (0.3, 0.4, 0.45, 0.5, 0.6, 0.7), strict=True)),
    **dict(zip((5.0, 8.0, 10.0, 12.0, 64.0), (0.8, 1.25, 1.5, 1.75, 6.0), strict=True)),
}
# The grades stand apart by steps of the R40 series; 6 of the bolt is the one the formula gives.
_BOLT_GRADES = {3: -12, 4: -8, 5: -4, 6: 0, 7: 4, 8: 8, 9: 12}
_NUT_GRADES = {4: -3, 5: 1, 6: 5, 7: 9, 8: 13}
# Where the standard's table leaves its own formula to keep the progression smooth.
_BOLT_EXCEPTIONS_UM = {(2.8, 0.5): 75.0, (45, 5.0): 250.0}
# How far positions e, f and g lie below the basic profile, in µm by pitch (G as far above it).
# Their formulas are 50, 30 and 15 + 11·P; the standard prints them rounded, not all alike, and
# what it prints is what counts.
_POSITIONS = "efg"
_POSITIONS_UM: dict[float, tuple[int | None, int | None, int]] = {
    0.2: (None, None, 17),
    0.25: (None, None, 18),
    0.3: (None, None, 18),
    0.35: (None, 34, 19),
    0.4: (None, 34, 19),
    0.45: (None, 35, 20),
    0.5: (50, 36, 20),
    0.6: (53, 36, 21),
    0.7: (56, 38, 22),
    0.75: (56, 38, 22),
    0.8: (60, 38, 24),
    1.0: (60, 40, 26),
    1.25: (63, 42, 28),
    1.5: (67, 45, 32),
    1.75: (71, 48, 34),
    2.0: (71, 52, 38),
    2.5: (80, 58, 42),
    3.0: (85, 63, 48),
    3.5: (90, 70, 53),
    4.0: (95, 75, 60),
    4.5: (100, 80, 63),
    5.0: (106, 85, 71),
    5.5: (112, 90, 75),
    6.0: (118, 95, 80),
    8.0: (140, 118, 100),
}

_METRIC = re.compile(
    r"M\s*(\d+(?:\.\d+)?)(?:\s*[x×]\s*(\d+(?:\.\d+)?))?"
    r"(?:[\s-]+(\d)([eEfFgGhH])(?:\d[a-zA-Z])?\s*/\s*(\d)([eEfFgGhH])(?:\d[a-zA-Z])?)?"
)
_INCH = re.compile(
    r"(#?\d+(?:[ -]\d+/\d+|/\d+|\.\d+)?)(\"?)\s*-\s*(\d+)\s*(UNC|UNF|UNEF|UNS|UN)?"
    r"(?:[\s-]+([123])([AB])\s*/\s*([123])([AB]))?"
)
# Sizes that are numbers (B1.1): coarse, and the finer one beside it.
_NUMBERED = {
    0: (80,), 1: (64, 72), 2: (56, 64), 3: (48, 56), 4: (40, 48), 5: (40, 44), 6: (32, 40),
    8: (32, 36), 10: (24, 32), 12: (24, 28, 32),
}  # fmt: skip
# The coarse threads of B1.1, by their diameter in inches.
_COARSE = {
    0.25: 20, 0.3125: 18, 0.375: 16, 0.4375: 14, 0.5: 13, 0.5625: 12, 0.625: 11, 0.75: 10,
    0.875: 9, 1.0: 8, 1.125: 7, 1.25: 7, 1.375: 6, 1.5: 6, 1.75: 5, 2.5: 4, 2.75: 4, 3.0: 4,
    3.25: 4, 3.5: 4, 3.75: 4, 4.0: 4,
}  # fmt: skip
_LARGEST_INCHES = 4.0


def thread_of(text: str) -> Thread:
    """Return a thread by its designation, ``M20x2.5 6H/6g`` or ``3/4-10 UNC 2B/2A``.

    Without a class the usual one is taken: 6H/6g, 2B/2A; without a series the coarse one, where
    that has such a pitch.

    >>> found = thread_of("M20x2.5 6H/6g")
    >>> round(found.least_play_mm, 3), round(found.most_play_mm, 3)
    (0.042, 0.436)

    Raises:
        BadInput: no such thread or class.
    """
    shown = " ".join(text.split())[:40]
    match = _METRIC.fullmatch(shown)
    if match:
        return _metric(match)
    match = _INCH.fullmatch(shown)
    if match:
        return _inch(match)
    raise BadInput(
        f"there is no thread '{shown}': write M20x2.5 6H/6g or 3/4-10 UNC 2B/2A (nut/bolt)"
    )


def _metric(match: re.Match[str]) -> Thread:
    diameter_mm = float(match[1])
    pitch_mm = float(match[2]) if match[2] else _COARSE_MM.get(diameter_mm)
    if pitch_mm is None:
        raise BadInput(f"M{match[1]} has no coarse pitch: give it, as M{match[1]}x1")
    if not _RANGES_MM[0] < diameter_mm <= _RANGES_MM[-1]:
        raise BadInput(f"M{match[1]}: the standard goes from 1 to 355 mm")
    if pitch_mm not in _POSITIONS_UM or pitch_mm > diameter_mm / 2:
        raise BadInput(f"M{match[1]}x{pitch_mm:g}: the standard has no such pitch")
    first, second = (int(match[3] or 6), match[4] or "H"), (int(match[5] or 6), match[6] or "g")
    # Nuts have capital letters, in whatever order the two are named.
    (nut_grade, nut), (bolt_grade, bolt) = sorted(
        (first, second), key=lambda graded: graded[1].islower()
    )
    if nut not in "GH" or bolt not in "efgh":
        raise BadInput(
            f"{first[0]}{first[1]}/{second[0]}{second[1]}: a nut is G or H, a bolt e to h"
        )
    if nut_grade not in _NUT_GRADES or bolt_grade not in _BOLT_GRADES:
        raise BadInput(
            f"{nut_grade}{nut}/{bolt_grade}{bolt}: nuts go from grade 4 to 8, bolts from 3 to 9"
        )
    of_nut_mm = _position_um("g" if nut == "G" else "h", pitch_mm) / 1000
    return Thread(
        f"M{diameter_mm:g}x{pitch_mm:g}",
        f"{nut_grade}{nut}/{bolt_grade}{bolt}",
        diameter_mm,
        pitch_mm,
        of_nut_mm + _position_um(bolt, pitch_mm) / 1000,
        _tolerance_um(diameter_mm, pitch_mm, _NUT_GRADES[nut_grade]) / 1000,
        _tolerance_um(diameter_mm, pitch_mm, _BOLT_GRADES[bolt_grade]) / 1000,
        of_nut_mm,
    )


def _r40(value: float, shift: int = 0) -> float:
    """Return the preferred number nearest to ``value``, or the one ``shift`` beyond it."""
    decade = math.floor(math.log10(value))
    steps = (*_R40, 10.0)
    nearest = min(range(len(steps)), key=lambda step: abs(steps[step] * 10.0**decade - value))
    place = 40 * decade + nearest + shift
    return round(_R40[place % 40] * 10.0 ** (place // 40), 6)


def _tolerance_um(diameter_mm: float, pitch_mm: float, shift: int) -> float:
    """Return the tolerance of a pitch diameter: ``90 · P^0.4 · d^0.1`` µm for a bolt of grade 6."""
    low, high = next(pair for pair in pairwise(_RANGES_MM) if diameter_mm <= pair[1])
    value = 90 * math.pow(pitch_mm, 0.4) * math.pow(low * high, 0.05)
    return float(round(_r40(_BOLT_EXCEPTIONS_UM.get((low, pitch_mm), value), shift)))


def _position_um(position: str, pitch_mm: float) -> float:
    """Return how far a position lies off the basic profile."""
    if position == "h":
        return 0.0
    value = _POSITIONS_UM[pitch_mm][_POSITIONS.index(position)]
    if value is None:
        raise BadInput(f"there is no position {position} for a pitch of {pitch_mm:g} mm")
    return float(value)


# Engagement as long as the diameter in these series (B1.1, 5.5); nine pitches in all others.
_DIAMETER_LONG = {"UNC", "UNF"}
_DIAMETER_LONG_UN = {4, 6, 8}
_BOLT_CLASSES = {1: 1.5, 2: 1.0, 3: 0.75}
_NUT_CLASSES = {1: 1.95, 2: 1.3, 3: 0.975}


def _inch(match: re.Match[str]) -> Thread:
    size, count, series = match[1], int(match[3]), match[4]
    if size.isdecimal() and not match[2] and count in _NUMBERED.get(int(size), ()):
        size = f"#{size}"
    diameter = _inches(size)
    if not 4 <= count <= 120 or not 0.05 <= diameter <= 6:
        raise BadInput(f"{size}-{count}: no such thread")
    if diameter > _LARGEST_INCHES and not match[2]:
        raise BadInput(
            f"{size}-{count} is {diameter:g} inches wide: was a number meant, as #6-32? If not, "
            f'write {size}"-{count}'
        )
    if series is None:
        coarse = _COARSE.get(diameter) == count
        if size.startswith("#"):
            coarse = _NUMBERED[int(size[1:])][0] == count
        series = "UNC" if coarse else "UN"
    classes = {match[6] or "B": match[5] or "2", match[8] or "A": match[7] or "2"}
    if len(classes) < 2:
        raise BadInput(f"{match[5]}{match[6]}/{match[7]}{match[8]}: a nut is B, a bolt is A")
    nut, bolt = int(classes["B"]), int(classes["A"])
    pitch = 1 / count
    long = series in _DIAMETER_LONG or (series == "UN" and count in _DIAMETER_LONG_UN)
    engaged = diameter if long else 9 * pitch
    bolt_2a = 0.0015 * (diameter ** (1 / 3) + math.sqrt(engaged)) + 0.015 * pitch ** (2 / 3)
    # The tables are worked out to a millionth; the allowance is a part of the tolerance as printed.
    bolt_2a = round(bolt_2a, 6)
    return Thread(
        f"{size}-{count} {series}",
        f"{nut}B/{bolt}A",
        diameter * _MM_PER_INCH,
        pitch * _MM_PER_INCH,
        (0.0 if bolt == 3 else _printed(0.3 * _printed(bolt_2a))) * _MM_PER_INCH,
        _printed(_NUT_CLASSES[nut] * bolt_2a) * _MM_PER_INCH,
        _printed(_BOLT_CLASSES[bolt] * bolt_2a) * _MM_PER_INCH,
    )


def _printed(inches: float) -> float:
    """Return a size as the tables of B1.1 print it: to a ten-thousandth, halves to the even one."""
    ten_thousandths, rest = divmod(round(inches * 1e7), 1000)
    up = rest > 500 or (rest == 500 and ten_thousandths % 2 == 1)
    return (ten_thousandths + up) / 1e4


def _inches(size: str) -> float:
    """Return ``3/4``, ``1-1/8``, ``0.75`` or the numbered ``#8`` in inches."""
    if size.startswith("#"):
        number = int(float(size[1:]))
        if number not in _NUMBERED:
            raise BadInput(f"{size}: sizes by number are {', '.join(map(str, _NUMBERED))}")
        return 0.060 + 0.013 * number
    whole, _, fraction = size.replace("-", " ").rpartition(" ")
    value = float(whole or 0)
    top, slash, bottom = fraction.partition("/")
    if slash and not float(bottom):
        raise BadInput(f"{size}: a size cannot be divided by 0")
    return value + (float(top) / float(bottom) if slash else float(top))


def looser_classes(thread: Thread, needed_mm: float) -> str | None:
    """Return the tightest standard class that leaves ``needed_mm`` at least; None if none does."""
    metric = thread.name.startswith("M")
    candidates = ["6H/6g", "6G/6g", "6H/6f", "6G/6f", "6H/6e", "6G/6e"]
    fitting = []
    for classes in candidates if metric else ["3B/3A", "2B/2A", "1B/1A"]:
        try:
            candidate = thread_of(f"{thread.name} {classes}")
        except BadInput:
            continue
        if candidate.least_play_mm >= needed_mm - 1e-9:
            fitting.append(candidate)
    return min(fitting, key=lambda candidate: candidate.least_play_mm).classes if fitting else None


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
