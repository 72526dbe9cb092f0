"""A real part after the cube: its walls at named places against what they should be.

The places' mean is judged by twice the band that flow is: calipers see no more on one thin wall. A
place is compared with the others, too: what the jaws are off, and texture, are the same for all.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.rows import TEXTURE_MM, TEXTURE_U_MM
from metier.core.flow.verdict import FlowFinding
from metier.core.line.bead import rounding_mm
from metier.core.measure.readings import PRIOR_DOF, Estimate, Instrument, estimate, spread_mm
from metier.core.measure.student import NORMAL95, normal_within, t95, t_quantile
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict

# A part whose mean is off by more is another part, or measured somewhere else.
_PLAUSIBLE = (0.4, 2.0)
_SURE = 0.75
# A place thinner than the others by more is looked at first.
_THIN = 0.04


class At(NamedTuple):
    """A place by its name, its readings in mm, and the wall that it should have."""

    name: str
    readings_mm: tuple[float, ...]
    expected_mm: float


class Measured(NamedTuple):
    """A place as it was measured: its mean, how far the wall is off what it should be, relative,
    and the ± of that beside the other places."""

    name: str
    wall_mm: float
    expected_mm: float
    off: float
    off_u95: float


class ProofFinding(NamedTuple):
    """A part: its mean over the places, how far off it is (relative, with ±), how uneven it is,
    and its thinnest place. ``texture`` is what texture makes of that, ``sure`` how likely the mean
    is right, ``flow`` what the walls say of flow, where their lines are known."""

    mean: Estimate
    expected_mm: float
    off: float
    off_u95: float
    uneven_mm: float
    places: tuple[Measured, ...]
    thinnest: Measured
    thin: tuple[Measured, ...]
    grams_off: float | None
    factor: float | None
    verdict: Verdict
    notes: tuple[str, ...]
    texture: float
    sure: float
    flow: FlowFinding | None = None


class Job(NamedTuple):
    """What printing took beside what the file said: grams and minutes; None where not told."""

    grams: float | None = None
    file_grams: float | None = None
    minutes: float | None = None
    file_minutes: float | None = None

    @property
    def grams_off(self) -> float | None:
        """How much more it weighs than the file says, relative."""
        if not self.grams or not self.file_grams:
            return None
        return self.grams / self.file_grams - 1

    @property
    def factor(self) -> float | None:
        """By what its time is longer than the estimate."""
        if not self.minutes or not self.file_minutes:
            return None
        return self.minutes / self.file_minutes


def prove(
    places: Sequence[At], instrument: Instrument, band: tuple[float, float], job: Job
) -> ProofFinding:
    """Judge a part.

    recheck: a place is thin while the others are right. keep: the mean lies in twice the band with
    a chance of 3 in 4. correct: the mean is off, surely.

    Raises:
        BadInput: no places, a name twice, or a wall that is nowhere near what it should be.
    """
    if not places:
        raise BadInput("no places: give --at NAME=MM, two or more")
    names = [place.name for place in places]
    if len(set(names)) < len(names):
        raise BadInput("a place is named twice: its readings go together, north=0.58/0.59")
    sides = [estimate(place.readings_mm, instrument) for place in places]
    judged = []
    for place, side in zip(places, sides, strict=True):
        if not _PLAUSIBLE[0] <= side.value / place.expected_mm <= _PLAUSIBLE[1]:
            raise BadInput(
                f"{place.name} measured {side.value:.3g} mm where {place.expected_mm:.4g} should "
                "be: look at the reading, or at what it should be"
            )
        off = side.value / place.expected_mm - 1
        judged.append(Measured(place.name, side.value, place.expected_mm, off, 0.0))
    spread = _spread_mm(places, instrument)
    judged = [
        measured._replace(off_u95=_beside_u95(place, len(places), spread, measured))
        for measured, place in zip(judged, places, strict=True)
    ]
    mean = _mean(places, sides, instrument)
    expected_mm = math.fsum(place.expected_mm for place in places) / len(places)
    off = math.fsum(measured.off for measured in judged) / len(judged)
    u_common = math.hypot(TEXTURE_U_MM, instrument.accuracy_mm / math.sqrt(3))
    u_own = spread / math.sqrt(sum(len(place.readings_mm) for place in places))
    u_off = math.hypot(u_common, u_own) / expected_mm
    texture = TEXTURE_MM / expected_mm
    wide = 2 * band[0], 2 * band[1]
    sure = normal_within(*wide, off - texture, u_off)
    thinnest = min(judged, key=lambda place: place.off)
    thin = _thin(judged)
    means = [side.value - place.expected_mm for place, side in zip(places, sides, strict=True)]
    middle = math.fsum(means) / len(means)
    squares = math.fsum((mean - middle) ** 2 for mean in means) / max(1, len(means) - 1)
    # What is read differs by itself; the rest is the part.
    own = math.fsum(
        max(instrument.repeatability_mm**2, instrument.resolution_mm**2 / 12)
        / len(place.readings_mm)
        for place in places
    ) / len(places)
    uneven_mm = math.sqrt(max(0.0, squares - own)) if len(means) > 1 else 0.0
    return ProofFinding(
        mean=mean,
        expected_mm=expected_mm,
        off=off,
        off_u95=NORMAL95 * u_off,
        uneven_mm=uneven_mm,
        places=tuple(judged),
        thinnest=thinnest,
        thin=thin,
        grams_off=job.grams_off,
        factor=job.factor,
        verdict=_verdict(off - texture, off, u_off, sure, thin, len(places)),
        notes=tuple(_notes(judged, job, band)),
        texture=texture,
        sure=sure,
    )


def _mean(places: Sequence[At], sides: Sequence[Estimate], instrument: Instrument) -> Estimate:
    """Return the mean of the places, each counted alike."""
    count = sum(len(place.readings_mm) for place in places)
    mean = math.fsum(side.value for side in sides) / len(sides)
    spread = _spread_mm(places, instrument)
    u_repeat = max(spread / math.sqrt(count), instrument.resolution_mm / math.sqrt(12))
    u = math.hypot(u_repeat, instrument.accuracy_mm / math.sqrt(3))
    dof = math.floor((PRIOR_DOF + count - len(places)) * (u / u_repeat) ** 4 + 1e-9)
    return Estimate(mean, u, dof, t95(dof) * u, count, spread)


def _spread_mm(places: Sequence[At], instrument: Instrument) -> float:
    """Return by how much readings of one place scatter, pooled with what the instrument does."""
    squares, dof = 0.0, 0
    for place in places:
        middle = math.fsum(place.readings_mm) / len(place.readings_mm)
        squares += math.fsum((reading - middle) ** 2 for reading in place.readings_mm)
        dof += len(place.readings_mm) - 1
    scatter = math.sqrt(squares / dof) if dof else 0.0
    return max(spread_mm(scatter, dof + 1, instrument), instrument.resolution_mm / math.sqrt(12))


def _beside_u95(place: At, count: int, spread: float, measured: Measured) -> float:
    """Return the ± of how a place differs from the others: so wide that of all places together no
    more than one part in twenty seems thin by luck (Bonferroni)."""
    u = spread * math.sqrt(1 / len(place.readings_mm) + 1 / max(1, count - 1))
    factor = t_quantile(1 - 0.05 / (2 * max(1, count)), PRIOR_DOF + count - 1)
    return factor * u / measured.expected_mm


def _thin(measureds: Sequence[Measured]) -> tuple[Measured, ...]:
    """Return the places that are surely thinner than the others, by more than lines differ; the
    thinnest is taken away before the next is compared."""
    left, thin = list(measureds), []
    while len(left) > 1:
        lowest = min(left, key=lambda place: place.off)
        others = [place.off for place in left if place is not lowest]
        beside = lowest.off - math.fsum(others) / len(others)
        if not exceeds(-max(_THIN, lowest.off_u95), beside):
            break
        thin.append(lowest)
        left.remove(lowest)
    return tuple(thin)


def _verdict(
    off: float, plain: float, u_off: float, sure: float, thin: Sequence[Measured], count: int
) -> Verdict:
    if thin and len(thin) < count:
        named = " and ".join(place.name for place in thin)
        return Verdict(
            "recheck",
            f"{named}: {100 * thin[0].off:+.0f} %, thinner than the rest by more than readings "
            "explain",
            (
                "what differs there: speed, layer time, a seam, a bridge or an overhang",
                "whether the nozzle was going faster there than it melts (metier sliced cost)",
            ),
        )
    text = (
        f"walls are {100 * plain:+.1f} ± {100 * NORMAL95 * u_off:.1f} % off what they should be; "
        f"chance that they are right: {100 * sure:.0f} in 100"
    )
    if sure >= _SURE:
        return Verdict("keep", text)
    if sure <= 1 - _SURE and exceeds(abs(off), NORMAL95 * u_off):
        return Verdict("correct", text, ("a cube (metier flow)",))
    return Verdict("unclear", text, ("more readings, or calipers that were checked",))


def other_lines_note(mean_mm: float, lines: int, apart_mm: float, layer_mm: float) -> str | None:
    """Return the question due where a wall is nearer to another whole number of lines.

    >>> other_lines_note(0.86, 1, 0.41, 0.2)
    'a wall of 0.86 mm is nearer to 2 lines than to 1: 2 lines? Then say --walls 2'
    """
    nearest = max(1, round((mean_mm - rounding_mm(layer_mm) - TEXTURE_MM) / apart_mm))
    if nearest == lines:
        return None
    return (
        f"a wall of {mean_mm:.2f} mm is nearer to {nearest} lines than to {lines}: {nearest} "
        f"line{'s' if nearest > 1 else ''}? Then say --walls {nearest}"
    )


def _notes(measureds: Sequence[Measured], job: Job, band: tuple[float, float]) -> list[str]:
    notes = []
    if len(measureds) == 1:
        notes.append("one place tells nothing of how even a part is: measure three or more")
    if job.grams_off is not None and (
        exceeds(job.grams_off, band[1]) or exceeds(band[0], job.grams_off)
    ):
        notes.append(
            f"it weighs {100 * job.grams_off:+.1f} % of what the file says: metier weigh tells "
            "e-steps from flow"
        )
    return notes


def later(old: ProofFinding, new: ProofFinding) -> list[tuple[str, float, float]]:
    """Return the places that both prints of a part have, with how far each is off, old and new."""
    before = {place.name: place.off for place in old.places}
    return [
        (place.name, before[place.name], place.off) for place in new.places if place.name in before
    ]
