"""G-code read by itself, knowing nothing of how it was written: what lies in each layer, in what
time, and what became of the strand."""

import re
from typing import NamedTuple

WORD = re.compile(r"([GMXYZEFS])(-?[\d.]+)")


class Line(NamedTuple):
    """One line laid down: from, to, its cross-section in mm², its speed in mm/s."""

    begin: tuple
    end: tuple
    area_mm2: float
    speed_mm_s: float

    @property
    def length_mm(self):
        return ((self.end[0] - self.begin[0]) ** 2 + (self.end[1] - self.begin[1]) ** 2) ** 0.5


class Read(NamedTuple):
    """Lines by height, and in their order with it; retractions by how much strand was fed until
    then, and how far the way was that followed; and the rest."""

    layers: dict
    in_order: list
    retracted_at_mm: list
    hops_mm: list
    commands: list
    highest_mm: float


def read(text, filament_mm=1.75):
    strand_mm2 = 3.141592653589793 * filament_mm**2 / 4
    at = {"X": 0.0, "Y": 0.0, "Z": 0.0}
    speed, fed, layers, retracted, hops, commands = 20.0, 0.0, {}, [], [], []
    drawn, in_order = False, []
    for raw in text.splitlines():
        words = dict(WORD.findall(raw.partition(";")[0]))
        code = f"G{words['G']}" if "G" in words else f"M{words.get('M', '')}"
        commands.append((code, words))
        if code not in ("G0", "G1"):
            continue
        before = (at["X"], at["Y"], at["Z"])
        at.update({axis: float(words[axis]) for axis in "XYZ" if axis in words})
        speed = float(words["F"]) / 60 if "F" in words else speed
        length = ((at["X"] - before[0]) ** 2 + (at["Y"] - before[1]) ** 2) ** 0.5
        more = float(words.get("E", 0.0))
        if more > 0 and length > 0:
            line = Line(before[:2], (at["X"], at["Y"]), more * strand_mm2 / length, speed)
            layers.setdefault(round(at["Z"], 6), []).append(line)
            in_order.append((round(at["Z"], 6), line))
        if more:
            drawn = more < 0
        if more < 0:
            retracted.append(fed)
            hops.append(0.0)
        if drawn:
            hops[-1] += length
        fed += max(more, 0.0) if length else 0.0
    return Read(layers, in_order, retracted, hops, commands, max(layers, default=0.0))
