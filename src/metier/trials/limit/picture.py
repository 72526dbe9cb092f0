"""From a ramp as it was judged to its picture."""

from metier.core.limit.onset import LimitFinding
from metier.core.limit.ramp import Stepped
from metier.core.refusal import Refusal
from metier.show.ramp_plot import RampPicture, plot_ramp
from metier.trials.limit.ramp_figures import capped
from metier.trials.limit.settings import RampSettings


def draw_ramp(path: str, title: str, settings: RampSettings, finding: LimitFinding) -> None:
    """Draw a ramp with what was seen on it, the limit and the set speeds.

    Raises:
        Refusal: there is no ramp to draw, or the file cannot be written.
    """
    ramp = settings.ramp
    if ramp is None or (isinstance(ramp, Stepped) and ramp.every_mm is None):
        raise Refusal("--plot needs the ramp: how it begins and rises")
    seen = {"surface changes": finding.matte, "first gaps": finding.gaps, "failed": finding.failed}
    picture = RampPicture(
        ramp,
        {
            name: (threshold.height_mm, threshold.last_good_mm3_s)
            for name, threshold in seen.items()
            if threshold and threshold.height_mm is not None
        },
        finding.limit_mm3_s,
        finding.onset and (finding.onset.flow_mm3_s, finding.onset.u95_mm3_s),
        finding.even_looks_mm3_s,
        {speed.name: speed.asked_mm3_s for speed in capped(settings, finding)},
    )
    plot_ramp(path, title, picture)
