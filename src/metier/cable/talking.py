"""What is said to a printer: its steps, its heat, a length to feed."""

import time
from collections.abc import Callable

from metier.cable.failure import CableFailure, TooCold
from metier.cable.link import Link
from metier.cable.replies import Heat, heat_in, steps_in

# What a printer shows of a value may lack its last digits.
_SAME = 2e-4
# Firmware refuses to feed more at once.
_AT_ONCE_MM = 50.0
# As near counts as hot; and how long nothing may change before it is said that it does not heat.
_NEAR_C, _STEADY_S, _NO_RISE_S = 2.0, 2.0, 60.0
_ASKED_EVERY_S = 0.5

Watch = Callable[[Heat], None]


def read_steps(link: Link) -> float:
    """Return the e-steps that a printer carries now.

    Raises:
        CableFailure: it does not say.
    """
    for command in ("M92", "M503"):
        found = steps_in(link.ask(command))
        if found:
            return found
    raise CableFailure(
        "the printer does not say its e-steps, neither to M92 nor to M503: read them off its menu"
    )


def store_steps(link: Link, steps_per_mm: float, decimals: int) -> None:
    """Set e-steps, have them stored, and read back what is stored.

    Raises:
        CableFailure: the printer carries something else afterwards; says what.
    """
    link.ask(f"M92 E{steps_per_mm:.{decimals}f}")
    set_now = read_steps(link)
    if not same_steps(set_now, steps_per_mm):
        raise CableFailure(f"the printer was told {steps_per_mm:g} and carries {set_now:g}")
    link.ask("M500")
    # What is stored is what it begins with the next time: let it begin with that now.
    link.ask("M501")
    stored = read_steps(link)
    if not same_steps(stored, steps_per_mm):
        raise CableFailure(
            f"the printer took {steps_per_mm:g} and did not store it (M500): it carries {stored:g} "
            "again; some boards store on a card, or not at all"
        )


def same_steps(one: float, other: float) -> bool:
    """Tell whether two numbers of steps are the same, as printers show them."""
    return abs(one / other - 1) <= _SAME


def read_heat(link: Link) -> Heat:
    """Return what the nozzle shows and is to reach.

    Raises:
        CableFailure: it does not say.
    """
    found = heat_in(link.ask("M105"))
    if found is None:
        raise CableFailure("the printer does not say how hot its nozzle is (M105)")
    return found


def heat_to(link: Link, nozzle_c: float, watch: Watch) -> Heat:
    """Heat the nozzle and wait until it is as hot; ``watch`` is told on the way.

    Raises:
        CableFailure: it does not get warmer, or the user stopped it; the heater is off then.
    """
    try:
        link.ask(f"M104 S{nozzle_c:g}")
        return _hot(link, nozzle_c, watch)
    except KeyboardInterrupt:
        link.restart()
        link.ask("M104 S0")
        raise CableFailure("stopped: the heater of the nozzle is off") from None


def _hot(link: Link, nozzle_c: float, watch: Watch) -> Heat:
    hottest_c, since, near_since = -1e9, time.monotonic(), None
    while True:
        now = read_heat(link)
        watch(now)
        moment = time.monotonic()
        if abs(now.nozzle_c - nozzle_c) <= _NEAR_C:
            near_since = near_since or moment
            if moment - near_since >= _STEADY_S:
                return now
        elif now.nozzle_c > nozzle_c:
            # It cools by itself, in its own time.
            since = moment
        if now.nozzle_c > hottest_c + 1:
            hottest_c, since = now.nozzle_c, moment
        elif moment - since > _NO_RISE_S and near_since is None:
            link.ask("M104 S0")
            raise CableFailure(
                f"the nozzle stays at {now.nozzle_c:.0f} °C and is to reach {nozzle_c:g}: its "
                "heater is off; look at its wires and its sensor"
            )
        time.sleep(_ASKED_EVERY_S)


def feed(link: Link, length_mm: float, rate_mm_s: float) -> None:
    """Feed a length and wait until it is fed; the printer counts from 0 afterwards.

    Raises:
        TooCold: it refuses to; nothing was fed.
        CableFailure: it does not answer.
    """
    link.ask("M83")
    try:
        left_mm = length_mm
        while abs(left_mm) > 1e-9:
            piece_mm = max(-_AT_ONCE_MM, min(_AT_ONCE_MM, left_mm))
            link.ask(f"G1 E{piece_mm:.4f} F{60 * rate_mm_s:.2f}")
            left_mm -= piece_mm
        link.ask("M400", takes_s=abs(length_mm) / rate_mm_s)
    except TooCold:
        shown_c = read_heat(link).nozzle_c
        raise TooCold(
            f"the nozzle is too cold to feed: {shown_c:.0f} °C; first metier cable heat 210"
        ) from None
    # As firmware starts, so that what reckons with that goes on from here.
    link.ask("M82")
    link.ask("G92 E0")


def all_off(link: Link) -> None:
    """Switch heaters, fan and motors off."""
    for command in ("M104 S0", "M140 S0", "M107", "M84"):
        link.ask(command)
