"""From the strand's diameter to what the slicer should reckon with."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.measure.readings import (
    Estimate,
    Instrument,
    estimate_sides,
    scatter_note,
    suspects,
)
from metier.core.measure.slips import refuse_slip
from metier.core.measure.thresholds import exceeds
from metier.core.refusal import Refusal
from metier.core.verdicts import Verdict

# Relative to the cross-section the slicer reckons with.
KEEP_WITHIN = 0.01
# More readings than these narrow nothing: the jaws decide.
_MANY = 8
# A strand that varies more along its length defies any single value.
EVEN_WITHIN_MM = 0.05
# The mean difference of two readings of the same thing, in standard deviations (ISO 5725-6).
_MEAN_DIFFERENCE = 1.128


class DiameterFinding(NamedTuple):
    """The strand's mean diameter, how far it is from round, and what that does to flow.

    ``flow_factor`` is what flow would be multiplied by were the slicer left at its diameter;
    ``uneven_mm`` the spread of the places along the strand.
    """

    diameter: Estimate
    slicer_mm: float
    out_of_round_mm: float | None
    uneven_mm: float
    flow_factor: float
    flow_factor_u95: float
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
        Refusal: no readings, a size not above zero, or readings far from what is expected.
    """
    if not slicer_mm > 0:
        raise Refusal(f"slicer diameter {slicer_mm:g} mm must be above zero")
    for place in places_mm:
        for reading in place:
            refuse_slip(reading, slicer_mm + instrument.zero_mm, "reading")
    diameter = estimate_sides(places_mm, instrument)
    means_mm = [sum(place) / len(place) for place in places_mm]
    uneven_mm = max(means_mm) - min(means_mm)
    factor = (slicer_mm / diameter.value) ** 2
    return DiameterFinding(
        diameter=diameter,
        slicer_mm=slicer_mm,
        out_of_round_mm=_out_of_round_mm(places_mm, instrument),
        uneven_mm=uneven_mm,
        flow_factor=factor,
        flow_factor_u95=2 * factor * diameter.u95 / diameter.value,
        verdict=_verdict(uneven_mm, factor, 2 * diameter.u95 / diameter.value, diameter.n),
        notes=_notes(places_mm, diameter, instrument),
    )


def _out_of_round_mm(places_mm: Sequence[Sequence[float]], instrument: Instrument) -> float | None:
    """Return the mean difference of crosswise readings less what mere noise would give."""
    crosswise = [abs(place[0] - place[1]) for place in places_mm if len(place) == 2]
    if not crosswise:
        return None
    noise_mm = _MEAN_DIFFERENCE * instrument.repeatability_mm
    return max(0.0, sum(crosswise) / len(crosswise) - noise_mm)


def _verdict(uneven_mm: float, factor: float, area_u95: float, count: int) -> Verdict:
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
    if exceeds(abs(1 / factor - 1), area_u95):
        return Verdict("correct", f"{off}, over ±1 %")
    more = f"{max(4, count)} readings more" if count < _MANY else "a micrometer"
    checked = "calipers checked on a gauge: metier instrument check"
    return Verdict("unclear", f"{off}, known to ±{100 * area_u95:.1f} % only", (more, checked))


def _notes(
    places_mm: Sequence[Sequence[float]], diameter: Estimate, instrument: Instrument
) -> tuple[str, ...]:
    readings_mm = [reading for place in places_mm for reading in place]
    odd = ", ".join(f"{readings_mm[i]:g}" for i in suspects(readings_mm, instrument))
    notes = [f"{odd}: misread? It counts as it stands"] if odd else []
    scattered = scatter_note(diameter, instrument)
    return (*notes, scattered) if scattered else tuple(notes)
