"""Delivered by weight: a strand, a density, a print.

The mass of a print over its plastic's density is the volume that was delivered; that over the
volume of filament asked for is a row of flow's posterior. A strand of known length and mass turns
grams into millimetres: delivered length over asked length, with neither density nor diameter in
it. Relative uncertainties of a product or quotient add as squares (JCGM 100:2008, 5.1.6).
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.answer import BAND, SURE
from metier.core.flow.rows import PRINT_SCATTER, ToldShare, by_weight
from metier.core.flow.verdict import FlowFinding
from metier.core.materials import DENSITIES
from metier.core.measure.readings import Estimate
from metier.core.measure.student import NORMAL95, Influence, by_size, normal_within
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict

# How far off the length of a strand may be, cut by hand along a ruler; a limit.
LENGTH_LIMIT_MM = 1.0
# No filament is lighter or heavier, in g/cm³.
_LIGHTEST, _HEAVIEST = 0.3, 5.0
_SLIP = 4.0
# How well densities are known, relative (1 u): the material's usual one, the maker's.
_USUAL_U, _MAKER_U = 0.015, 0.008
# Materials whose makers agree on a density.
_AGREED = ("pla", "petg", "abs", "asa")


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


class Density(NamedTuple):
    """How dense a plastic is, its relative u, and what that is known from."""

    g_cm3: float
    u: float
    known_from: tuple[str, ...]


def strand_of(mass: Estimate, length_mm: float, nominal_mm: float | None = None) -> Strand:
    """Return what a strand of that length and mass says of its roll.

    >>> strand = strand_of(Estimate(2.953, 0.0065, 9, 0.0126, 2, 0.0), 1000)
    >>> round(strand.g_per_mm, 6), round(strand.u_relative, 5)
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


def density_of(
    material: str | None,
    maker_g_cm3: float | None,
    strand: Strand | None,
    diameter_mm: float,
    diameter_u_mm: float,
) -> Density | None:
    """Return a plastic's density from all that tells it, weighted by 1/u²; None where nothing does.

    >>> density_of("PLA", None, None, 1.75, 0.02)
    Density(g_cm3=1.24, u=0.015, known_from=('the material',))
    """
    told: list[tuple[str, float, float]] = []
    if material and material.lower() in _AGREED:
        told.append(("the material", DENSITIES[material.lower()], _USUAL_U))
    if maker_g_cm3:
        told.append(("the maker", maker_g_cm3, _MAKER_U))
    if strand:
        g_cm3 = 4000 * strand.g_per_mm / (math.pi * diameter_mm**2)
        u = math.hypot(strand.u_relative, 2 * diameter_u_mm / diameter_mm)
        told.append(("the strand", g_cm3, u))
    if not told:
        return None
    weights = [1 / (u * g_cm3) ** 2 for _, g_cm3, u in told]
    total = math.fsum(weights)
    mean = math.fsum(w * g_cm3 for w, (_, g_cm3, _) in zip(weights, told, strict=True)) / total
    return Density(mean, 1 / math.sqrt(total) / mean, tuple(name for name, _, _ in told))


class Delivered(NamedTuple):
    """The length delivered of the one asked for, by a strand: the ratio and the u of that; the
    e-steps it makes where those in the printer are known."""

    ratio: float
    u: float
    steps_new: float | None

    @property
    def ratio_u95(self) -> float:
        """The ± of the ratio."""
        return NORMAL95 * self.u

    @property
    def steps_u95(self) -> float | None:
        """The ± of the e-steps."""
        return self.steps_new and NORMAL95 * self.u / self.ratio * self.steps_new


class Weighing(NamedTuple):
    """A print that was weighed: its mass, what that says of the share delivered over dosed where a
    density is known, and of the length where a strand is."""

    mass: Estimate
    asked_mm: float
    density: Density | None
    told: ToldShare | None
    delivered: Delivered | None

    @property
    def influences(self) -> tuple[Influence, ...]:
        """What makes the ± of what was delivered by the strand, as ratios."""
        parts = {"the print's mass": self.mass.u / self.mass.value, "prints": PRINT_SCATTER}
        if self.delivered:
            mine = (self.delivered.u / self.delivered.ratio) ** 2
            parts["the strand"] = math.sqrt(max(0.0, mine - sum(u**2 for u in parts.values())))
        return by_size(parts)


def weigh(
    mass: Estimate,
    asked_mm: float,
    *,
    density: Density | None = None,
    strand: Strand | None = None,
    slicer_mm: float = 1.75,
    steps: float | None = None,
    print_number: int = 0,
    print_scatter: float = PRINT_SCATTER,
) -> Weighing:
    """Return what the mass of a print says.

    Raises:
        BadInput: a mass nowhere near what was asked for, or neither strand nor density.
    """
    if strand is None and density is None:
        raise BadInput(
            "the plastic's density is not known: metier spool set NAME --density 1.25, or weigh a "
            "metre of strand, too: --strand G --length 1000"
        )
    expected_g = 0.0
    if strand:
        expected_g = strand.g_per_mm * asked_mm
    elif density:
        expected_g = density.g_cm3 * asked_mm * math.pi * slicer_mm**2 / 4000
    if mass.value <= 0 or not 1 / _SLIP <= mass.value / expected_g <= _SLIP:
        raise BadInput(_slip_text(mass.value, expected_g, asked_mm))
    told = delivered = None
    if density:
        told = by_weight(
            mass.value, mass.u, asked_mm, slicer_mm, density.g_cm3, density.u, print_number
        )
    if strand:
        ratio = mass.value / expected_g
        u = math.hypot(mass.u / mass.value, strand.u_relative, print_scatter)
        delivered = Delivered(ratio, ratio * u, steps and steps / ratio)
    return Weighing(mass, asked_mm, density, told, delivered)


def _slip_text(mass_g: float, expected_g: float, asked_mm: float) -> str:
    text = f"{mass_g:g} g is nowhere near the {expected_g:.4g} g of {asked_mm:.5g} mm asked for"
    for factor in (10, 100, 0.1, 0.01, 1000, 0.001):
        likely = mass_g / factor
        if 0.7 < likely / expected_g < 1.4:
            return f"{text}: was it {likely:.6g} g, or {asked_mm * factor:.6g} mm?"
    return f"{text}: look at the grams, the strand and the file"


class WallWitness(NamedTuple):
    """What walls alone say: the share delivered over dosed with its ±, and of which trial."""

    share: float
    u95: float
    trial: int

    @property
    def flow(self) -> float:
        """The flow that they ask for, a ratio."""
        return 1 / self.share

    @property
    def flow_u95(self) -> float:
        """The ± of that."""
        return self.u95 / self.share**2


class Beside(NamedTuple):
    """Walls and scale: whether they agree, by how much walls say more, and the ± of that."""

    agree: bool
    difference: float
    u95: float


def beside_walls(told: ToldShare, walls: WallWitness) -> Beside:
    """Return how walls and scale go together."""
    u95 = math.hypot(walls.u95, NORMAL95 * math.hypot(told.whole_u, PRINT_SCATTER * told.value))
    difference = walls.share - told.value
    return Beside(not exceeds(abs(difference), u95), difference, u95)


class WeighFinding(NamedTuple):
    """What a scale found: a strand, a print, or both; ``strand_trial`` is the trial that the
    strand was weighed in, where that was another. ``flow`` is what all prints say with this one,
    ``grown`` by how much foaming filament is larger than it went in, with its ±."""

    strand: Strand | None
    weighing: Weighing | None
    verdict: Verdict
    notes: tuple[str, ...]
    strand_trial: int | None = None
    flow: FlowFinding | None = None
    beside: Beside | None = None
    grown: tuple[float, float] | None = None

    @property
    def offers_steps(self) -> bool:
        """Whether e-steps are what it corrects, and not flow."""
        return self.flow is None and self.weighing is not None


def judge_strand(strand: Strand) -> WeighFinding:
    """Return the finding for a strand alone: the roll is known now."""
    return WeighFinding(
        strand,
        None,
        Verdict("keep", "what a metre of this roll weighs is known now: weigh a print next"),
        (),
    )


# Beyond this what is weighed is not what the file asks for.
_PLAUSIBLE = (0.7, 1.4)


def refuse_other_print(share: float) -> Verdict | None:
    """Return the verdict on a print that is not that of its file, or was not fed as asked."""
    if _PLAUSIBLE[0] <= share <= _PLAUSIBLE[1]:
        return None
    return Verdict(
        "recheck",
        f"{100 * share:.0f} % of what was asked for is on the scale: that is no matter of flow",
        (
            "whether this is the print of that file, whole, nothing of another on the scale",
            "whether the strand is of this roll, its length and its grams",
            "whether the extruder slips or the print was asked faster than it melts",
        ),
    )


def judge_fed(delivered: Delivered, band: tuple[float, float] = BAND) -> Verdict:
    """Return the verdict on what was fed of what was asked for, by how likely it lies in a band."""
    recheck = refuse_other_print(delivered.ratio)
    if recheck:
        return recheck
    off = delivered.ratio - 1
    chance = normal_within(*band, off, delivered.u)
    text = (
        f"{100 * delivered.ratio:.1f} ± {100 * delivered.ratio_u95:.1f} % of what was asked for "
        f"was fed; chance that this is right: {100 * chance:.0f} in 100"
    )
    if chance >= SURE:
        return Verdict("keep", text)
    outside = exceeds(off, band[1]) or exceeds(band[0], off)
    if outside and chance <= 1 - SURE:
        return Verdict("correct", text)
    return Verdict(
        "unclear", text, ("a longer strand (2 m), or weigh strand and print thrice each",)
    )


def weighing_notes(
    flow_set: float | None, foaming: bool, beside: Beside | None, offers_steps: bool
) -> Sequence[str]:
    """Return what is to be said beside it."""
    notes = []
    if flow_set is None and not foaming and not offers_steps:
        notes.append("no flow is known to be set")
    if foaming:
        notes.append(
            "foaming plastic grows after it is fed, which no scale sees: flow is for walls to say"
        )
    if beside and not beside.agree:
        more = "walls say more than the scale" if beside.difference > 0 else "it says more"
        notes.append(
            f"walls and scale disagree: {more}. Calipers are blind to texture and to squeezing; a "
            "scale to strings, blobs and to a purge that is on one side of the sum alone"
        )
    return notes
