"""The one thing to do now, in the order of the job, and where to look first for a symptom."""

from collections.abc import Sequence
from typing import Literal, NamedTuple, get_args

from metier.core.standing import Status

Symptom = Literal["gaps", "blobs", "ripples", "weak-layers", "rough", "loose-fit", "tight-fit"]

SYMPTOMS: tuple[Symptom, ...] = get_args(Symptom)


class Station(NamedTuple):
    """One station of the job as it stands on a bench; a new kind of trial is one more of them.

    ``measured_by`` is the kind of trial that measures it, ``enter`` the command that says its
    value was typed in, where there is a value. ``retype`` tells that a doubtful value is typed
    back before it is measured: a new board forgets the old e-steps. ``tried`` tells that some
    trial speaks for it, ``old`` that it was settled long ago, ``proven`` that what is typed in
    needs no second trial: the ramp that found a limit printed clean at it. ``built_on`` tells
    that it rests on e-steps and flow.
    """

    step: str
    status: Status
    why: str
    measured_by: str
    enter: str | None = None
    retype: bool = False
    tried: bool = True
    old: bool = False
    proven: bool = False
    built_on: bool = False


class Due(NamedTuple):
    """What to do and why; ``command`` is None where a trial of ``measured_by`` is to be made."""

    step: str
    why: str
    command: str | None = None
    measured_by: str | None = None


def next_step(stations: Sequence[Station]) -> Due:
    """Return what is to be done at the first station that needs it.

    What is unset, never tried, advised or doubtful comes first, in the order of the job; then
    what is only carried or entered and not proven is verified, in the same order. All that is
    settled before anything that is ``built_on`` it; then the job is done.

    >>> next_step([Station("esteps", "verified", "", "esteps"),
    ...            Station("flow", "unset", "never measured", "flow")]).step
    'flow'
    """
    ground = [station for station in stations if not station.built_on]
    for part in (ground, [station for station in stations if station.built_on]):
        step = _missing(part) or _unverified(part)
        if step:
            return step
    return Due("done", "every value is verified", "metier profile --card")


def _missing(stations: Sequence[Station]) -> Due | None:
    for station in stations:
        if station.status == "advised" and station.enter:
            return Due(station.step, station.why, station.enter)
        if station.status == "doubtful" and station.retype and station.enter:
            why = f"{station.why}: type the logged value back, say so, then check it"
            return Due(station.step, why, station.enter)
        untried = station.status == "entered" and not station.tried
        if station.status in ("unset", "doubtful") or untried:
            return Due(station.step, station.why, None, station.measured_by)
    return None


def _unverified(stations: Sequence[Station]) -> Due | None:
    for station in stations:
        if station.status == "carried" or (station.status == "entered" and not station.proven):
            return Due(station.step, f"verify it: {station.why}", None, station.measured_by)
    return None


# What may lie behind a symptom, likeliest first.
_CAUSES: dict[Symptom, tuple[tuple[str, str], ...]] = {
    "gaps": (
        ("limit", "printed faster than the hot end melts"),
        ("flow", "too little flow"),
        ("esteps", "too few steps a mm, or a slipping extruder"),
        ("diameter", "a strand thinner than the slicer reckons with"),
    ),
    "blobs": (
        ("flow", "too much flow"),
        ("esteps", "too many steps a mm"),
        ("diameter", "a strand thicker than the slicer reckons with"),
    ),
    "ripples": (
        ("flow", "too much flow pushes lines up"),
        ("limit", "flow that starves and recovers"),
    ),
    "weak-layers": (
        ("limit", "plastic that leaves the nozzle too cold"),
        ("flow", "too little flow"),
        ("esteps", "too few steps a mm"),
    ),
    "rough": (
        ("limit", "printed near the limit, the surface goes dull"),
        ("diameter", "an uneven strand"),
        ("flow", "too much flow"),
    ),
    "loose-fit": (
        ("hole", "holes opened too far"),
        ("contour", "outlines shrunk too far"),
        ("flow", "too little flow"),
    ),
    "tight-fit": (
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

    The least trusted first, what is old before what is new; among equals the likeliest first.
    """
    known = {station.step: station for station in stations}
    found = [
        Cause(step, cause, known[step].status, known[step].why, known[step].measured_by)
        for step, cause in _CAUSES[symptom]
        if step in known
    ]
    return sorted(found, key=lambda cause: _SUSPICION[cause.status] - 0.5 * known[cause.step].old)
