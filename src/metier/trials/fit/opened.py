"""What of a compensation was opened for a fit: a later plate is judged against it."""

from metier.core.measure.thresholds import same
from metier.logbook.inforce import opened_mm
from metier.logbook.plain import from_plain
from metier.logbook.trials import latest_on
from metier.trials.fit.kept import KEPT, Found
from metier.trials.on_bench import OnBench

_TYPED_TO_MM = 0.005
_NEWEST = 5


def opened_with(here: OnBench, name: str, value_mm: float) -> float | None:
    """Return what of a compensation is opened for a fit once ``value_mm`` is typed in, per side.

    As a fit advised it: by the change from what was set. Otherwise as before, but for the value
    that takes the opening back.
    """
    if name not in ("hole", "contour") or here.setup is None:
        return None
    before_mm = opened_mm(here.book, here.setup, name)
    now_mm = here.stands(name).in_force or 0.0
    for trial in latest_on(here.book, here.setup, KEPT.name, _NEWEST):
        found = from_plain(Found, trial.findings)
        advised = found.hole_to_type_mm if name == "hole" else found.contour_to_type_mm
        if advised is not None and abs(advised - value_mm) <= _TYPED_TO_MM:
            return round(before_mm + value_mm - now_mm, 9) or None
    if same(value_mm, now_mm - before_mm):
        return None
    return before_mm or None


def opened_words(name: str, opened: float) -> str:
    """Return what an opening means for features that are measured later."""
    what = "holes" if name == "hole" else "outlines"
    return f"{what} are meant to measure {2 * opened:+.2f} mm on the diameter, for a fit"
