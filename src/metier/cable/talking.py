"""What is said to a printer: its steps, its heat, a length to feed."""

from collections.abc import Callable

from metier.cable.link import Link
from metier.cable.port import CableFailure, TooCold, Untold
from metier.cable.replies import Heat, heat_in, reply_of, steps_in

# What a printer shows of a value may lack its last digits.
_SAME = 2e-4
# What is fed is fed in pieces of so long, so that the heat is looked at meanwhile.
_PIECE_S, _LEAST_PIECE_MM, _MOST_PIECE_MM = 0.5, 0.5, 50.0
# As many pieces may still wait their turn when the last one is taken.
_WAITING = 32
# As near counts as hot, for so long; and how long it may come no nearer.
_NEAR_C, _STEADY_S, _NO_NEARER_S = 2.0, 2.0, 300.0
_ASKED_EVERY_S = 0.5

Watch = Callable[[Heat], None]


def read_steps(link: Link) -> float:
    """Return the e-steps that a printer carries now.

    Raises:
        Untold: it knows no command for them; they stand in a file of its own.
        CableFailure: it does not answer, or what it says cannot be.
    """
    for command in ("M92", "M503"):
        steps = steps_in(link.ask(command))
        if steps:
            return steps
    raise Untold("the printer does not say its e-steps, neither to M92 nor to M503")


def store_steps(link: Link, steps_per_mm: float, decimals: int) -> bool:
    """Set e-steps, have them stored, and read back what is stored; tell whether they are, which
    makes the next start begin with them: they are set all the same.

    Raises:
        CableFailure: the printer carries something else afterwards; says what.
    """
    _set_steps(link, steps_per_mm, decimals)
    if not any(reply_of(line).kind == "unknown" for line in link.ask("M500")):
        # What is stored is what it begins with the next time: let it begin with that now.
        link.ask("M501")
        if same_steps(read_steps(link), steps_per_mm):
            return True
        _set_steps(link, steps_per_mm, decimals)
    return False


def _set_steps(link: Link, steps_per_mm: float, decimals: int) -> None:
    link.ask(f"M92 E{steps_per_mm:.{decimals}f}")
    set_now = read_steps(link)
    if not same_steps(set_now, steps_per_mm):
        raise CableFailure(f"the printer was told {steps_per_mm:g} and carries {set_now:g}")


def same_steps(steps: float, other: float) -> bool:
    """Tell whether two numbers of steps are the same, as printers show them."""
    return abs(steps / other - 1) <= _SAME


def read_heat(link: Link) -> Heat:
    """Return what the nozzle shows and is to reach.

    Raises:
        CableFailure: it does not say.
    """
    heat = heat_in(link.ask("M105"))
    if heat is None:
        raise CableFailure("the printer does not say how hot its nozzle is (M105)")
    return heat


def heat_to(link: Link, nozzle_c: float, watch: Watch) -> Heat:
    """Heat the nozzle and wait until it is as hot; ``watch`` is told on the way.

    Raises:
        CableFailure: it does not get there.
    """
    link.ask(f"M104 S{nozzle_c:g}")
    if nozzle_c <= 0:
        # Off is told and not waited for: a room has its own temperature.
        return read_heat(link)
    return wait_for(link, link.guard.nozzle, nozzle_c, lambda: watch(read_heat(link)), cools=True)


def wait_for(
    link: Link, heater: str, target_c: float, poll: Callable[[], object], *, cools: bool
) -> Heat:
    """Wait until a heater shows what it was told, for ``cools`` also if it is above that.

    Raises:
        CableFailure: it does not get there.
    """
    nearest_c, since_s = float("inf"), link.now_s()
    near_since_s: float | None = None
    while True:
        poll()
        now_c, now_s = link.guard.now_c(heater), link.now_s()
        if now_c is None:
            raise CableFailure(f"the printer does not say how hot its heater {heater} is")
        off_c = target_c - now_c
        if not cools:
            off_c = max(0.0, off_c)
        if abs(off_c) <= _NEAR_C:
            near_since_s = now_s if near_since_s is None else near_since_s
            if now_s - near_since_s >= _STEADY_S:
                return Heat(now_c, target_c)
        else:
            near_since_s = None
        if abs(off_c) < nearest_c - 0.5:
            nearest_c, since_s = abs(off_c), now_s
        elif now_s - since_s > _NO_NEARER_S:
            raise CableFailure(f"it stays at {now_c:.0f} °C and is to reach {target_c:g}")
        link.rest(_ASKED_EVERY_S)


def feed(link: Link, length_mm: float, rate_mm_s: float) -> None:
    """Feed a length and wait until it is fed; the printer counts from 0 afterwards.

    Raises:
        TooCold: it refuses to; nothing was fed.
        CableFailure: it does not answer.
    """
    link.ask("M83")
    most_mm = min(max(_PIECE_S * rate_mm_s, _LEAST_PIECE_MM), _MOST_PIECE_MM)
    pieces = max(1, round(abs(length_mm) / most_mm + 0.5 - 1e-9))
    piece_s = abs(length_mm) / pieces / rate_mm_s
    fed_mm = 0.0
    try:
        for piece in range(1, pieces + 1):
            # Each to its own place by five decimals: what is left over by rounding does not add up.
            until_mm = round(length_mm * piece / pieces, 5)
            link.ask(f"G1 E{until_mm - fed_mm:.5f} F{60 * rate_mm_s:.2f}", takes_s=piece_s)
            fed_mm = until_mm
            link.ask("M105")
        link.ask("M400", takes_s=min(_WAITING, pieces) * piece_s)
    except TooCold:
        shown_c = read_heat(link).nozzle_c
        raise TooCold(
            f"the nozzle is too cold to feed: {shown_c:.0f} °C; first metier cable heat 210"
        ) from None
    # As firmware starts, so that what reckons with that goes on from here.
    link.ask("M82")
    link.ask("G92 E0")


def quiet_down(link: Link) -> None:
    """Switch fan and motors off; the heaters are the guard's."""
    for command in ("M107", "M84"):
        link.ask(command)
