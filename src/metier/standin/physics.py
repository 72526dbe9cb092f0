"""What melts, how walls and holes come out, how heat rises, and who measures.

Plastic in is plastic out: what the gear fails to push is what walls lack.

Lengths are shown in hundredths, as digital calipers do.
"""

import math
import random
from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

from metier.standin.truth import REFERENCE_C, Fitted, Frame, Hand, Heats, Nozzle, Roll, Truth

# From which share of the melting limit less is delivered, and how little at gaps.
_FALLS_FROM, _GAPS_AT = 0.85, 0.94
_LEAST = 0.2
# The molten plastic in a hot end, which dwells there the shorter the faster it flows.
_MOLTEN_MM3 = 18.0


def strand_mm(roll: Roll, along_mm: float) -> float:
    """Return the diameter of the strand at a place along it."""
    turn = 2 * math.pi * along_mm / roll.wave_length_mm
    return roll.diameter_mm + roll.wave_mm * math.sin(turn)


def strand_mm2(roll: Roll, along_mm: float) -> float:
    """Return the cross-section of the strand there."""
    return math.pi * strand_mm(roll, along_mm) ** 2 / 4


def strand_g_per_mm(roll: Roll, along_mm: float) -> float:
    """Return what a millimetre of the strand weighs there, in g."""
    return strand_mm2(roll, along_mm) * roll.density_g_cm3 / 1000


def melts_mm3_s(nozzle: Nozzle, nozzle_c: float) -> float:
    """Return the flow that a hot end melts at this heat."""
    return nozzle.melts_mm3_s * math.pow(1 + nozzle.rise_a_degree, nozzle_c - REFERENCE_C)


def pushed(truth: Truth, flow_mm3_s: float, nozzle_c: float, luck: float = 1.0) -> float:
    """Return the share of the filament asked for that is really pushed through at this flow;
    ``luck`` is how much more than usual melts this time."""
    nozzle = truth.nozzle
    load = flow_mm3_s / (luck * melts_mm3_s(nozzle, nozzle_c))
    slips = 1 - truth.gear.slip * min(load, 1.0)
    if load <= _FALLS_FROM:
        return slips
    into = (load - _FALLS_FROM) / (nozzle.gaps_share - _FALLS_FROM)
    return max(_LEAST, slips * (1 - (1 - _GAPS_AT) * math.pow(into, nozzle.steepness)))


def gaps_from_mm3_s(truth: Truth, nozzle_c: float) -> float:
    """Return the flow at which gaps begin: where 94 % are delivered."""
    return truth.nozzle.gaps_share * melts_mm3_s(truth.nozzle, nozzle_c)


def dull_from_mm3_s(truth: Truth, nozzle_c: float) -> float:
    """Return the flow from which walls are dull."""
    return truth.roll.dull_share * melts_mm3_s(truth.nozzle, nozzle_c)


def grown(roll: Roll, flow_mm3_s: float, nozzle_c: float) -> float:
    """Return the ratio by which foaming plastic is larger than it went in."""
    foam = roll.foam
    if foam is None:
        return 1.0
    share = 1 / (1 + math.exp(-(nozzle_c - foam.half_c) / foam.width_c))
    dwell_s = _MOLTEN_MM3 / max(flow_mm3_s, 0.1)
    return 1 + foam.growth * share * (1 - math.exp(-dwell_s / foam.dwell_s))


def wall_mm(
    lines: int, apart_mm: float, wide_mm: float, layer_mm: float, frame: Frame, bore_mm: float
) -> float:
    """Return how thick a wall of fused lines is, without its texture.

    ``wide_mm`` is a line's plastic spread over its layer's height: neighbours that are wider than
    they lie apart push each other out, but for what goes up; starved ones keep their distance or
    shrink together, with a soft transition; between fused lines there is some air. A single line
    that is far wider than the bore fills its ends less.
    """
    if lines == 1:
        return line_mm(wide_mm - frame.ends * max(0.0, wide_mm - bore_mm), layer_mm)
    over_mm = wide_mm - apart_mm
    surplus_mm = (over_mm + math.hypot(over_mm, frame.blend_mm)) / 2
    lack_mm = surplus_mm - over_mm
    middles_mm = lines * (apart_mm + (1 - frame.rising) * surplus_mm)
    lost_mm = ((lines - 1) * frame.starved + 1) * lack_mm
    air_mm = frame.voids * (lines - 1) * apart_mm
    return line_mm(middles_mm - lost_mm + air_mm, layer_mm)


def line_mm(wide_mm: float, layer_mm: float) -> float:
    """Return the width of one line with its rounded sides."""
    return wide_mm + layer_mm * (1 - math.pi / 4)


def hole_mm(drawn_mm: float, frame: Frame, across: str) -> float:
    """Return how wide a hole comes out along x or y."""
    scale = frame.scale_x if across == "x" else frame.scale_y
    return scale * drawn_mm - 2 * (frame.hole_mm + frame.hole_mm2 / drawn_mm)


def post_mm(drawn_mm: float, frame: Frame, across: str) -> float:
    """Return how wide a post comes out along x or y."""
    scale = frame.scale_x if across == "x" else frame.scale_y
    return scale * drawn_mm + 2 * frame.post_mm


def words_of_step(heat_c: float, heats: Heats, seen_c: Callable[[float], float]) -> str:
    """Return what is seen and felt of a step that was printed so hot: strings, surface, bridge, how
    its column breaks; ``seen_c`` is where an eye puts a border."""

    def above(*borders_c: float) -> int:
        return sum(heat_c > seen_c(border) for border in borders_c)

    def below(*borders_c: float) -> int:
        return sum(heat_c < seen_c(border) for border in borders_c)

    rough = above(heats.rough_c) or below(heats.cold_rough_c)
    return "/".join(
        (
            ("none", "few", "many")[above(heats.few_strings_c, heats.many_strings_c)],
            "rough" if rough else ("even", "dull")[below(heats.dull_c)],
            ("straight", "sags", "fell")[above(heats.sags_c, heats.falls_c)],
            ("holds", "hard", "easy")[below(heats.hard_c, heats.easy_c)],
        )
    )


def feel(play_mm: float, frame: Frame, noise_mm: float) -> str:
    """Return how a pin goes in a hole that is so much larger."""
    slides_mm = frame.slides_from_mm
    felt_mm = play_mm + noise_mm
    for below_mm, word in (
        (slides_mm - 0.16, "stuck"),
        (slides_mm - 0.06, "press"),
        (slides_mm, "snug"),
        (slides_mm + 0.14, "slide"),
    ):
        if felt_mm < below_mm:
            return word
    return "loose"


ROOM_C = 21.0
# As near as this counts as reached.
WITHIN_C = 1.5
_STEP_S, _LONG_S = 0.25, 600.0
_SENSOR_S = 2.0
_SETTLED_C = 1e-3


@dataclass
class Heater:
    """``power_c_s`` is how fast it heats at most, ``lag_s`` its time constant."""

    power_c_s: float
    lag_s: float
    target_c: float = 0.0
    heat_c: float = ROOM_C
    shown_c: float = ROOM_C

    def pass_time(self, seconds: float) -> None:
        """Let time go by."""
        wanted_c = max(self.target_c, ROOM_C)
        if abs(self.heat_c - wanted_c) + abs(self.shown_c - wanted_c) < _SETTLED_C:
            return
        if seconds > _LONG_S:
            self.heat_c = self.shown_c = wanted_c
            return
        while seconds > 1e-9:
            step_s = min(seconds, _STEP_S)
            seconds -= step_s
            cooling = wanted_c < self.heat_c
            lag_s = 6 * self.lag_s if cooling else self.lag_s
            change_c = (wanted_c - self.heat_c) * (1 - math.exp(-step_s / lag_s))
            self.heat_c += min(change_c, self.power_c_s * step_s)
            self.shown_c += (self.heat_c - self.shown_c) * (1 - math.exp(-step_s / _SENSOR_S))

    def reached(self) -> bool:
        """Tell whether it shows what is asked for."""
        return self.target_c == 0 or self.shown_c >= self.target_c - WITHIN_C


def nozzle_heater() -> Heater:
    """Return a cold heater of a nozzle."""
    return Heater(power_c_s=3.0, lag_s=4.0)


def bed_heater() -> Heater:
    """Return a cold heater of a bed."""
    return Heater(power_c_s=0.8, lag_s=12.0)


# A pocket scale shows hundredths of a gram, and repeats to about half of one.
_SCALE_NOISE_G = 0.004
_RULER_NOISE_MM = 0.35
# How many places of a strand are measured, and how far apart.
_PLACES, _APART_MM = 4, 300.0


class Reader:
    """Somebody who measures; ``luck`` makes each reading another one."""

    def __init__(self, hand: Hand, luck: random.Random) -> None:
        self._hand, self._luck = hand, luck

    def uneven(self, mean_mm: float, spread_mm: float) -> float:
        """Return what is there where somebody happens to measure."""
        return self._luck.gauss(mean_mm, spread_mm)

    def zero(self) -> str:
        """Return what the closed jaws show."""
        return _text(self._hand.zero_mm)

    def wall(self, true_mm: float) -> str:
        """Return what outside jaws show of a wall or a strand, as this hand writes it down."""
        shown = self._jaws(true_mm, self._hand.jaws_noise_mm)
        step = self._hand.rounds_to_mm
        return shown if step <= 0.01 else _text(step * round(float(shown) / step))

    def size(self, true_mm: float) -> str:
        """Return what jaws show of a hole or a post."""
        return self._jaws(true_mm, self._hand.size_noise_mm)

    def to_mark(self, true_mm: float) -> str:
        """Return what calipers show from inlet to pen mark."""
        return self._misread(true_mm + self._luck.gauss(0, self._hand.pen_noise_mm))

    def marked(self, wanted_mm: float) -> float:
        """Return where a pen mark really comes to be."""
        return wanted_mm + self._luck.gauss(0, self._hand.pen_noise_mm)

    def cut(self, true_mm: float) -> str:
        """Return what calipers show of a cut piece, twice: it is never quite straight."""
        noise_mm = self._hand.cut_noise_mm / 2
        curl_mm = abs(self._luck.gauss(0, self._hand.cut_noise_mm))
        each = (true_mm - curl_mm - abs(self._luck.gauss(0, noise_mm)) for _ in range(2))
        return "/".join(self._misread(side_mm) for side_mm in each)

    def height(self, true_mm: float) -> str:
        """Return a height off a ruler, in halves of a millimetre."""
        shown = round(2 * (true_mm + self._luck.gauss(0, _RULER_NOISE_MM))) / 2
        return f"{shown:g}"

    def mass(self, true_g: float) -> str:
        """Return what a pocket scale shows."""
        return f"{true_g + self._luck.gauss(0, _SCALE_NOISE_G):.2f}"

    def _jaws(self, true_mm: float, noise_mm: float) -> str:
        hand = self._hand
        return self._misread(true_mm + hand.off_mm + hand.zero_mm + self._luck.gauss(0, noise_mm))

    def _misread(self, shown_mm: float) -> str:
        if self._luck.random() < self._hand.misread:
            shown_mm += self._luck.choice((-0.1, 0.1))
        return _text(shown_mm)


def strand_readings(reader: Reader, roll: Roll, along_mm: float) -> list[str]:
    """Return what jaws show of a strand at several places, two at right angles at each."""
    readings = []
    for place in range(_PLACES):
        mean_mm = reader.uneven(strand_mm(roll, along_mm + _APART_MM * place), roll.uneven_mm)
        both = (mean_mm + roll.oval_mm / 2, mean_mm - roll.oval_mm / 2)
        readings.append("/".join(reader.wall(side_mm) for side_mm in both))
    return readings


def _text(shown_mm: float) -> str:
    return f"{round(shown_mm, 2) + 0.0:.2f}"


class Fed(NamedTuple):
    """One length fed: asked, really moved, at which rate and heat, and how long it took."""

    asked_mm: float
    moved_mm: float
    rate_mm_s: float
    nozzle_c: float
    time_s: float


class PrintedLine(NamedTuple):
    """One line as it was asked for: from where to where at which height, how much filament was
    meant and really pushed towards it, how fast, how hot, and at which place of the roll."""

    x0_mm: float
    y0_mm: float
    x1_mm: float
    y1_mm: float
    z_mm: float
    asked_mm: float
    geared_mm: float
    speed_mm_s: float
    accel_mm_s2: float
    nozzle_c: float
    along_mm: float


class PrintRecord(NamedTuple):
    """One print: its number, how many minutes it took, what was in the printer then, and whether
    it was printed to its end. Its lines lie in a file of their own."""

    number: int
    minutes: float
    fitted: Fitted
    whole: bool
