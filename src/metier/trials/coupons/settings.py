"""Coupons that are broken, and those that are planned to be printed."""

from typing import Literal, NamedTuple

from metier.logbook.plain import Form
from metier.trials.limit.settings import HotEnd, KeptLine


class Rods(NamedTuple):
    """Coupons to print: their flows and how many of each, the line, how thick and long their
    gauge sections are, and the share of their lines that the fastest really reaches."""

    flows_mm3_s: tuple[float, ...]
    each: int
    line: KeptLine
    gauge_mm: float
    long_mm: float
    accel_mm_s2: float
    share: float


class StrengthSettings(NamedTuple):
    """Coupons broken; ``area_mm2`` is the cross-section of their lines times flow, where what is
    really reached is reckoned from that. ``rods`` are those that are planned to be printed."""

    way: Literal["strength"]
    on: HotEnd
    round_to_mm3_s: float
    coupon_diameter_mm: float | None
    coupon_length_mm: float | None
    accel_mm_s2: float | None
    layer_path_mm: float | None
    layer_time_s: float | None
    area_mm2: float | None
    rods: Rods | None = None


FORM = Form(StrengthSettings)
