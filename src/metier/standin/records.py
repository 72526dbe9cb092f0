"""What has been fed and printed with a stand-in: what can be measured afterwards."""

from typing import NamedTuple

from metier.standin.truth import Fitted


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
