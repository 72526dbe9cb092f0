"""From the strand's diameter to what the slicer should reckon with."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.measure.instruments import CHECKED_MM, checking_note
from metier.core.measure.readings import (
    Estimate,
    Instrument,
    estimate_sides,
    expected_u95_mm,
    further_readings,
    refuse_slip,
    repeat_uncertainty,
    scatter_note,
    suspects,
    unlucky_mm,
)
from metier.core.measure.student import Influence, by_size
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict

# Relative to the cross-section the slicer reckons with.
KEEP_WITHIN = 0.01
# The worst of rolls are not so far off.
_NO_STRAND = 0.1
# Nobody measures a strand more often; then the jaws decide.
_MOST = 16
# A strand that varies more along its length defies any single value.
EVEN_WITHIN_MM = 0.05
# The mean difference of two readings of the same thing, in standard deviations (ISO 5725-6).
_MEAN_DIFFERENCE = 1.128


class DiameterFinding(NamedTuple):
    """The strand's mean diameter, how far it is from round, and what that does to flow.

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


def judge_diameter(
    places_mm: Sequence[Sequence[float]], slicer_mm: float, instrument: Instrument
) -> DiameterFinding:
    """Judge a strand measured at several places, at each once or twice at right angles.

    >>> found = judge_diameter([[1.74, 1.72], [1.73, 1.71]], 1.75, Instrument(0.012, 0.01, 0.01))
    >>> round(found.diameter.value, 4), found.verdict.name
    (1.725, 'correct')

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
    factor = (slicer_mm / diameter.value) ** 2
    influences = by_size(
        {
            "readings": _u_readings_mm(places_mm, diameter, instrument),
            "calipers": instrument.accuracy_mm / math.sqrt(3),
        }
    )
    gains = checking_note(influences, diameter.u95, instrument, "strand", "mm")
    return DiameterFinding(
        diameter=diameter,
        slicer_mm=slicer_mm,
        out_of_round_mm=_out_of_round_mm(places_mm, instrument),
        uneven_mm=uneven_mm,
        flow_factor=factor,
        flow_factor_u95=2 * factor * diameter.u95 / diameter.value,
        influences=influences,
        verdict=_verdict(uneven_mm, factor, diameter, instrument),
        notes=(*_notes(places_mm, diameter, instrument), *((gains,) if gains else ())),
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
    uneven_mm: float, factor: float, diameter: Estimate, instrument: Instrument
) -> Verdict:
    area = 100 * (1 / factor - 1)
    if exceeds(uneven_mm, EVEN_WITHIN_MM):
        return Verdict(
            "recheck",
            f"the strand varies by {uneven_mm:.2f} mm along its length: no single value fits it",
            ("a misread value", "the roll itself: measure a metre further in, or return it"),
        )
    if not exceeds(abs(1 / factor - 1), KEEP_WITHIN):
        return Verdict("keep", f"its cross-section is {area:+.1f} % off the slicer's, within ±1 %")
    off = f"its cross-section is {area:+.1f} % off the slicer's"
    area_u95 = 2 * diameter.u95 / diameter.value
    if exceeds(abs(1 / factor - 1), area_u95):
        return Verdict("correct", f"{off}, over ±1 %")
    remedies = _what_settles(abs(1 / factor - 1), diameter, instrument)
    return Verdict("unclear", f"{off}, known to ±{100 * area_u95:.1f} % only", remedies)


def _what_settles(off: float, diameter: Estimate, instrument: Instrument) -> tuple[str, ...]:
    """More readings, checked calipers or a micrometer: whichever is enough, cheapest first.

    A strand is told off or right where U is no more than the bound it is kept within.
    """
    allowed_mm = max(KEEP_WITHIN, off / 2) * diameter.value / 2
    more = further_readings(diameter, instrument, allowed_mm, _MOST)
    remedies = [f"{more} readings more"] if more else []
    checked = instrument._replace(accuracy_mm=min(instrument.accuracy_mm, CHECKED_MM["strand"]))
    if checked != instrument:
        scatter_mm = unlucky_mm(diameter.scatter, diameter.n, checked)
        if not exceeds(expected_u95_mm(scatter_mm, diameter.n, checked), allowed_mm):
            remedies.append("calipers checked on a gauge: metier instrument check")
        elif (more := further_readings(diameter, checked, allowed_mm, _MOST)) and not remedies:
            remedies.append(
                f"calipers checked on a gauge (metier instrument check) and {more} readings more"
            )
    return tuple(remedies) or ("a micrometer",)


def _notes(
    places_mm: Sequence[Sequence[float]], diameter: Estimate, instrument: Instrument
) -> tuple[str, ...]:
    readings_mm = [reading for place in places_mm for reading in place]
    odd = ", ".join(f"{readings_mm[i]:g}" for i in suspects(readings_mm, instrument))
    notes = [f"{odd}: misread? It counts as it stands"] if odd else []
    scattered = scatter_note(diameter, instrument)
    return (*notes, scattered) if scattered else tuple(notes)
