"""What is odd about lengths that moved: a run that may be misread, a change that is no wear."""

from collections.abc import Sequence

from metier.core.measure.readings import Instrument, estimate, suspects
from metier.core.measure.thresholds import exceeds

# No change by wear or slip is larger; beyond it another part is on the machine.
LARGE_CHANGE = 0.10
_RATIOS = {"x2": 2.0, "x½": 0.5, "x1.5": 1.5, "x⅔": 2 / 3, "x3": 3.0, "x⅓": 1 / 3}


def misread_note(
    runs_mm: Sequence[float], asked_mm: float, steps_now: float, instrument: Instrument
) -> str | None:
    """Return the question due where a run lies apart from the others."""
    odd = suspects(runs_mm, instrument)
    if not odd:
        return None
    rest = estimate([run for i, run in enumerate(runs_mm) if i not in odd], instrument)
    named = ", ".join(f"{runs_mm[i]:g}" for i in odd)
    steps = steps_now * asked_mm / rest.value
    return (
        f"a run that moved {named} mm: misread? It counts as it stands; without it "
        f"{rest.value:.2f} ± {rest.u95:.2f} mm moved and the steps are {steps:.2f}"
    )


def large_change_note(ratio: float) -> str | None:
    """Return what a large change of the steps comes from; ``ratio`` is new over present."""
    if not exceeds(abs(ratio - 1), LARGE_CHANGE):
        return None
    for name, factor in _RATIOS.items():
        if not exceeds(abs(ratio / factor - 1), 0.02):
            return (
                f"close to {name}: not wear or slip, but another gear, microstepping or board; "
                "or the steps now in the printer are not what you gave"
            )
    return (
        "over 10 %: more than wear or slip makes; another gear, microstepping or board, "
        "or the steps now in the printer are not what you gave"
    )
