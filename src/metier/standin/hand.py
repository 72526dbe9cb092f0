"""What a person reads off an instrument: noise, rounding, a zero, and now and then a misread digit.

Lengths are shown in hundredths, as digital calipers do.
"""

import random

from metier.standin.plastic import strand_mm
from metier.standin.truth import Hand, Roll

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
        """Return what outside jaws show of a wall or a strand."""
        return self._jaws(true_mm, self._hand.jaws_noise_mm)

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
        return "/".join(self._misread(one) for one in each)

    def height(self, true_mm: float) -> str:
        """Return a height off a ruler, in halves of a millimetre."""
        shown = round(2 * (true_mm + self._luck.gauss(0, _RULER_NOISE_MM))) / 2
        return f"{shown:g}"

    def mass(self, true_g: float) -> str:
        """Return what a pocket scale shows."""
        return f"{true_g + self._luck.gauss(0, _SCALE_NOISE_G):.2f}"

    def _jaws(self, true_mm: float, noise_mm: float) -> str:
        hand = self._hand
        shown_mm = true_mm + hand.off_mm + hand.zero_mm + self._luck.gauss(0, noise_mm)
        return self._misread(shown_mm)

    def _misread(self, shown_mm: float) -> str:
        if self._luck.random() < self._hand.misread:
            shown_mm += self._luck.choice((-0.1, 0.1))
        return _text(shown_mm)


def strand_readings(reader: Reader, roll: Roll, along_mm: float) -> list[str]:
    """Return what jaws show of a strand at several places, two at right angles at each."""
    found = []
    for place in range(_PLACES):
        mean_mm = reader.uneven(strand_mm(roll, along_mm + _APART_MM * place), roll.uneven_mm)
        both = (mean_mm + roll.oval_mm / 2, mean_mm - roll.oval_mm / 2)
        found.append("/".join(reader.wall(one) for one in both))
    return found


def _text(shown_mm: float) -> str:
    return f"{round(shown_mm, 2) + 0.0:.2f}"
