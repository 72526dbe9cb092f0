"""What a map of flow by speed and temperature says: a row of flows, and whether one would serve."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.flow.answer import Aim
from metier.core.flow.surface import Effect, Place, Share, Surface, proven
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import exceeds, round_to
from metier.core.verdicts import Verdict

# Flows nearer to each other than this are one.
_LEVEL = 0.02
# A flow whose ± is wider, relative, is none that anybody should type.
_WIDEST = 0.2


class Heat(NamedTuple):
    """The temperature at which one flow serves at a speed, with its ±; None where none does."""

    speed_mm_s: float
    temperature_c: float | None
    u95_c: float | None


class MapFinding(NamedTuple):
    """A map at one temperature: the flow that each speed needs, the temperatures at which
    ``one_flow`` serves each, the one at which one flow serves all, what mattered, and the place
    where a print would narrow most; ``to_type`` is the row, each as it is typed."""

    surface: Surface
    rows: tuple[Share, ...]
    sure: tuple[float, ...]
    to_type: tuple[float, ...]
    one_flow: float
    heats: tuple[Heat, ...]
    level: tuple[float, float] | None
    effects: tuple[Effect, ...]
    narrows: Share | None
    verdict: Verdict
    notes: tuple[str, ...]

    @property
    def spread(self) -> float:
        """By how much the largest flow of the row is above the smallest, relative."""
        flows = [row.flow for row in self.rows]
        return max(flows) / min(flows) - 1


def judge_map(
    surface: Surface,
    speeds_mm_s: Sequence[float],
    temperature_c: float | None,
    flow_set: float | None,
    aim: Aim,
) -> MapFinding:
    """Return the finding at one temperature; speeds beyond the points are left out and said, and
    so are those of which too little is known."""
    shown = proven(surface)
    needed = [(speed, surface.at(Place(speed, temperature_c))) for speed in speeds_mm_s]
    known = [needs for _, needs in needed if needs]
    told = [needs for needs in known if not exceeds(needs.flow_u95 / needs.flow, _WIDEST)]
    # What is not shown to matter is in no flow that anybody types.
    rows = tuple(row for row in (shown.at(needs.place) for needs in told) if row)
    notes = [_beyond(surface, [speed for speed, needs in needed if needs is None], temperature_c)]
    notes += [_vague(needs) for needs in known if needs not in told]
    one_flow = flow_set or (rows[len(rows) // 2].flow if rows else 1.0)
    heats = tuple(
        Heat(row.place.speed_mm_s, *(surface.temperature_for(one_flow, row.place.speed_mm_s)
             or (None, None)))
        for row in rows
    )  # fmt: skip
    if rows and any(row.beyond for row in rows):
        notes.append("the outermost lie a little beyond what was printed")
    verdict, sure = _verdict(rows, one_flow, aim)
    if flow_set is None and rows:
        notes.append(f"no flow is known to be set: {100 * one_flow:.1f} %, of the middle, is taken")
    candidates = [
        Place(speed, heat)
        for speed in sorted({place.speed_mm_s for place in surface.points.places})
        for heat in sorted({place.temperature_c or 0.0 for place in surface.points.places})
    ]
    if temperature_c is None:
        candidates = [candidate._replace(temperature_c=None) for candidate in candidates]
    return MapFinding(
        surface=surface,
        rows=rows,
        sure=sure,
        to_type=tuple(round_to(row.flow, aim.round_step, aim.rounding) for row in rows),
        one_flow=one_flow,
        heats=heats,
        level=surface.level_temperature(one_flow),
        effects=tuple(surface.effects()),
        narrows=surface.least_known(candidates),
        verdict=verdict,
        notes=tuple(note for note in notes if note),
    )


def _beyond(surface: Surface, speeds: Sequence[float], temperature_c: float | None) -> str:
    if not speeds:
        return ""
    known = sorted({place.speed_mm_s for place in surface.points.places})
    heats = sorted({place.temperature_c for place in surface.points.places if place.temperature_c})
    listed = ", ".join(f"{speed:g}" for speed in speeds)
    at = f" and {heats[0]:g} to {heats[-1]:g} °C" if len(heats) > 1 else ""
    asked = "" if temperature_c is None else f" at {temperature_c:g} °C"
    return (
        f"nothing is said of {listed} mm/s{asked}: printed were {known[0]:g} to {known[-1]:g} "
        f"mm/s{at}"
    )


def _vague(row: Share) -> str:
    heat = f" at {row.place.temperature_c:g} °C" if row.place.temperature_c else ""
    speed = f"{row.place.speed_mm_s:g} mm/s{heat}"
    return f"{speed}: its flow is too little known to type anything: print that speed there"


def _verdict(rows: Sequence[Share], flow: float, aim: Aim) -> tuple[Verdict, tuple[float, ...]]:
    """Return whether one flow serves all speeds, and how sure that is of each."""
    if not rows:
        return Verdict("unclear", "too little was printed near enough", ("a tube there",)), ()
    sure = tuple(_sure(row, flow, aim.band) for row in rows)
    worst = min(range(len(rows)), key=lambda at: sure[at])
    speed = rows[worst].place.speed_mm_s
    text = (
        f"chance that {100 * flow:.3g} % is right at {speed:g} mm/s: {100 * sure[worst]:.0f} in 100"
    )
    off = flow * rows[worst].share - 1
    alike = not exceeds(max(row.flow for row in rows), min(row.flow for row in rows))
    named = "no speed is proven to need another flow than the rest" if alike else "speeds differ"
    if sure[worst] >= aim.sure:
        return Verdict("keep", f"one flow is enough for all these speeds; {text}"), sure
    outside = exceeds(off, aim.band[1]) or exceeds(aim.band[0], off)
    if outside and sure[worst] <= 1 - aim.sure:
        wanted = f"one flow of {100 * rows[0].flow:.1f} %" if alike else "flows of their own"
        return Verdict("correct", f"{named}: {wanted}; {text}, {100 * off:+.1f} % off"), sure
    return Verdict("unclear", f"{named}; {text}", ("another tube of these speeds",)), sure


def _sure(row: Share, flow: float, band: tuple[float, float]) -> float:
    off, u = flow * row.share - 1, flow * row.u95 / NORMAL95
    low, high = ((edge - off) / u / math.sqrt(2) for edge in band)
    return 0.5 * (math.erf(high) - math.erf(low))


def level(finding: MapFinding) -> bool:
    """Tell whether the row's flows are one, as far as anybody types them."""
    return not exceeds(finding.spread, _LEVEL)
