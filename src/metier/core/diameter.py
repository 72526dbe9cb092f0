"""From the strand's diameter to the one that the slicer should have."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.measure.instruments import CHECKED_MM, checking_note
from metier.core.measure.readings import (
    Estimate,
    Instrument,
    estimate_sides,
    refuse_slip,
    repeat_uncertainty,
    scatter_note,
    suspects,
)
from metier.core.measure.student import NORMAL95, Influence, by_size, normal_within
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict

# Relative to the cross-section the slicer has, and how likely that is to be.
KEEP_WITHIN, _LIKELY = 0.02, 0.75
# Makers hold a strand's diameter to this (1 u), in mm.
_NOMINAL_U_MM = 0.02
_NOMINALS_MM = (1.75, 2.85)
# The worst of rolls are not so far off.
_NO_STRAND = 0.1
# A strand that varies more along its length defies any single value.
EVEN_WITHIN_MM = 0.05
# The mean difference of two readings of the same thing, in standard deviations (ISO 5725-6).
_MEAN_DIFFERENCE = 1.128


class DiameterFinding(NamedTuple):
    """The strand's mean diameter, how far it is from round, and what that does to flow.

    ``diameter`` is by the readings alone, ``pooled_mm`` together with the maker's ``nominal_mm``;
    None where the two are too far apart. ``sure`` is how likely the slicer's diameter is right.
    ``flow_factor`` is what flow would be multiplied by were the slicer left at its diameter;
    ``uneven_mm`` the spread of the places along the strand, ``influences`` what makes the ± of
    the diameter.
    """

    diameter: Estimate
    slicer_mm: float
    out_of_round_mm: float | None
    uneven_mm: float
    flow_factor: float
    flow_factor_u95: float
    influences: tuple[Influence, ...]
    verdict: Verdict
    notes: tuple[str, ...]
    nominal_mm: float
    pooled: bool
    mm: float
    u95_mm: float
    sure: float


def nominal_of(reading_mm: float) -> float:
    """Return the nominal diameter that a reading is nearest to.

    >>> nominal_of(1.71), nominal_of(2.9)
    (1.75, 2.85)
    """
    return min(_NOMINALS_MM, key=lambda nominal: abs(nominal - reading_mm))


def judge_diameter(
    places_mm: Sequence[Sequence[float]],
    slicer_mm: float,
    instrument: Instrument,
    nominal_mm: float | None = None,
) -> DiameterFinding:
    """Judge a strand measured at several places, at each once or twice at right angles.

    Makers hold their nominal diameter better than calipers read it, so that both are pooled by
    1/u², unless they are more than 2 joint u apart (JCGM 100:2008, 5.1.2).

    >>> found = judge_diameter([[1.75, 1.74], [1.75, 1.76], [1.74, 1.75]], 1.75,
    ...                        Instrument(0.012, 0.02, 0.01), 1.75)
    >>> round(found.mm, 5), round(found.u95_mm, 4)
    (1.74879, 0.0205)

    Raises:
        BadInput: no readings, a size not above zero, or readings far from what is expected.
    """
    if not slicer_mm > 0:
        raise BadInput(f"slicer diameter {slicer_mm:g} mm must be above zero")
    for place in places_mm:
        for reading in place:
            refuse_slip(reading, slicer_mm + instrument.zero_mm, "reading")
    diameter = estimate_sides(places_mm, instrument)
    means_mm = [sum(place) / len(place) for place in places_mm]
    uneven_mm = max(means_mm) - min(means_mm)
    nominal_mm = nominal_mm or nominal_of(diameter.value)
    apart_u = math.hypot(diameter.u, _NOMINAL_U_MM)
    pooled = not exceeds(abs(diameter.value - nominal_mm), 2 * apart_u)
    mm, u95_mm = diameter.value, diameter.u95
    if pooled:
        weights = diameter.u**-2, _NOMINAL_U_MM**-2
        mm = (weights[0] * diameter.value + weights[1] * nominal_mm) / sum(weights)
        u95_mm = NORMAL95 / math.sqrt(sum(weights))
    factor = (slicer_mm / mm) ** 2
    part = (u95_mm / NORMAL95 / diameter.u) ** 2 if pooled else 1.0
    influences = by_size(
        {
            "readings": part * _u_readings_mm(places_mm, diameter, instrument),
            "calipers": part * instrument.accuracy_mm / math.sqrt(3),
            **({"nominal": (1 - part) * _NOMINAL_U_MM} if pooled else {}),
        }
    )
    gains = checking_note(influences, u95_mm, instrument, "strand", "mm")
    u_area = 2 * u95_mm / NORMAL95 * mm / slicer_mm**2
    sure = normal_within(-KEEP_WITHIN, KEEP_WITHIN, 1 / factor - 1, u_area)
    apart = (
        f"its readings lie {abs(diameter.value - nominal_mm):.3f} mm off the nominal "
        f"{nominal_mm:g} mm, more than both explain: they count alone"
    )
    return DiameterFinding(
        diameter=diameter,
        slicer_mm=slicer_mm,
        out_of_round_mm=_out_of_round_mm(places_mm, instrument),
        uneven_mm=uneven_mm,
        flow_factor=factor,
        flow_factor_u95=2 * factor * u95_mm / mm,
        influences=influences,
        verdict=_verdict(uneven_mm, factor, sure, NORMAL95 * u_area, instrument),
        notes=(
            *_notes(places_mm, diameter, instrument),
            *(() if pooled else (apart,)),
            *((gains,) if gains else ()),
        ),
        nominal_mm=nominal_mm,
        pooled=pooled,
        mm=mm,
        u95_mm=u95_mm,
        sure=sure,
    )


def refuse_other_strand(reading_mm: float, slicer_mm: float) -> None:
    """Refuse a reading that no strand of this kind has: a misread digit, or another filament.

    Raises:
        BadInput: it is a slip, or lies a tenth or more off what the slicer reckons with.
    """
    refuse_slip(reading_mm, slicer_mm, "reading")
    if abs(reading_mm / slicer_mm - 1) > _NO_STRAND:
        raise BadInput(
            f"reading {reading_mm:g} mm is no strand of {slicer_mm:g} mm: look again, or say "
            f"--slicer {reading_mm:.3g} if it is another filament"
        )


def _u_readings_mm(
    places_mm: Sequence[Sequence[float]], diameter: Estimate, instrument: Instrument
) -> float:
    counted = len(places_mm) ** 2 / math.fsum(1 / len(place) for place in places_mm)
    return repeat_uncertainty(diameter.scatter, diameter.n, instrument, counted)[0]


def _out_of_round_mm(places_mm: Sequence[Sequence[float]], instrument: Instrument) -> float | None:
    """Return the mean difference of crosswise readings less what mere noise would give."""
    crosswise = [abs(place[0] - place[1]) for place in places_mm if len(place) == 2]
    if not crosswise:
        return None
    noise_mm = _MEAN_DIFFERENCE * instrument.repeatability_mm
    return max(0.0, sum(crosswise) / len(crosswise) - noise_mm)


def _verdict(
    uneven_mm: float, factor: float, sure: float, area_u95: float, instrument: Instrument
) -> Verdict:
    off = 1 / factor - 1
    if exceeds(uneven_mm, EVEN_WITHIN_MM):
        return Verdict(
            "recheck",
            f"the strand varies by {uneven_mm:.2f} mm along its length: no single value fits it",
            ("a misread value", "the roll itself: measure a metre further in, or return it"),
        )
    text = (
        f"its cross-section is {100 * off:+.1f} ± {100 * area_u95:.1f} % off the slicer's; chance "
        f"that the slicer's is right: {100 * sure:.0f} in 100"
    )
    if sure >= _LIKELY:
        return Verdict("keep", text)
    if sure <= 1 - _LIKELY and exceeds(abs(off), area_u95):
        return Verdict("correct", text)
    coarse = exceeds(instrument.accuracy_mm, CHECKED_MM["strand"])
    remedies = ("calipers checked on a gauge: {check}",) if coarse else ()
    return Verdict("unclear", text, (*remedies, "a micrometer"))


def _notes(
    places_mm: Sequence[Sequence[float]], diameter: Estimate, instrument: Instrument
) -> tuple[str, ...]:
    readings_mm = [reading for place in places_mm for reading in place]
    odd = ", ".join(f"{readings_mm[i]:g}" for i in suspects(readings_mm, instrument))
    notes = [f"{odd}: misread? It counts as it stands"] if odd else []
    scattered = scatter_note(diameter, instrument)
    return (*notes, scattered) if scattered else tuple(notes)
