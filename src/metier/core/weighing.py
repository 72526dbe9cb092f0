"""Delivered by weight, and walls and scale beside each other.

A strand of known length and mass gives the mass of a length; a print's mass divided by it is the
length that was delivered. No density is needed, and neither texture nor jaws matter. Relative
uncertainties of a product or quotient add as squares (JCGM 100:2008, 5.1.6).
"""

import math
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.trials import PRINT_SCATTER, TEXTURE_MM, DosedWall, dot, inverse
from metier.core.line.bead import rounding_mm
from metier.core.measure.readings import Estimate
from metier.core.measure.student import NORMAL95, Influence, by_size
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict

# How far off the length of a strand may be, cut by hand along a ruler; a limit.
LENGTH_LIMIT_MM = 1.0
# No filament is lighter or heavier, in g/cm³.
_LIGHTEST, _HEAVIEST = 0.3, 5.0
_SLIP = 4.0


class Strand(NamedTuple):
    """What a length of a roll weighs: g a mm, and the relative u of that."""

    g_per_mm: float
    u_relative: float

    @property
    def g_per_m(self) -> float:
        """What a metre weighs."""
        return 1000 * self.g_per_mm

    @property
    def g_per_m_u95(self) -> float:
        """The ± of that."""
        return NORMAL95 * self.u_relative * self.g_per_m


class Diameters(NamedTuple):
    """The strand's diameter beside the slicer's, in mm; ``found_mm`` is None where nobody measured
    it, ``u95_mm`` is its ±."""

    slicer_mm: float | None = None
    found_mm: float | None = None
    u95_mm: float = 0.0

    @property
    def area_ratio(self) -> float:
        """The strand's cross-section, as a ratio to that which the slicer reckons with."""
        if self.found_mm is None or self.slicer_mm is None:
            return 1.0
        return (self.found_mm / self.slicer_mm) ** 2

    @property
    def u_relative(self) -> float:
        """The u of that, relative."""
        return 0.0 if self.found_mm is None else 2 * self.u95_mm / NORMAL95 / self.found_mm


class WallWitness(NamedTuple):
    """What walls say of the same: the share delivered over dosed with its ±, and the walls of the
    newest print; ``same_print`` tells that just that print was weighed."""

    share: float
    u95: float
    walls: tuple[DosedWall, ...]
    same_print: bool = False

    @property
    def flow(self) -> float:
        """The flow that they ask for, a ratio."""
        return 1 / self.share

    @property
    def flow_u95(self) -> float:
        """The ± of that."""
        return self.u95 / self.share**2


class Texture(NamedTuple):
    """What walls measure beyond the plastic that is in them, in mm: texture, squeezing, jaws."""

    mm: float
    u95_mm: float

    @property
    def unusual(self) -> bool:
        """Whether it is surely another than flow is reckoned with."""
        return exceeds(abs(self.mm - TEXTURE_MM), self.u95_mm)


class Beside(NamedTuple):
    """Both witnesses: whether they agree, by how much walls say more, and the ± of that."""

    agree: bool
    difference: float
    u95: float
    texture: Texture | None


class Weighing(NamedTuple):
    """A print that was weighed: delivered length, its ratio to the one asked for, and what it
    makes of e-steps or of flow, either of them.

    ``share`` is delivered over dosed, the slicer's diameter reckoned with; ``grown`` the ratio by
    which foaming filament is larger than it went in, where walls tell.
    """

    mass: Estimate
    delivered_mm: float
    delivered_u95_mm: float
    ratio: float
    ratio_u95: float
    share: float
    share_u95: float
    steps_new: float | None
    steps_new_u95: float | None
    beside: Beside | None
    grown: float | None
    grown_u95: float | None
    influences: tuple[Influence, ...]

    @property
    def flow_new(self) -> float:
        """The flow to type, a ratio."""
        return 1 / self.share

    @property
    def flow_new_u95(self) -> float:
        """The ± of that."""
        return self.share_u95 / self.share**2


def strand_of(mass: Estimate, length_mm: float, nominal_mm: float | None = None) -> Strand:
    """Return what a strand of that length and mass says of its roll.

    >>> found = strand_of(Estimate(2.953, 0.0065, 9, 0.0126, 2, 0.0), 1000)
    >>> round(found.g_per_mm, 6), round(found.u_relative, 5)
    (0.002953, 0.00228)

    Raises:
        BadInput: a strand that would be lighter or heavier than any filament.
    """
    if mass.value <= 0 or length_mm <= 0:
        raise BadInput(
            "a strand has a mass and a length above zero: tare the scale and weigh again"
        )
    g_mm = mass.value / length_mm
    density = g_mm / (math.pi * (nominal_mm or 1.75) ** 2 / 4) * 1000
    if not _LIGHTEST <= density <= _HEAVIEST:
        raise BadInput(
            f"{length_mm:g} mm of strand at {mass.value:g} g would be {density:.2g} g/cm³, which "
            "no filament is: look at grams and at millimetres"
        )
    u_length = LENGTH_LIMIT_MM / math.sqrt(3) / length_mm
    return Strand(g_mm, math.hypot(mass.u / mass.value, u_length))


def weigh(
    mass: Estimate,
    strand: Strand,
    asked_mm: float,
    diameters: Diameters,
    steps: float | None = None,
    walls: WallWitness | None = None,
    foaming: bool = False,
) -> Weighing:
    """Return what the mass of a print says.

    Raises:
        BadInput: a mass nowhere near what was asked for.
    """
    expected_g = strand.g_per_mm * asked_mm
    if mass.value <= 0 or not 1 / _SLIP <= mass.value / expected_g <= _SLIP:
        raise BadInput(_slip_text(mass.value, expected_g, asked_mm))
    ratio = mass.value / expected_g
    u_mass = mass.u / mass.value
    u_ratio = math.hypot(u_mass, strand.u_relative)
    share = ratio * diameters.area_ratio
    u_share = math.hypot(u_ratio, diameters.u_relative)
    share_u95 = NORMAL95 * u_share * share
    delivered_mm = mass.value / strand.g_per_mm
    grown = grown_u95 = beside = None
    if walls and foaming:
        grown = walls.share / share
        grown_u95 = grown * math.hypot(walls.u95 / walls.share, share_u95 / share)
    elif walls:
        beside = _beside(walls, share, share_u95)
    return Weighing(
        mass=mass,
        delivered_mm=delivered_mm,
        delivered_u95_mm=NORMAL95 * u_ratio * delivered_mm,
        ratio=ratio,
        ratio_u95=NORMAL95 * u_ratio * ratio,
        share=share,
        share_u95=share_u95,
        steps_new=None if steps is None else steps / ratio,
        steps_new_u95=None if steps is None else NORMAL95 * u_ratio * steps / ratio,
        beside=beside,
        grown=grown,
        grown_u95=grown_u95,
        influences=by_size(
            {
                "the strand": strand.u_relative / share,
                "the print's mass": u_mass / share,
                "the diameter": diameters.u_relative / share,
            }
        ),
    )


def _slip_text(mass_g: float, expected_g: float, asked_mm: float) -> str:
    text = f"{mass_g:g} g is nowhere near the {expected_g:.4g} g of {asked_mm:.5g} mm asked for"
    for factor in (10, 100, 0.1, 0.01, 1000, 0.001):
        likely = mass_g / factor
        if 0.7 < likely / expected_g < 1.4:
            return f"{text}: was it {likely:.6g} g, or {asked_mm * factor:.6g} mm?"
    return f"{text}: look at the grams, the strand and the file"


def _beside(walls: WallWitness, share: float, share_u95: float) -> Beside:
    u95 = math.hypot(walls.u95, share_u95)
    difference = walls.share - share
    texture = _texture(walls, share, share_u95 / NORMAL95) if walls.walls else None
    return Beside(not exceeds(abs(difference), u95), difference, u95, texture)


def _texture(witness: WallWitness, share: float, u_share: float) -> Texture:
    """Return what walls measure beyond that share of plastic, by weighted least squares.

    Where another print was weighed, prints differ.
    """
    beyond, slopes = [], []
    step = 0.001 * share
    for wall in witness.walls:
        beyond.append(wall.wall_mm - wall.lines_mm(share))
        slopes.append((wall.lines_mm(share + step) - wall.lines_mm(share - step)) / (2 * step))
    scatter = 0.0 if witness.same_print else PRINT_SCATTER
    delivered = [wall.wall_mm - rounding_mm(wall.layer_mm) for wall in witness.walls]
    rows = []
    for i, one in enumerate(witness.walls):
        row = []
        for j, other in enumerate(witness.walls):
            shared = slopes[i] * slopes[j] * u_share**2 + (one.u_mm**2 if i == j else 0.0)
            if one.print_number == other.print_number:
                shared += scatter**2 * delivered[i] * delivered[j]
            row.append(shared)
        rows.append(row)
    ones = [1.0] * len(rows)
    weights = [dot(row, ones) for row in inverse(rows)]
    total = math.fsum(weights)
    return Texture(dot(weights, beyond) / total, NORMAL95 / math.sqrt(total))


# Beyond this what is weighed is not what the file asks for.
_PLAUSIBLE = (0.7, 1.4)
_SURE = 0.75


class WeighFinding(NamedTuple):
    """What a scale found: a strand, a print, or both; ``strand_trial`` is the trial that the
    strand was weighed in, where that was another."""

    strand: Strand
    weighing: Weighing | None
    verdict: Verdict
    notes: tuple[str, ...]
    strand_trial: int | None = None


def judge_strand(strand: Strand) -> WeighFinding:
    """Return the finding for a strand alone: the roll is known now."""
    return WeighFinding(
        strand,
        None,
        Verdict("keep", "what a metre of this roll weighs is known now: weigh a print next"),
        (),
    )


def judge_print(
    strand: Strand,
    weighing: Weighing,
    flow_set: float | None,
    diameters: Diameters,
    foaming: bool,
    band: tuple[float, float],
) -> WeighFinding:
    """Return the finding for a print: whether the flow that is set brings what it should.

    Of foaming filament only what is fed can be judged, not how thick it comes out.
    """
    share = weighing.ratio if foaming else weighing.share
    u = (weighing.ratio_u95 if foaming else weighing.share_u95) / NORMAL95
    verdict = _verdict(1.0 if foaming or flow_set is None else flow_set, share, u, band, foaming)
    notes = _notes(flow_set, diameters, foaming)
    if weighing.beside and verdict.name != "recheck":
        notes += _beside_notes(weighing.beside)
    return WeighFinding(strand, weighing, verdict, tuple(notes))


def _verdict(
    flow: float, share: float, u: float, band: tuple[float, float], foaming: bool
) -> Verdict:
    off, u_off = flow * share - 1, flow * u
    what = "what is fed" if foaming else f"{100 * flow:.4g} %"
    if not _PLAUSIBLE[0] <= share <= _PLAUSIBLE[1]:
        return Verdict(
            "recheck",
            f"{100 * share:.0f} % of what was asked for is on the scale: that is no matter of flow",
            (
                "whether this is the print of that file, whole, nothing of another on the scale",
                "whether the strand is of this roll, its length and its grams",
                "whether the extruder slips or the print was asked faster than it melts",
            ),
        )
    sure = _normal(band[1], off, u_off) - _normal(band[0], off, u_off)
    text = f"{what} brings {100 * off:+.1f} ± {100 * NORMAL95 * u_off:.1f} % of what it should"
    if sure >= _SURE:
        return Verdict("keep", f"{text}: within {100 * band[0]:+g} to {100 * band[1]:+g} %")
    outside = exceeds(off, band[1]) or exceeds(band[0], off)
    if outside and sure <= 1 - _SURE:
        return Verdict("correct", text)
    return Verdict(
        "unclear",
        f"{text}: {100 * sure:.0f} % sure that it lies in the band",
        ("a longer strand (2 m), or weigh strand and print thrice each",),
    )


def _normal(edge: float, mean: float, u: float) -> float:
    """Return how likely a normal quantity lies below an edge."""
    return 0.5 * (1 + math.erf((edge - mean) / u / math.sqrt(2)))


def _notes(flow_set: float | None, diameters: Diameters, foaming: bool) -> list[str]:
    notes = []
    if flow_set is None and not foaming:
        notes.append("no flow is known to be set: judged as if 100 % were")
    if diameters.found_mm is None and not foaming:
        notes.append(
            "the strand's diameter was not measured: it is taken as the slicer has it "
            "(metier diameter)"
        )
    if foaming:
        notes.append(
            "foaming plastic grows after it is fed, which no scale sees: flow is for walls to say"
        )
    return notes


def _beside_notes(beside: Beside) -> list[str]:
    notes = []
    texture = beside.texture
    if texture and texture.unusual:
        notes.append(
            f"walls measure {texture.mm:.3f} ± {texture.u95_mm:.3f} mm beyond the plastic in them, "
            f"and flow reckons with {TEXTURE_MM:g}: that is texture, squeezing or jaws, which "
            "walls alone take for flow"
        )
    if not beside.agree:
        more = "walls say more than the scale" if beside.difference > 0 else "it says more"
        notes.append(
            f"walls and scale disagree: {more}. Calipers are blind to texture and to squeezing; a "
            "scale to strings, blobs and to a purge that is on one side of the sum alone"
        )
    return notes
