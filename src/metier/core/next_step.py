"""What is due next, and where to look first for what is wrong with a print."""

from collections.abc import Sequence
from typing import Literal, NamedTuple, get_args

from metier.core.standing import Status


class Station(NamedTuple):
    """One station of the job as it stands on a bench; a new kind of trial is one more of them.

    ``measured_by`` is the kind of trial that measures it, ``enter`` the command that says its
    value was typed in, where there is a value. ``retype`` tells that a doubtful value is typed
    back before it is measured: a new board forgets the old e-steps. ``tried`` tells that some
    trial speaks for it, ``old`` that it was settled long ago, ``proven`` that what is typed in
    needs no second trial: the ramp that found a limit printed clean at it. ``floor`` is how much
    it rests on: nothing on a floor is measured before all below is settled. ``hand`` says what to
    do with one's hands before ``enter`` is said. ``swapped`` tells that hardware it hangs on was
    swapped lately.
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
    floor: int = 0
    hand: str = ""
    swapped: bool = False

    @property
    def stood(self) -> str:
        """How it stands, to tell whether anything has changed since it was skipped."""
        return f"{self.status}: {self.why}"


class Due(NamedTuple):
    """What to do and why; ``command`` is None where a trial of ``measured_by`` is to be made."""

    step: str
    why: str
    command: str | None = None
    measured_by: str | None = None
    hand: str = ""


def next_step(stations: Sequence[Station], skipped: Sequence[str] = ()) -> Due:
    """Return what is to be done at the first station that needs it.

    Floor by floor: what is unset, never tried, advised or doubtful comes first, in the order of
    the job; then what is only carried or entered and not proven is verified, in the same order.
    Then the job is done, but for the ``skipped`` steps.

    >>> next_step([Station("esteps", "verified", "", "esteps"),
    ...            Station("flow", "unset", "never measured", "flow")]).step
    'flow'
    """
    wanted = [station for station in stations if station.step not in skipped]
    for station in wanted:
        # What a new board forgot is typed back before anything is measured with it.
        if station.status == "doubtful" and station.retype and station.enter:
            why = f"{station.why}: type the logged value back, say so, then check it"
            return Due(station.step, why, station.enter, hand=station.hand)
    for floor in sorted({station.floor for station in wanted}):
        part = [station for station in wanted if station.floor == floor]
        step = _missing(part) or _unverified(part)
        if step:
            return step
    why = "every value is verified, as far as calipers can tell"
    if skipped:
        why = f"nothing is left but what you skipped: {', '.join(skipped)}"
    return Due("done", why, "metier profile --card")


def _missing(stations: Sequence[Station]) -> Due | None:
    for station in stations:
        # Typing in takes a moment: it waits for nothing that has to be measured.
        if station.status == "advised" and station.enter:
            return Due(station.step, station.why, station.enter, hand=station.hand)
    for station in stations:
        untried = station.status == "entered" and not station.tried
        if station.status in ("unset", "doubtful") or untried:
            return Due(station.step, station.why, None, station.measured_by)
    return None


def _unverified(stations: Sequence[Station]) -> Due | None:
    for station in stations:
        if station.status == "carried" or (station.status == "entered" and not station.proven):
            return Due(station.step, f"verify it: {station.why}", None, station.measured_by)
    return None


Symptom = Literal[
    "gaps",
    "blobs",
    "strings",
    "hiss",
    "ripples",
    "dull",
    "weak-layers",
    "rough",
    "loose-fit",
    "tight-fit",
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
        ("dry", "damp filament strings at any heat, now more, now less"),
        ("nozzle", "a worn nozzle oozes through a wider bore"),
    ),
    "hiss": (
        ("dry", "damp filament hisses and bubbles, and its walls scatter"),
        ("temperature", "too hot for this plastic: it boils"),
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
        ("dry", "damp filament leaves bubbles in the surface"),
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
_HEAT = "temperature"
_SUSPICION: dict[Status, float] = {
    "doubtful": 0,
    "carried": 0.5,
    "unset": 1,
    "advised": 1,
    "entered": 3,
    "verified": 4,
}


class Cause(NamedTuple):
    """A cause to check: where, how it would show, how its value stands and why, what checks it.

    ``enter`` and ``hand`` say how a value is typed in that waits for it, or was forgotten.
    """

    step: str
    cause: str
    status: Status
    why: str
    measured_by: str
    enter: str | None = None
    hand: str = ""


def causes_of(symptom: Symptom, stations: Sequence[Station]) -> list[Cause]:
    """Return what to check for a symptom, in the light of how each value stands.

    What takes no print comes first: a value that a new board forgot, one that waits to be typed
    in. Then what was swapped lately, what is carried or rescaled, and the least trusted; what is
    old before what is new; among equals the likeliest first.
    """
    known = {station.step: station for station in stations}
    causes = [_cause(known[step], cause) for step, cause in _CAUSES[symptom] if step in known]

    def trust(cause: Cause) -> float:
        station = known[cause.step]
        if cause.enter:
            return -2
        if cause.step == _HEAT and cause.step == _CAUSES[symptom][0][0]:
            # No value that was typed in does that as heat does.
            return -1.5 + _SUSPICION[cause.status] / 10
        # What was taken apart last week is looked at before anything else.
        return -1 if station.swapped else _SUSPICION[cause.status] - 0.5 * station.old

    return sorted(causes, key=trust)


def _cause(station: Station, cause: str) -> Cause:
    told = Cause(station.step, cause, station.status, station.why, station.measured_by)
    waits = station.status == "advised" or (station.status == "doubtful" and station.retype)
    return told._replace(enter=station.enter, hand=station.hand) if waits else told
