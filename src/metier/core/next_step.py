"""The one thing to do now, in the order of the job."""

from collections.abc import Sequence
from typing import NamedTuple

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
        if station.status == "advised" and station.enter:
            return Due(station.step, station.why, station.enter, hand=station.hand)
        untried = station.status == "entered" and not station.tried
        if station.status in ("unset", "doubtful") or untried:
            return Due(station.step, station.why, None, station.measured_by)
    return None


def _unverified(stations: Sequence[Station]) -> Due | None:
    for station in stations:
        if station.status == "carried" or (station.status == "entered" and not station.proven):
            return Due(station.step, f"verify it: {station.why}", None, station.measured_by)
    return None
