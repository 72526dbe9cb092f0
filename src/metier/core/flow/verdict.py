"""The verdict on a measured wall: keep, correct, cannot tell yet, or look elsewhere first."""

from collections.abc import Sequence
from itertools import pairwise

from metier.core.line.cube import Cube
from metier.core.measure.instruments import figures
from metier.core.measure.readings import Estimate, Instrument, scatters_more_than
from metier.core.measure.settle import expected_u95_mm, further_readings
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict

# A wall known worse than this, relative to its target, cannot tell a small deviation.
UNCLEAR_ABOVE = 0.045
MOST_WALLS = 6


def judge_wall(
    wall: Estimate,
    instrument: Instrument,
    cube: Cube,
    flow_new: float,
    *,
    accept: tuple[float, float],
    plausible: tuple[float, float],
    earlier_offs_mm: Sequence[float],
) -> Verdict:
    """Return the first verdict that holds: recheck, unclear, keep, correct."""
    target_mm = cube.target_mm()
    off_mm = wall.value - target_mm
    recheck = (
        _not_believable(flow_new, plausible)
        or _not_approaching([*earlier_offs_mm, off_mm], accept, target_mm)
        or _scattering(wall, instrument)
    )
    if recheck:
        return recheck
    allowed_mm = UNCLEAR_ABOVE * target_mm
    if exceeds(wall.u95, allowed_mm) and not exceeds(abs(off_mm), wall.u95):
        return Verdict(
            "unclear",
            f"the wall is known to ±{wall.u95:.3f} mm only and is off by {off_mm:+.3f} mm: "
            "it may well be right",
            _what_settles(wall, instrument, allowed_mm, cube),
        )
    deviation = off_mm / target_mm
    band = f"{100 * accept[0]:+.1f} … {100 * accept[1]:+.1f} %"
    if _within(deviation, accept):
        return Verdict("keep", f"the wall is {100 * deviation:+.1f} % off, within {band}")
    return Verdict("correct", f"the wall is {100 * deviation:+.1f} % off, outside {band}")


def _within(deviation: float, accept: tuple[float, float]) -> bool:
    return not (exceeds(deviation, accept[1]) or exceeds(accept[0], deviation))


def _not_believable(flow_new: float, plausible: tuple[float, float]) -> Verdict | None:
    lowest, highest = plausible
    if not (exceeds(lowest, flow_new) or exceeds(flow_new, highest)):
        return None
    return Verdict(
        "recheck",
        f"a flow of {100 * flow_new:.0f} % is not believable "
        f"({100 * lowest:.0f} … {100 * highest:.0f} %): something else is wrong",
        (
            "the wall count and line width the slicer really printed with",
            "e-steps: measure them before flow",
            "the line model: see the walls the other two would make",
            "a partly blocked nozzle, too cold a print, or slipping filament"
            if flow_new > highest
            else "a first layer, a seam, a blob or a closed top between the jaws",
        ),
    )


def _not_approaching(
    offs_mm: Sequence[float], accept: tuple[float, float], target_mm: float
) -> Verdict | None:
    last_three = [abs(off) for off in offs_mm[-3:]]
    if (
        len(last_three) < 3
        or any(exceeds(before, after) for before, after in pairwise(last_three))
        or _within(offs_mm[-1] / target_mm, accept)
    ):
        return None
    return Verdict(
        "recheck",
        "three trials in a row came no nearer the target: flow is not what makes this wall",
        (
            "whether the flow advised was really typed in and the cube sliced again",
            "the wall count and line width the slicer really printed with",
            "a worn nozzle, another strand diameter or temperature",
        ),
    )


def _scattering(wall: Estimate, instrument: Instrument) -> Verdict | None:
    if not scatters_more_than(wall, instrument, 5):
        return None
    return Verdict(
        "recheck",
        f"the readings scatter by {wall.scatter:.3f} mm, over five times what the instrument does",
        (
            "a misread value or debris between the jaws",
            "walls of different thickness: measure side by side and compare",
            "under-extrusion that comes and goes",
        ),
    )


def _what_settles(
    wall: Estimate, instrument: Instrument, allowed_mm: float, cube: Cube
) -> tuple[str, ...]:
    remedies = []
    more = further_readings(wall, instrument, allowed_mm)
    if more is not None:
        remedies.append(f"{more} more reading{'s' if more > 1 else ''} of the same cube")
    if cube.aim_mm is None:
        for count in range(cube.walls + 1, MOST_WALLS + 1):
            if not exceeds(wall.u95, UNCLEAR_ABOVE * cube._replace(walls=count).target_mm()):
                remedies.append(f"a cube with {count} walls, measured as often")
                break
    if not remedies:
        micrometer = figures("micrometer", "wall")
        for count in range(wall.n, 31):
            if not exceeds(expected_u95_mm(wall.scatter, count, micrometer), allowed_mm):
                remedies.append(f"a micrometer, {count} readings")
                break
        else:
            remedies.append("nothing measured here would: look for what makes the wall uneven")
    return tuple(remedies)
