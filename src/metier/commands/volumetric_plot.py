"""From a ramp as reckoned to its picture, for ``volumetric --plot``."""

from metier.commands.on_bench import OnBench
from metier.commands.volumetric_record import RampReckoning
from metier.commands.volumetric_sheet import limit_title
from metier.core.refusal import Refusal
from metier.core.volumetric import LimitFinding


def plot_reckoned(
    path: str,
    here: OnBench,
    number: int | None,
    reckoning: RampReckoning,
    finding: LimitFinding,
) -> None:
    """Draw a ramp with what was seen on it, the limit and the set speeds.

    Raises:
        Refusal: there is no ramp to draw, or the file cannot be written.
    """
    from metier.show.ramp_plot import RampPicture, plot_ramp

    ramp = reckoning.ramp
    if ramp is None or (ramp.step_mm3_s is not None and ramp.every_mm is None):
        raise Refusal("--plot needs the ramp: how it begins and rises")
    seen = {
        "surface changes": finding.matte,
        "first gaps": finding.gaps,
        "failed": finding.failed,
    }
    picture = RampPicture(
        ramp,
        {
            name: (one.height_mm, one.last_good_mm3_s)
            for name, one in seen.items()
            if one and one.height_mm is not None
        },
        finding.limit_mm3_s,
        finding.limit_u95_mm3_s,
        finding.even_looks_mm3_s,
        {one.name: one.asked_mm3_s for one in reckoning.capped(finding)},
    )
    plot_ramp(path, limit_title(here, number), picture)
