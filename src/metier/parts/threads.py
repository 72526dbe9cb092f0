"""A bolt and its nut, few turns high, drawn at the sizes of the standard."""

import math

from shapely.geometry import Polygon

from metier.core.fit.thread import Drawn, Thread, ThreadProfile, profile_of
from metier.core.line.bead import PrintedLine
from metier.core.line.runs import Layer
from metier.parts.fill import flat_layers
from metier.parts.part import Compensated, Dimension, HeightRow, PacingWay
from metier.parts.solid import Body, Region, Slab, Turned, corners_of, disc
from metier.parts.tab import Tab

TURNS = 6
# Rounder than this, as a part of the radius, and the file grows beyond use.
_DEEP = 0.0013
# The knob that a bolt stands on, and what is left of a nut round its thread.
_KNOB_MM, _KNOB_ROUND_MM, _NUT_WALL_MM, _APART_MM = 8.0, 6.0, 4.0, 8.0


class BoltAndNut:
    """A bolt with a knob, thread up, and a hexagonal nut beside it; the trial's number on both."""

    name = "thread"
    best_as_gcode = False
    pacing: PacingWay = "slower"
    sliceable = True

    def __init__(
        self,
        number: int,
        thread: Thread,
        drawn: Drawn,
        line: PrintedLine,
        speed_mm_s: float,
        compensated: Compensated,
    ) -> None:
        self.number, self.thread, self.drawn, self.line = number, thread, drawn, line
        self._speed_mm_s, self._compensated = speed_mm_s, compensated
        self.bolt, self.nut = (profile_of(thread, "bolt", drawn), profile_of(thread, "nut", drawn))
        self.long_mm = TURNS * thread.pitch_mm
        self.knob_mm = max(self.bolt.major_mm + _KNOB_ROUND_MM, 16.0)
        # Across its flats; its corners lie further out.
        self.across_mm = self.nut.major_mm + 2 * _NUT_WALL_MM
        corner = self.across_mm / math.sqrt(3)
        self._bolt_at = (-(self.knob_mm / 2 + _APART_MM / 2), 0.0)
        self._nut_at = (corner + _APART_MM / 2, 0.0)
        bridge = line.width_mm
        self._tabs = [
            Tab(str(number), line, -self.knob_mm / 2, self._bolt_at[0], self.knob_mm / 4),
            Tab(str(number), line, -self.across_mm / 2, self._nut_at[0], bridge),
        ]

    def bodies(self) -> list[Body]:
        return self._bodies(Compensated(0.0, 0.0))

    def _bodies(self, by: Compensated) -> list[Body]:
        knob_slab = Slab(disc(self.knob_mm, self._bolt_at), 0.0, _KNOB_MM)
        top = _KNOB_MM + self.long_mm
        shaft, nut = self.bolt, self.nut
        wider = by.hole_mm
        nut = nut._replace(pitch_diameter_mm=nut.pitch_diameter_mm + 2 * wider)
        shaft = shaft._replace(pitch_diameter_mm=shaft.pitch_diameter_mm + 2 * by.contour_mm)
        deep = (shaft.major_mm - shaft.minor_mm) / 2 + 0.3
        bolt_end = (
            (_KNOB_MM, shaft.major_mm / 2 + 1.0),
            (top - deep, shaft.major_mm / 2 + 1.0),
            (top - deep, shaft.major_mm / 2),
            (top, shaft.major_mm / 2 - deep),
        )
        mouth = nut.major_mm / 2 + 0.2
        depth = mouth - nut.minor_mm / 2
        nut_ends = (
            (0.0, mouth),
            (depth, nut.minor_mm / 2),
            (self.long_mm - depth, nut.minor_mm / 2),
            (self.long_mm, mouth),
        )
        hexagon = Polygon(
            [
                (
                    self._nut_at[0] + self.across_mm / math.sqrt(3) * math.cos(math.pi * n / 3),
                    self.across_mm / math.sqrt(3) * math.sin(math.pi * n / 3),
                )
                for n in range(6)
            ]
        )
        return [
            Body(
                f"bolt {self.number}",
                (knob_slab, *self._tabs[0].slabs),
                (),
                (Turned(_section(shaft), self.thread.pitch_mm, bolt_end, False, self._bolt_at),),
            ),
            Body(
                f"nut {self.number}",
                (Slab(hexagon, 0.0, self.long_mm), *self._tabs[1].slabs),
                (),
                (Turned(_section(nut), self.thread.pitch_mm, nut_ends, True, self._nut_at),),
            ),
        ]

    def layers(self) -> list[Layer]:
        return flat_layers(self._bodies(self._compensated), self.line, self._speed_mm_s)

    def slicing(self) -> list[tuple[str, str]]:
        return [
            ("walls", "3 lines, top and bottom of 3 layers, 30 % infill"),
            ("compensate", self._compensated.words),
            ("layers", "as high as your threaded parts have them"),
            ("supports", "none: flanks of 60° need none"),
        ]

    def table(self) -> list[HeightRow]:
        return []

    def dimensions(self) -> list[Dimension]:
        bolt_x, nut_x = self._bolt_at[0], self._nut_at[0]
        major, top = self.bolt.major_mm / 2, _KNOB_MM + self.long_mm
        flats = self.across_mm / 2
        return [
            Dimension("front", (bolt_x - major, top), (bolt_x + major, top), f"ø {2 * major:.3f}"),
            Dimension("front", (bolt_x - self.knob_mm / 2, 0), (bolt_x - self.knob_mm / 2, top),
                      f"{top:g}"),
            Dimension("above", (nut_x + flats, -flats), (nut_x + flats, flats), f"{2 * flats:.4g}"),
        ]  # fmt: skip


def _section(profile: ThreadProfile) -> Region:
    """Return a thread's section square to its axis, at height 0."""
    # A multiple of 16, so that the corners of the profile are corners of it.
    radius_mm = profile.major_mm / 2
    count = corners_of(radius_mm, 16, _DEEP * radius_mm)
    points = []
    for n in range(count):
        radius, angle = profile.radius_mm(-n / count), 2 * math.pi * n / count
        points.append((radius * math.cos(angle), radius * math.sin(angle)))
    return Polygon(points)
