"""What a weighing says: whether the flow that is set brings what it should."""

import math
from typing import NamedTuple

from metier.core.flow.walls import TEXTURE_MM
from metier.core.measure.student import NORMAL95
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict
from metier.core.weighing import Beside, Diameters, Strand, Weighing

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
    found: Weighing,
    flow_set: float | None,
    diameters: Diameters,
    foaming: bool,
    band: tuple[float, float],
) -> WeighFinding:
    """Return the finding for a print: whether the flow that is set brings what it should.

    Of foaming filament only what is fed can be judged, not how thick it comes out.
    """
    share = found.ratio if foaming else found.share
    u = (found.ratio_u95 if foaming else found.share_u95) / NORMAL95
    flow = 1.0 if foaming or flow_set is None else flow_set
    verdict = _verdict(flow, share, u, band, foaming)
    notes = _notes(flow_set, diameters, foaming)
    if found.beside and verdict.name != "recheck":
        notes += _beside_notes(found.beside)
    return WeighFinding(strand, found, verdict, tuple(notes))


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
