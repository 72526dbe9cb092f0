"""Where to look first for a symptom, in the light of how each value stands."""

from collections.abc import Sequence
from typing import Literal, NamedTuple, get_args

from metier.core.next_step import Station
from metier.core.standing import Status

Symptom = Literal[
    "gaps", "blobs", "strings", "ripples", "dull", "weak-layers", "rough", "loose-fit", "tight-fit"
]
SYMPTOMS: tuple[Symptom, ...] = get_args(Symptom)

# What may lie behind a symptom, likeliest first.
_CAUSES: dict[Symptom, tuple[tuple[str, str], ...]] = {
    "gaps": (
        ("limit", "printed faster than the hot end melts"),
        ("flow", "too little flow"),
        ("esteps", "too few steps a mm, or a slipping extruder"),
        ("diameter", "a strand thinner than set in the slicer"),
    ),
    "blobs": (
        ("flow", "too much flow"),
        ("esteps", "too many steps a mm"),
        ("diameter", "a strand thicker than set in the slicer"),
        ("nozzle", "a worn nozzle lays wider lines than its bore; a dirty one lets go of lumps"),
        ("temperature", "too hot: it oozes where it should stop"),
    ),
    "strings": (
        ("temperature", "too hot: it oozes on the way"),
        ("flow", "too much flow leaves pressure behind"),
        ("nozzle", "a worn nozzle oozes through a wider bore"),
    ),
    "dull": (
        ("limit", "faster than it melts through: the surface goes dull before gaps begin"),
        ("temperature", "too cool for this speed"),
        ("diameter", "an uneven strand"),
    ),
    "ripples": (
        ("flow", "too much flow pushes lines up"),
        ("limit", "flow that starves and recovers"),
    ),
    "weak-layers": (
        ("limit", "plastic that leaves the nozzle too cold"),
        ("flow", "too little flow"),
        ("esteps", "too few steps a mm"),
        ("temperature", "too cool: layers do not melt together"),
    ),
    "rough": (
        ("limit", "printed near the limit, the surface goes dull"),
        ("diameter", "an uneven strand"),
        ("flow", "too much flow"),
    ),
    "loose-fit": (
        ("fit", "the clearance drawn is wider than the fit wants"),
        ("hole", "holes opened too far"),
        ("contour", "outlines shrunk too far"),
        ("flow", "too little flow"),
    ),
    "tight-fit": (
        ("fit", "the clearance drawn is less than the fit wants"),
        ("flow", "too much flow makes outlines large and holes small"),
        ("hole", "holes not opened enough"),
        ("contour", "outlines not shrunk enough"),
    ),
}
_SUSPICION: dict[Status, int] = {
    "doubtful": 0,
    "unset": 1,
    "advised": 1,
    "carried": 2,
    "entered": 3,
    "verified": 4,
}


class Cause(NamedTuple):
    """A cause to check: where, how it would show, how its value stands and why, what checks it."""

    step: str
    cause: str
    status: Status
    why: str
    measured_by: str


def causes_of(symptom: Symptom, stations: Sequence[Station]) -> list[Cause]:
    """Return what to check for a symptom, in the light of how each value stands.

    What was swapped lately first, then the least trusted, what is old before what is new; among
    equals the likeliest first.
    """
    known = {station.step: station for station in stations}
    found = [
        Cause(step, cause, known[step].status, known[step].why, known[step].measured_by)
        for step, cause in _CAUSES[symptom]
        if step in known
    ]

    def trust(cause: Cause) -> float:
        station = known[cause.step]
        # What was taken apart last week is looked at before anything else.
        return -1 if station.swapped else _SUSPICION[cause.status] - 0.5 * station.old

    return sorted(found, key=trust)
