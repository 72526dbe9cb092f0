"""What filament does in a hot end: how thick it is, how much of it melts, what comes out.

Plastic in is plastic out: what the gear fails to push is what walls lack.
"""

import math

from metier.standin.truth import REFERENCE_C, Nozzle, Roll, Truth

# From which share of the melting limit less is delivered, and how little at gaps.
_FALLS_FROM, _GAPS_AT = 0.85, 0.94
_LEAST = 0.2
# The molten plastic in a hot end, which dwells there the shorter the faster it flows.
_MOLTEN_MM3 = 18.0


def strand_mm(roll: Roll, along_mm: float) -> float:
    """Return the diameter of the strand at a place along it."""
    turn = 2 * math.pi * along_mm / roll.wave_length_mm
    return roll.diameter_mm + roll.wave_mm * math.sin(turn)


def strand_mm2(roll: Roll, along_mm: float) -> float:
    """Return the cross-section of the strand there."""
    return math.pi * strand_mm(roll, along_mm) ** 2 / 4


def strand_g_per_mm(roll: Roll, along_mm: float) -> float:
    """Return what a millimetre of the strand weighs there, in g."""
    return strand_mm2(roll, along_mm) * roll.density_g_cm3 / 1000


def melts_mm3_s(nozzle: Nozzle, nozzle_c: float) -> float:
    """Return the flow that a hot end melts at this heat."""
    hotter_c = nozzle_c - REFERENCE_C
    return nozzle.melts_mm3_s * math.pow(1 + nozzle.rise_a_degree, hotter_c)


def pushed(truth: Truth, flow_mm3_s: float, nozzle_c: float, luck: float = 1.0) -> float:
    """Return the share of the filament asked for that is really pushed through at this flow;
    ``luck`` is how much more than usual melts this time."""
    nozzle = truth.nozzle
    load = flow_mm3_s / (luck * melts_mm3_s(nozzle, nozzle_c))
    slips = 1 - truth.gear.slip * min(load, 1.0)
    if load <= _FALLS_FROM:
        return slips
    into = (load - _FALLS_FROM) / (nozzle.gaps_share - _FALLS_FROM)
    return max(_LEAST, slips * (1 - (1 - _GAPS_AT) * math.pow(into, nozzle.steepness)))


def has_gaps(truth: Truth, flow_mm3_s: float, nozzle_c: float, luck: float = 1.0) -> bool:
    """Tell whether lines printed at this flow have gaps."""
    return flow_mm3_s > luck * gaps_from_mm3_s(truth, nozzle_c)


def gaps_from_mm3_s(truth: Truth, nozzle_c: float) -> float:
    """Return the flow at which gaps begin: where 94 % are delivered."""
    return truth.nozzle.gaps_share * melts_mm3_s(truth.nozzle, nozzle_c)


def dull_from_mm3_s(truth: Truth, nozzle_c: float) -> float:
    """Return the flow from which walls are dull."""
    return truth.roll.dull_share * melts_mm3_s(truth.nozzle, nozzle_c)


def grown(roll: Roll, flow_mm3_s: float, nozzle_c: float) -> float:
    """Return the ratio by which foaming plastic is larger than it went in."""
    foam = roll.foam
    if foam is None:
        return 1.0
    share = 1 / (1 + math.exp(-(nozzle_c - foam.half_c) / foam.width_c))
    dwell_s = _MOLTEN_MM3 / max(flow_mm3_s, 0.1)
    return 1 + foam.growth * share * (1 - math.exp(-dwell_s / foam.dwell_s))
